'use client'
import { useInfiniteQuery, useQuery } from '@tanstack/react-query'
import dynamic from 'next/dynamic'
import { useMemo, type ReactNode } from 'react'
import type { MeasureLine, MeasurePage } from '@/service/timing/measure-list'
import type { MeasureSeries } from '@/service/timing/measures'
import { bandWords, beyondPath, trendWords, figure } from '@/app/shared/measures/words'
import { api, queryOf } from '@/ui/api'
import { useAddress } from '@/ui/hooks/address'
import { useEndless } from '@/ui/hooks/endless'
import { ButtonLink } from '@/ui/parts/button'
import { Crumb } from '@/ui/parts/crumb'
import { Empty, Page, Panel, Row, Small, Spring, Trouble } from '@/ui/parts/layout'
import { Link } from '@/ui/parts/link'
import { SearchField } from '@/ui/parts/search-field'
import { Select } from '@/ui/parts/select'
import { Table, type Column } from '@/ui/parts/table'
import { Ago } from '@/ui/parts/time'

const ValueChart = dynamic(() => import('@/app/shared/measures/value-chart').then((module) => module.ValueChart), {
  ssr: false,
})

const ANY = 'any'
const KINDS = [
  { id: ANY, title: 'of everything' },
  { id: 'job', title: 'of jobs' },
  { id: 'queue', title: 'of work queues' },
  { id: 'agent', title: 'of agents' },
]
const PAGES: Readonly<Record<MeasureLine['kind'], (id: number) => string>> = {
  job: (id) => `/work/jobs/${id}/measures`,
  queue: (id) => `/work/queues/${id}`,
  agent: (id) => `/fleet/agents/${id}`,
}
const DAYS = 14

type Shown = Omit<MeasureLine, 'id'> & { readonly id: string; readonly of: number }
const idOf = ({ kind, id, name }: MeasureLine): string => `${kind} ${id} ${name}`

const COLUMNS: readonly Column<Shown>[] = [
  {
    id: 'of',
    title: 'Of',
    cell: ({ kind, of, title }) => (
      <Link href={PAGES[kind](of)}>
        <b>{title}</b>
      </Link>
    ),
  },
  { id: 'name', title: 'Measure', cell: ({ name }) => name },
  { id: 'last', title: 'Last', align: 'right', cell: ({ last }) => last && figure(last.value) },
  { id: 'when', title: 'When', align: 'right', cell: ({ last }) => last && <Ago at={last.atMs} /> },
  { id: 'band', title: 'Lately', align: 'right', cell: ({ band }) => bandWords(band) },
  { id: 'drift', title: 'Trend', cell: ({ drift }) => <Small>{trendWords(drift)}</Small> },
]

/** All that is measured: what it is now, what it usually is, whether it drifts; the one that is chosen as a chart. */
export function MeasuresScreen(): ReactNode {
  const { values, set } = useAddress()
  const asked = { kind: values.kind, text: values.text }
  const query = useInfiniteQuery({
    queryKey: ['measures', 'list', asked],
    queryFn: ({ pageParam }) => api.get<MeasurePage>(`/measures${queryOf({ ...asked, skip: pageParam })}`),
    placeholderData: (before) => before,
    initialPageParam: undefined as number | undefined,
    getNextPageParam: ({ total }, pages) => {
      const known = pages.reduce((sum, { rows }) => sum + rows.length, 0)
      return known < total ? known : undefined
    },
    refetchInterval: 60_000,
  })
  const rows = useMemo(
    () =>
      query.data?.pages.flatMap((page) => page.rows.map((row): Shown => ({ ...row, id: idOf(row), of: row.id }))) ?? [],
    [query.data],
  )
  const end = useEndless(query.fetchNextPage, query.hasNextPage, rows.length)
  const chosen = rows.find(({ id }) => id === values.chosen) ?? rows[0]
  return (
    <Page style={{ overflow: 'hidden' }}>
      <Row $wrap>
        <Crumb href="/reports">Reports</Crumb>
        <h1>Measures</h1>
        <Spring />
        <SearchField
          label="Of what, or measure"
          value={values.text ?? ''}
          onChange={(next) => set({ text: next || null }, 'replace')}
        />
        <Select
          label="Of"
          hideLabel
          value={values.kind ?? ANY}
          onChange={(next) => set({ kind: next === ANY ? null : next })}
          choices={KINDS}
          width="160px"
        />
      </Row>
      <Trouble error={query.error} />
      {chosen && <Chosen key={chosen.id} measure={chosen} />}
      <Panel style={{ flex: 1, minHeight: 160, display: 'flex', flexDirection: 'column' }}>
        {query.data && rows.length === 0 ? (
          <Empty title="Nothing is measured">
            Agents measure their memory, disk and load, queues how many items wait; of a job whatever number its runs
            hand on.
          </Empty>
        ) : (
          <Table
            label="Measures"
            columns={COLUMNS}
            rows={rows}
            isChosen={({ id }) => id === chosen?.id}
            onOpen={({ id }) => set({ chosen: id }, 'replace')}
            foot={<div ref={end} style={{ height: 1 }} />}
          />
        )}
      </Panel>
    </Page>
  )
}

/** The last two weeks of one of them. */
function Chosen({ measure: { kind, slug, title, name, band } }: { measure: Shown }): ReactNode {
  const { data } = useQuery({
    queryKey: ['measures', kind, slug, name],
    queryFn: () => api.get<MeasureSeries[]>(`/measures/values${queryOf({ [kind]: slug, name, days: DAYS })}`),
  })
  const points = useMemo(() => thinned(data?.[0]?.values ?? []), [data])
  return (
    <Panel style={{ padding: '8px 12px' }} aria-label="The chosen measure">
      <Row $wrap>
        <h2>
          {title}: {name}
        </h2>
        <Small>the last {DAYS} days; nine values in ten lie in the band</Small>
        <Spring />
        <ButtonLink href={beyondPath({ kind, slug, name }, band)}>Start something beyond a limit</ButtonLink>
      </Row>
      {data && points.length === 0 ? <Small>Nothing in these days.</Small> : <ValueChart points={points} />}
    </Panel>
  )
}

/** So many stretches are drawn: of more values each shows its least and its most, so that no peak is lost. */
const MOST_STRETCHES = 300
function thinned(values: MeasureSeries['values']): MeasureSeries['values'] {
  const size = Math.ceil(values.length / MOST_STRETCHES)
  if (size <= 2) return values
  return Array.from({ length: Math.ceil(values.length / size) }, (_, i) => {
    const some = values.slice(i * size, (i + 1) * size).sort((a, b) => a.value - b.value)
    return [some[0], some.at(-1)].flatMap((each) => each ?? []).sort((a, b) => a.atMs - b.atMs)
  }).flat()
}
