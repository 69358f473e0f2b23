'use client'
import { useQuery } from '@tanstack/react-query'
import type { ReactNode } from 'react'
import { CADENCE_WORDS, CADENCES, type CadenceKind } from '@/core/timing/cadence'
import type { CalendarRow } from '@/service/timing/calendars'
import type { PoolRow } from '@/service/fleet/fleet'
import { api } from '@/ui/api'
import { ButtonLink } from '@/ui/parts/button'
import { Select } from '@/ui/parts/select'
import { Row } from '@/ui/parts/layout'
import { SearchField } from '@/ui/parts/search-field'

import { CAUSES } from './causes'

const ANY = 'any'

/** What the list of schedules is narrowed down by; all of it is in the address. */
export function TriggerFilters({
  values,
  onChange,
}: {
  values: Readonly<Record<string, string>>
  onChange: (changes: Record<string, string | null>) => void
}): ReactNode {
  const { data: calendars = [] } = useQuery({
    queryKey: ['calendars'],
    queryFn: () => api.get<CalendarRow[]>('/calendars'),
  })
  const { data: pools = [] } = useQuery({ queryKey: ['pools'], queryFn: () => api.get<PoolRow[]>('/pools') })
  const choice = (
    key: string,
    label: string,
    any: string,
    choices: readonly { id: string; title: string }[],
    width: string,
  ): ReactNode => (
    <Select
      label={label}
      hideLabel
      value={values[key] ?? ANY}
      onChange={(value) => onChange({ [key]: value === ANY ? null : value })}
      choices={[{ id: ANY, title: any }, ...choices]}
      width={width}
    />
  )
  const isFiltered = ['text', 'state', 'kind', 'cadence', 'outcome', 'flag', 'calendar', 'pool', 'load', 'job'].some(
    (key) => values[key],
  )
  return (
    <Row $wrap>
      <div data-filter style={{ flex: 1, minWidth: 180 }}>
        <SearchField
          label="Filter by words"
          value={values.text ?? ''}
          onChange={(text) => onChange({ text: text || null })}
          placeholder="Title, job, or when, such as “Mondays”"
          width="100%"
        />
      </div>
      <Select
        label="How often, or what makes it start"
        hideLabel
        value={values.kind ? `kind ${values.kind}` : (values.cadence ?? ANY)}
        onChange={(value) =>
          onChange({
            kind: value.startsWith('kind ') ? value.slice(5) : null,
            cadence: value === ANY || value.startsWith('kind ') ? null : value,
          })
        }
        choices={[
          { id: ANY, title: 'any cadence' },
          ...(Object.keys(CADENCES) as CadenceKind[]).map((id) => ({ id, title: CADENCE_WORDS[id] })),
          ...CAUSES.filter(({ id }) => id !== 'time').map(({ id, title }) => ({ id: `kind ${id}`, title })),
        ]}
        width="190px"
      />
      {choice(
        'load',
        'Load',
        'any load',
        [10, 100, 500, 1000].map((n) => ({ id: String(n), title: `${n} runs a day and more` })),
        '160px',
      )}
      {choice(
        'flag',
        'Flags',
        'flags',
        [
          { id: 'too-often', title: 'too often on too many' },
          { id: 'never', title: 'never again' },
        ],
        '120px',
      )}
      {choice(
        'outcome',
        'Last outcome',
        'any outcome',
        [
          { id: 'succeeded', title: 'succeeded' },
          { id: 'failed', title: 'failed' },
          { id: 'lost', title: 'lost' },
          { id: 'none', title: 'not yet' },
        ],
        '120px',
      )}
      {choice(
        'state',
        'On or off',
        'on or off',
        [
          { id: 'on', title: 'on' },
          { id: 'off', title: 'off' },
        ],
        '95px',
      )}
      {choice(
        'pool',
        'Pool',
        'any pool',
        pools.map((pool) => ({ id: pool.name, title: pool.name })),
        '110px',
      )}
      {choice(
        'calendar',
        'Calendar',
        'any calendar',
        calendars.map((calendar) => ({ id: calendar.slug, title: calendar.title })),
        '130px',
      )}
      {isFiltered && (
        <ButtonLink href="/timing" kind="quiet">
          Clear
        </ButtonLink>
      )}
    </Row>
  )
}
