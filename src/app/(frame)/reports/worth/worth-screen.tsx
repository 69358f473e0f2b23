'use client'
import { useQuery } from '@tanstack/react-query'
import dynamic from 'next/dynamic'
import type { ReactNode } from 'react'
import type { WorthTerm } from '@/core/reports/worth-terms'
import type { WorthRow } from '@/service/reports/worths'
import { api } from '@/ui/api'
import { useAddress } from '@/ui/hooks/address'
import { useMay } from '@/ui/hooks/me'
import { Button } from '@/ui/parts/button'
import { Crumb } from '@/ui/parts/crumb'
import { Checkbox, TextField } from '@/ui/parts/fields'
import { Page, Panel, Row, Small, Spring, Trouble } from '@/ui/parts/layout'
import { Table } from '@/ui/parts/table'

const WorthDialog = dynamic(() => import('./worth-dialog').then((module) => module.WorthDialog), { ssr: false })

/** What is said last of each part. */
function lastOf(terms: readonly WorthTerm[]): Record<'minutes' | 'rate' | 'runCost', number | null> {
  const sorted = [...terms].sort((a, b) => (a.since ?? '').localeCompare(b.since ?? ''))
  const of = (key: 'minutes' | 'rate' | 'runCost'): number | null =>
    sorted.reduce<number | null>((found, term) => term[key] ?? found, null)
  return { minutes: of('minutes'), rate: of('rate'), runCost: of('runCost') }
}

const words = (value: number | null): string => (value === null ? '' : value.toLocaleString('en'))

/** What a run of each job spares a person and costs: what worth is worked out from. */
export function WorthScreen(): ReactNode {
  const { values, set } = useAddress()
  const { why } = useMay('design')
  const { data, error } = useQuery({ queryKey: ['worths'], queryFn: () => api.get<WorthRow[]>('/worths') })
  const text = values.text?.toLowerCase() ?? ''
  const rows = (data ?? [])
    .map((row) => ({ ...row, number: row.id, id: `${row.what} ${row.id}`, last: lastOf(row.terms) }))
    .filter(
      (row) =>
        `${row.title} ${row.area}`.toLowerCase().includes(text) &&
        (values.said === undefined || row.terms.length > 0 || row.made !== null),
    )
  const open = rows.find(({ what, number }) => String(number) === values[what])
  return (
    <Page style={{ overflow: 'hidden' }}>
      <Row $wrap>
        <Crumb href="/reports">Reports</Crumb>
        <h1>What work spares</h1>
        <Small>
          Minutes by hand, what an hour of that person costs, what a run costs. An area’s hold where its work says
          nothing.
        </Small>
        <Spring />
      </Row>
      <Trouble error={error} />
      <Panel style={{ minHeight: 0, display: 'flex', flexDirection: 'column' }}>
        <Row style={{ padding: '8px 12px' }}>
          <div data-filter>
            <TextField
              label="Title or area"
              hideLabel
              placeholder="Title or area"
              value={values.text ?? ''}
              onChange={(next) => set({ text: next }, 'replace')}
              type="search"
              width="220px"
            />
          </div>
          <Checkbox
            isSelected={values.said !== undefined}
            onChange={(on) => set({ said: on ? 'yes' : null }, 'replace')}
          >
            only what is said
          </Checkbox>
        </Row>
        <Table
          label="What work spares"
          rows={rows}
          onOpen={(row) => set({ job: null, area: null, [row.what]: String(row.number) })}
          columns={[
            {
              id: 'title',
              title: 'Work or area',
              cell: (row) =>
                row.what === 'area' ? <b>{row.area}</b> : <span style={{ paddingLeft: 14 }}>{row.title}</span>,
            },
            {
              id: 'kind',
              title: 'Is',
              cell: (row) => <Small>{row.what === 'area' ? 'area' : row.isFlow ? 'flow' : 'job'}</Small>,
            },
            { id: 'minutes', title: 'Minutes by hand', align: 'right', cell: (row) => words(row.last.minutes) },
            { id: 'rate', title: 'Rate an hour', align: 'right', cell: (row) => words(row.last.rate) },
            { id: 'cost', title: 'Cost of a run', align: 'right', cell: (row) => words(row.last.runCost) },
            {
              id: 'made',
              title: 'Took to make',
              align: 'right',
              cell: (row) => (row.made ? `${words(row.made.hours)} h at ${words(row.made.rate)}` : ''),
            },
            { id: 'by', title: 'Said by', cell: (row) => <Small>{row.savedBy}</Small> },
            {
              id: 'change',
              title: '',
              cell: (row) => (
                <Button
                  kind="quiet"
                  aria-label={`Change ${row.title}`}
                  onPress={() => set({ job: null, area: null, [row.what]: String(row.number) })}
                  whyNot={why}
                >
                  Change
                </Button>
              ),
            },
          ]}
        />
      </Panel>
      {open && (
        <WorthDialog key={open.id} row={open} number={open.number} onClose={() => set({ job: null, area: null })} />
      )}
    </Page>
  )
}
