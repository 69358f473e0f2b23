'use client'
import { useInfiniteQuery } from '@tanstack/react-query'
import dynamic from 'next/dynamic'
import { useRouter } from 'next/navigation'
import { useEffect, useMemo, useRef, useState, type ReactNode } from 'react'
import type { RunPage, RunRow } from '@/service/runs/run-list'
import { api, queryOf } from '@/ui/api'
import { duration } from '@/ui/format'
import { useAddress } from '@/ui/hooks/address'
import { useMe } from '@/ui/hooks/me'
import { useEndless } from '@/ui/hooks/endless'
import { ButtonLink, Download } from '@/ui/parts/button'
import { Checkbox } from '@/ui/parts/fields'
import { Empty, Page, Panel, Row, Small, Trouble } from '@/ui/parts/layout'
import { Link } from '@/ui/parts/link'
import { StateWord } from '@/ui/parts/state-mark'
import { Table, type Column } from '@/ui/parts/table'
import { Ago, Time, Took } from '@/ui/parts/time'
import { causeOf } from './cause'
import { withOrWithout } from '@/ui/sets'
import { apiValues } from '@/ui/api-values'
import { FilterBar } from './filter-bar'
import { ColumnsButton } from './columns-button'

// Only whoever chooses runs needs it.
const ManyBar = dynamic(() => import('./many-bar').then((module) => module.ManyBar), { ssr: false })

/** It went as it should: there is no why. */
const isPlain = ({ state, reason }: RunRow): boolean => state === 'succeeded' && reason === 'Exit code 0.'

const COLUMNS: readonly (Column<RunRow> & { always?: true; first?: true })[] = [
  {
    id: 'number',
    title: 'Run',
    sort: 'number',
    always: true,
    first: true,
    cell: (r) => <Link href={`/runs/${r.id}`}>#{r.id}</Link>,
  },
  {
    id: 'state',
    title: 'State',
    first: true,
    cell: (r) => <StateWord mark={r.state} word={r.stopAsked && r.state === 'running' ? 'stopping' : r.state} />,
  },
  { id: 'job', title: 'Job', always: true, first: true, cell: (r) => <b>{r.title}</b> },
  { id: 'area', title: 'Area', first: true, cell: (r) => r.area },
  {
    id: 'machine',
    title: 'Machine',
    first: true,
    cell: (r) => (r.robot ? `${r.robot} on ${r.agent}` : (r.agent ?? '')),
  },
  { id: 'cause', title: 'Started by', first: true, cell: causeOf },
  {
    id: 'started',
    title: 'Started',
    sort: 'started',
    first: true,
    cell: (r) =>
      r.startedAt ? (
        <Time at={r.startedAt} />
      ) : r.startAfter ? (
        <>
          waits for <Time at={r.startAfter} />
        </>
      ) : (
        ''
      ),
  },
  { id: 'ended', title: 'Ended', sort: 'ended', cell: (r) => (r.endedAt ? <Time at={r.endedAt} /> : '') },
  { id: 'ago', title: 'Ended ago', cell: (r) => (r.endedAt ? <Ago at={r.endedAt} /> : '') },
  {
    id: 'took',
    title: 'Took',
    sort: 'duration',
    align: 'right',
    first: true,
    cell: (r) =>
      r.durationMs !== null ? (
        duration(r.durationMs)
      ) : r.state === 'running' ? (
        <Took from={r.startedAt} to={null} />
      ) : (
        ''
      ),
  },
  { id: 'usual', title: 'Usual', align: 'right', first: true, cell: (r) => <Small>{duration(r.usualMs)}</Small> },
  { id: 'tries', title: 'Tries', align: 'right', cell: (r) => `${r.attempts}/${r.maxAttempts}` },
  { id: 'exit', title: 'Exit', align: 'right', cell: (r) => r.exitCode ?? '' },
  {
    id: 'reason',
    title: 'Why',
    first: true,
    cell: (r) => !isPlain(r) && <span title={r.reason}>{r.tellingLine ?? r.reason}</span>,
  },
]
const STORED = 'bugle.runs.columns'

/** Any number of runs: filtered, sorted and paged by the server; more rows come as the end is reached. */
export function RunsScreen(): ReactNode {
  const { values, set } = useAddress()
  const router = useRouter()
  const { zone } = useMe()
  const [hidden, setHidden] = useState<ReadonlySet<string>>(
    () => new Set(COLUMNS.filter((c) => !c.first).map((c) => c.id)),
  )
  useEffect(() => {
    const stored = localStorage.getItem(STORED)
    if (stored !== null) setHidden(new Set(stored.split(',')))
  }, [])
  const query = useInfiniteQuery({
    queryKey: ['runs', values],
    queryFn: async ({ pageParam }) =>
      api.get<RunPage>(`/runs${queryOf({ ...(await apiValues(values, zone)), after: pageParam })}`),
    initialPageParam: undefined as string | undefined,
    getNextPageParam: (last) => last.next ?? undefined,
    placeholderData: (before) => before,
  })
  const rows = useMemo(() => {
    const seen = new Set<number>()
    return (query.data?.pages.flatMap((page) => page.rows) ?? []).filter((row) => !seen.has(row.id) && seen.add(row.id))
  }, [query.data])
  const [chosen, setChosen] = useState<ReadonlySet<number>>(new Set())
  const changed = useChanged(rows)
  const end = useEndless(query.fetchNextPage, query.hasNextPage, rows.length)

  const toggle = (id: string, on: boolean): void => {
    const next = withOrWithout(hidden, id, !on)
    setHidden(next)
    localStorage.setItem(STORED, [...next].join())
  }
  const columns = useMemo(
    () => [
      {
        id: 'choose',
        title: '',
        width: 34,
        cell: (row: RunRow) => (
          <Checkbox
            isSelected={chosen.has(row.id)}
            onChange={(on) => setChosen((before) => withOrWithout(before, row.id, on))}
          >
            <span className="visually-hidden">Choose #{row.id}</span>
          </Checkbox>
        ),
      },
      ...COLUMNS.filter((column) => !hidden.has(column.id)),
    ],
    [chosen, hidden],
  )
  const isFiltered = Object.keys(values).some((key) => key !== 'sort' && key !== 'dir')
  return (
    <Page style={{ overflow: 'hidden' }}>
      <Row>
        <h1>Runs</h1>
        <FilterBar values={values} onChange={(changes) => set({ ...changes, after: null })} />
        <ColumnsButton columns={COLUMNS.filter((c) => !c.always)} hidden={hidden} onToggle={toggle} />
        <CsvLink values={values} />
      </Row>
      <Trouble error={query.error} />
      {chosen.size > 0 && <ManyBar ids={[...chosen]} onClear={() => setChosen(new Set())} />}
      {rows.length === 0 && query.isSuccess ? (
        <Panel>
          {isFiltered ? (
            <Empty title="No run fits" action={<ButtonLink href="/runs">Show all runs</ButtonLink>}>
              Nothing has all of these marks. Take one away.
            </Empty>
          ) : (
            <Empty
              title="Nothing has run yet"
              action={
                <ButtonLink href="/work" kind="strong">
                  To Work
                </ButtonLink>
              }
            >
              Every start of a job makes a run, kept here with its output and what exactly was carried out.
            </Empty>
          )}
        </Panel>
      ) : (
        <Panel style={{ minHeight: 0, display: 'flex', flexDirection: 'column' }}>
          <Table
            label="Runs"
            columns={columns}
            rows={rows}
            onOpen={(row) => router.push(`/runs/${row.id}`)}
            sort={values.sort ?? 'number'}
            dir={values.dir === 'asc' ? 'asc' : 'desc'}
            onSort={(sort, dir) => set({ sort, dir, after: null })}
            onMark={(row, on) => setChosen((before) => withOrWithout(before, row.id, on ?? !before.has(row.id)))}
            isFresh={(row) => changed.has(row.id)}
            isDim={(row) => row.state === 'cancelled' || row.state === 'skipped'}
            foot={<div ref={end} style={{ height: 1 }} />}
          />
        </Panel>
      )}
    </Page>
  )
}

/** The same runs as a file. */
function CsvLink({ values }: { values: Readonly<Record<string, string>> }): ReactNode {
  const { zone } = useMe()
  const [asked, setAsked] = useState<Readonly<Record<string, string>> | null>(null)
  useEffect(() => {
    let isOver = false
    void apiValues(values, zone).then((found) => !isOver && setAsked(found))
    return () => {
      isOver = true
    }
  }, [values, zone])
  return <Download href={asked ? `/api/v1/runs.csv${queryOf(asked)}` : undefined}>CSV</Download>
}

/** Runs whose state is another than when last drawn: marked for a moment. */
function useChanged(rows: readonly RunRow[]): ReadonlySet<number> {
  const before = useRef<Map<number, string>>(new Map())
  const [changed, setChanged] = useState<ReadonlySet<number>>(new Set())
  useEffect(() => {
    const known = before.current
    before.current = new Map(rows.map((row) => [row.id, row.state]))
    if (known.size > 0) setChanged(new Set(rows.filter((row) => known.get(row.id) !== row.state).map((row) => row.id)))
  }, [rows])
  return changed
}
