'use client'
import { useQuery } from '@tanstack/react-query'
import type { ReactNode } from 'react'
import type { LogChange } from '@/core/log/night'
import type { Changes } from '@/service/log/changes'
import { objectPage } from '@/app/shared/work/object-page'
import { api, queryOf } from '@/ui/api'
import { dayAndYear } from '@/ui/format'
import { useAddress } from '@/ui/hooks/address'
import { useMe } from '@/ui/hooks/me'
import { useNow } from '@/ui/hooks/now'
import { Empty, Page, Panel, Row, Small, Spring, Trouble } from '@/ui/parts/layout'
import { Link } from '@/ui/parts/link'
import { SearchField } from '@/ui/parts/search-field'
import { Select } from '@/ui/parts/select'
import { Table, type Column } from '@/ui/parts/table'
import { Time } from '@/ui/parts/time'
import { RunLinks } from '../run-links'
import { WatchNav } from '../watch-nav'

const STRETCHES = [
  { id: '24', title: 'the last 24 hours' },
  { id: '168', title: 'the last 7 days' },
  { id: '720', title: 'the last 30 days' },
]
const HOUR_MS = 3_600_000
const MINUTE_MS = 60_000

type Shown = LogChange & { readonly id: number }

const COLUMNS: readonly Column<Shown>[] = [
  { id: 'at', title: 'When', cell: ({ atMs }) => <Time at={atMs} withRelative /> },
  { id: 'by', title: 'By', cell: ({ by }) => by },
  {
    id: 'what',
    title: 'What',
    maxWidth: 620,
    cell: ({ says, object }) => {
      const page = objectPage(object)
      return page === null ? <span title={says}>{says}</span> : <Link href={page}>{says}</Link>
    },
  },
  { id: 'failed', title: 'Failed within a day', cell: ({ followed }) => <RunLinks ids={followed} /> },
]

/** Every change of definitions and of the fleet in a stretch, by whom, and what failed after it that it touches. */
export function ChangesScreen(): ReactNode {
  const { values, set } = useAddress()
  const { zone } = useMe()
  const now = useNow(MINUTE_MS)
  const hours = STRETCHES.some(({ id }) => id === values.hours) ? (values.hours as string) : '24'
  const ask = (): Promise<Changes> => {
    const toMs = Date.now()
    const [from, to] = [new Date(toMs - Number(hours) * HOUR_MS).toISOString(), new Date(toMs).toISOString()]
    return api.get<Changes>(`/changes${queryOf({ from, to, text: values.text })}`)
  }
  const query = useQuery({
    queryKey: ['jobs', 'changes', hours, values.text],
    queryFn: ask,
    placeholderData: (before) => before,
    refetchInterval: MINUTE_MS,
  })
  const rows = query.data?.changes.map((change, i): Shown => ({ ...change, id: i })) ?? []
  return (
    <Page style={{ overflow: 'hidden' }}>
      <Row $wrap>
        <h1>What changed</h1>
        <WatchNav />
        <Spring />
        <SearchField
          label="Person or thing"
          value={values.text ?? ''}
          onChange={(next) => set({ text: next || null }, 'replace')}
        />
        <Select
          label="Of"
          hideLabel
          value={hours}
          onChange={(next) => set({ hours: next === '24' ? null : next })}
          choices={STRETCHES}
          width="170px"
        />
      </Row>
      <Trouble error={query.error} />
      <Panel style={{ flex: 1, minHeight: 0 }}>
        <Table
          label="What changed"
          columns={COLUMNS}
          rows={rows}
          headingOf={({ atMs }) => dayAndYear(atMs, zone, now)}
          foot={query.data?.isCut ? <Small>Of more than a thousand changes the latest are shown.</Small> : undefined}
        />
        {query.data && rows.length === 0 && (
          <Empty title="Nothing was changed">Neither definitions nor the fleet, in this stretch.</Empty>
        )}
      </Panel>
    </Page>
  )
}
