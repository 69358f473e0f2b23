'use client'
import { useInfiniteQuery } from '@tanstack/react-query'
import dynamic from 'next/dynamic'
import { useRouter } from 'next/navigation'
import { useEffect, useMemo, useRef, useState, type ReactNode } from 'react'
import type { RunPage, RunRow } from '@/service/runs/run-list'
import { ExportButton } from '@/app/shared/exports/export-button'
import { api, queryOf } from '@/ui/api'
import { duration } from '@/ui/format'
import { useMe } from '@/ui/hooks/me'
import { useEndless } from '@/ui/hooks/endless'
import { Button, ButtonLink } from '@/ui/parts/button'
import { Checkbox } from '@/ui/parts/fields'
import { Empty, Page, Panel, Row, Small, Trouble } from '@/ui/parts/layout'
import { Link } from '@/ui/parts/link'
import { StateWord } from '@/ui/parts/state-mark'
import { Table } from '@/ui/parts/table'
import { Ago, Time, Took } from '@/ui/parts/time'
import { ColumnsButton } from '@/app/shared/views/columns-button'
import { useColumns, type Choosable } from '@/app/shared/views/use-columns'
import { useViewed } from '@/app/shared/views/use-viewed'
import { ViewMenu } from '@/app/shared/views/view-menu'
import { causeOf } from '@/core/run/cause'
import { withOrWithout } from '@/ui/sets'
import { apiValues } from '@/ui/api-values'
import { FilterBar } from './filter-bar'
import { BesideRun, BesideSelect } from './beside-run'

// Only whoever chooses runs needs it.
const ManyBar = dynamic(() => import('./many-bar').then((module) => module.ManyBar), { ssr: false })

/** It went as it should: there is no why. */
const isPlain = ({ state, reason }: RunRow): boolean => state === 'succeeded' && reason === 'Exit code 0.'

const COLUMNS: readonly Choosable<RunRow>[] = [
  {
    id: 'number',
    title: 'Run',
    sort: 'number',
    always: true,
    cell: (r) => <Link href={`/runs/${r.id}`}>#{r.id}</Link>,
  },
  {
    id: 'state',
    title: 'State',
    cell: (r) => <StateWord mark={r.state} word={r.stopAsked && r.state === 'running' ? 'stopping' : r.state} />,
  },
  { id: 'job', title: 'Job', always: true, cell: (r) => <b>{r.title}</b> },
  { id: 'area', title: 'Area', cell: (r) => r.area },
  {
    id: 'machine',
    title: 'Machine',
    cell: (r) => (r.robot ? `${r.robot} on ${r.agent}` : (r.agent ?? '')),
  },
  { id: 'cause', title: 'Started by', cell: causeOf },
  {
    id: 'started',
    title: 'Started',
    sort: 'started',
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
  {
    id: 'ended',
    isExtra: true,
    title: 'Ended',
    sort: 'ended',
    cell: (r) => (r.endedAt ? <Time at={r.endedAt} /> : ''),
  },
  { id: 'ago', isExtra: true, title: 'Ended ago', cell: (r) => (r.endedAt ? <Ago at={r.endedAt} /> : '') },
  {
    id: 'took',
    title: 'Took',
    sort: 'duration',
    align: 'right',
    cell: (r) =>
      r.durationMs !== null ? (
        duration(r.durationMs)
      ) : r.state === 'running' ? (
        <Took from={r.startedAt} to={null} />
      ) : (
        ''
      ),
  },
  { id: 'usual', title: 'Usual', align: 'right', cell: (r) => <Small>{duration(r.usualMs)}</Small> },
  { id: 'tries', isExtra: true, title: 'Tries', align: 'right', cell: (r) => `${r.attempts}/${r.maxAttempts}` },
  { id: 'slots', isExtra: true, title: 'Slots', align: 'right', cell: (r) => r.slots },
  { id: 'exit', isExtra: true, title: 'Exit', align: 'right', cell: (r) => r.exitCode ?? '' },
  {
    id: 'reason',
    title: 'Why',
    cell: (r) => !isPlain(r) && <span title={r.reason}>{r.tellingLine ?? r.reason}</span>,
  },
]

/** Any number of runs: filtered, sorted and paged by the server; more rows come as the end is reached. */
export function RunsScreen(): ReactNode {
  const viewed = useViewed('runs')
  const { values, set, isReady } = viewed
  const router = useRouter()
  const { zone } = useMe()
  const filter = useMemo(() => {
    const { columns: _columns, beside: _beside, row: _row, ...rest } = values
    return rest
  }, [values])
  const query = useInfiniteQuery({
    queryKey: ['runs', filter],
    enabled: isReady,
    queryFn: async ({ pageParam }) =>
      api.get<RunPage>(`/runs${queryOf({ ...(await apiValues(filter, zone)), after: pageParam })}`),
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

  const shownColumns = useColumns(viewed, COLUMNS)
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
      ...shownColumns.shown,
    ],
    [chosen, shownColumns],
  )
  const isFiltered = Object.keys(filter).some((key) => key !== 'sort' && key !== 'dir')
  const { beside } = values
  const besideRow = beside ? rows.find(({ id }) => String(id) === values.row) : undefined
  return (
    <Page style={{ overflow: 'hidden' }}>
      <Row>
        <h1>Runs</h1>
        <ViewMenu viewed={viewed} />
        <FilterBar values={filter} onChange={(changes) => set({ ...changes, after: null })} />
        <ColumnsButton {...shownColumns} />
        <BesideSelect
          value={beside}
          onChange={(what) => set({ beside: what, row: what === null ? null : (values.row ?? null) })}
        />
        <ExportButton list="runs" values={filter} columns={shownColumns.shown.map(({ id }) => id)} />
      </Row>
      <Trouble error={query.error} />
      {chosen.size > 0 && <ManyBar ids={[...chosen]} onClear={() => setChosen(new Set())} />}
      {rows.length === 0 && query.isSuccess ? (
        <Panel>
          {isFiltered ? (
            <Empty title="No run fits" action={<Button onPress={() => viewed.open(null)}>Show all runs</Button>}>
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
        <Row $top $gap={12} style={{ minHeight: 0, alignItems: 'stretch' }}>
          <Panel style={{ minHeight: 0, minWidth: 0, flex: 1, display: 'flex', flexDirection: 'column' }}>
            <Table
              label="Runs"
              columns={columns}
              rows={rows}
              onOpen={(row) => (beside ? set({ row: String(row.id) }, 'replace') : router.push(`/runs/${row.id}`))}
              sort={values.sort ?? 'number'}
              dir={values.dir === 'asc' ? 'asc' : 'desc'}
              onSort={(sort, dir) => set({ sort, dir, after: null })}
              onMark={(row, on) => setChosen((before) => withOrWithout(before, row.id, on ?? !before.has(row.id)))}
              isChosen={(row) => row.id === besideRow?.id}
              isFresh={(row) => changed.has(row.id)}
              isDim={(row) => row.state === 'cancelled' || row.state === 'skipped'}
              foot={<div ref={end} style={{ height: 1 }} />}
            />
          </Panel>
          {beside && <BesideRun what={beside} row={besideRow} />}
        </Row>
      )}
    </Page>
  )
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
