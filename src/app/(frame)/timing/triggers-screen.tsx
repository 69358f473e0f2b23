'use client'
import { useInfiniteQuery, useQueryClient } from '@tanstack/react-query'
import { useRouter } from 'next/navigation'
import { useMemo, useState, type ReactNode } from 'react'
import { isRobotTarget } from '@/core/dispatch/target'
import type { TriggerRow } from '@/service/timing/trigger-list'
import { ExportButton } from '@/app/shared/exports/export-button'
import { api, queryOf, type ApiProblem } from '@/ui/api'
import { exact, relative, when } from '@/ui/format'
import { useSay } from '@/ui/frame/announcer'
import { useEndless } from '@/ui/hooks/endless'
import { useLatest } from '@/ui/hooks/latest'
import { useMay, useMe } from '@/ui/hooks/me'
import { useAtNow } from '@/ui/hooks/now'
import { Button, ButtonLink } from '@/ui/parts/button'
import { Checkbox, Switch } from '@/ui/parts/fields'
import { Empty, Page, Panel, Row, Small, Spring, Trouble } from '@/ui/parts/layout'
import { Link } from '@/ui/parts/link'
import { StateMark, type Mark } from '@/ui/parts/state-mark'
import { Table } from '@/ui/parts/table'
import { ColumnsButton } from '@/app/shared/views/columns-button'
import { useColumns, type Choosable } from '@/app/shared/views/use-columns'
import { useViewed } from '@/app/shared/views/use-viewed'
import { ViewMenu } from '@/app/shared/views/view-menu'
import { withOrWithout } from '@/ui/sets'
import { CadenceEdit } from './cadence-edit'
import { ManyBar } from './many-bar'
import { TimingNav } from './timing-nav'
import { TriggerFilters } from './trigger-filters'
import { targetWords } from '@/core/dispatch/target'
import { perDay } from './words'

interface TriggerPage {
  readonly rows: TriggerRow[]
  readonly next: string | null
  readonly total: number
}

/** Every schedule in one list: what it starts, where, how often, what came of it last, and when it starts next. */
export function TriggersScreen(): ReactNode {
  const viewed = useViewed('triggers')
  const { values, set, isReady } = viewed
  const filter = useMemo(() => {
    const { columns: _, ...rest } = values
    return rest
  }, [values])
  const router = useRouter()
  const client = useQueryClient()
  const say = useSay()
  const { why } = useMay('design')
  const operate = useMay('operate')
  const [chosen, setChosen] = useState<ReadonlySet<number>>(new Set())
  const query = useInfiniteQuery({
    queryKey: ['triggers', 'list', filter],
    enabled: isReady,
    queryFn: ({ pageParam }) => api.get<TriggerPage>(`/triggers${queryOf({ ...filter, after: pageParam })}`),
    initialPageParam: undefined as string | undefined,
    getNextPageParam: (last) => last.next ?? undefined,
    placeholderData: (before) => before,
  })
  const rows = useMemo(() => query.data?.pages.flatMap((page) => page.rows) ?? [], [query.data])
  const total = query.data?.pages[0]?.total ?? 0
  const end = useEndless(query.fetchNextPage, query.hasNextPage, rows.length)

  const change = (ids: readonly number[], what: object, said: string): void => {
    api.patch<{ changed: number }>('/triggers', { ids, change: what }).then(
      () => {
        say(said)
        setChosen(new Set())
        void client.invalidateQueries({ queryKey: ['triggers'] })
        void client.invalidateQueries({ queryKey: ['coming'] })
      },
      (error: ApiProblem) => say(error.detail, { bad: true }),
    )
  }
  const toggle = useLatest((row: TriggerRow, on: boolean) =>
    change([row.id], { enabled: on }, `${row.title} is switched ${on ? 'on' : 'off'}.`),
  )
  const possible = useMemo(
    () =>
      columnsFor({
        isChosen: (row) => chosen.has(row.id),
        choose: (row, on) => setChosen((before) => withOrWithout(before, row.id, on)),
        toggle,
        whyLocked: operate.why,
      }),
    [chosen, toggle, operate.why],
  )
  const columns = useColumns(viewed, possible)
  const isFiltered = Object.keys(filter).some((key) => key !== 'sort' && key !== 'dir')
  return (
    <Page style={{ overflow: 'hidden' }}>
      <Row $wrap>
        <h1>Timing</h1>
        <TimingNav />
        <ViewMenu viewed={viewed} />
        <Spring />
        <ColumnsButton {...columns} />
        <ExportButton list="triggers" values={filter} columns={columns.shown.map(({ id }) => id)} />
        <Small>{total === 1 ? 'one trigger' : `${total.toLocaleString('en')} triggers`}</Small>
        <Button kind="strong" onPress={() => router.push('/timing/triggers/new')} whyNot={why}>
          New trigger
        </Button>
      </Row>
      <TriggerFilters values={values} onChange={(changes) => set({ ...changes, after: null })} />
      {chosen.size > 0 && (
        <ManyBar
          count={chosen.size}
          onChange={(what, said) => change([...chosen], what, said)}
          onClear={() => setChosen(new Set())}
        />
      )}
      <Trouble error={query.error} />
      {rows.length === 0 && query.isSuccess ? (
        <Panel>
          {isFiltered ? (
            <Empty title="No schedule fits" action={<Button onPress={() => viewed.open(null)}>Show all</Button>}>
              Nothing has all of these marks. Take one away.
            </Empty>
          ) : (
            <Empty
              title="Nothing starts by itself yet"
              action={
                <ButtonLink href="/timing/triggers/new" kind="strong">
                  New trigger
                </ButtonLink>
              }
            >
              A trigger says when a job starts: “weekdays at 17:00”, “every 15 minutes between 06:00 and 22:00”, “last
              working day of the month at 18:30”.
            </Empty>
          )}
        </Panel>
      ) : (
        <Panel style={{ minHeight: 0, display: 'flex', flexDirection: 'column' }}>
          <Table
            label="Triggers"
            columns={columns.shown}
            rows={rows}
            onOpen={(row) => router.push(`/timing/triggers/${row.id}`)}
            sort={values.sort ?? 'next'}
            dir={values.dir === 'desc' ? 'desc' : 'asc'}
            onSort={(sort, dir) => set({ sort, dir, after: null })}
            isDim={(row) => !row.enabled || !row.jobActive}
            foot={<div ref={end} style={{ height: 1 }} />}
          />
        </Panel>
      )}
    </Page>
  )
}

interface RowActs {
  readonly isChosen: (row: TriggerRow) => boolean
  readonly choose: (row: TriggerRow, on: boolean) => void
  readonly toggle: (row: TriggerRow, on: boolean) => void
  /** Why nothing can be switched. */
  readonly whyLocked: string | undefined
}

function columnsFor({ isChosen, choose, toggle, whyLocked }: RowActs): Choosable<TriggerRow>[] {
  return [
    {
      id: 'choose',
      title: '',
      name: 'to choose by',
      width: 34,
      cell: (row) => (
        <Checkbox isSelected={isChosen(row)} onChange={(on) => choose(row, on)}>
          <span className="visually-hidden">Choose {row.title}</span>
        </Checkbox>
      ),
    },
    {
      id: 'on',
      title: 'On',
      width: 50,
      cell: (row) => (
        <Switch isSelected={row.enabled} onChange={(on) => toggle(row, on)} whyNot={whyLocked}>
          <span className="visually-hidden">{row.title} is on</span>
        </Switch>
      ),
    },
    {
      id: 'title',
      title: 'Trigger',
      always: true,
      sort: 'title',
      maxWidth: 270,
      cell: (row) => (
        <>
          <Link href={`/timing/triggers/${row.id}`}>
            <b>{row.title}</b>
          </Link>
          {row.jobTitle !== row.title && <Small> {row.jobTitle}</Small>}
          {!row.jobActive && <Small> · its job is off</Small>}
        </>
      ),
    },
    {
      id: 'where',
      title: 'Where',
      cell: (row) =>
        row.target === null ? (
          targetWords(null)
        ) : (
          <span
            title={`${row.spread === 'each' ? 'on every one of' : 'on one of'} ${row.machines} ${isRobotTarget(row.target) ? 'robots' : 'machines'}`}
          >
            {targetWords(row.target)}{' '}
            <Small>
              {row.spread === 'each' ? `× ${row.machines}` : row.machines === 1 ? '' : `1 of ${row.machines}`}
            </Small>
          </span>
        ),
    },
    { id: 'cadence', title: 'When', sort: 'cadence', maxWidth: 300, cell: (row) => <CadenceEdit row={row} /> },
    {
      id: 'load',
      title: 'Runs a day',
      sort: 'load',
      align: 'right',
      cell: (row) => (
        <>
          {row.isTooOften && (
            <span
              title="Too often on too many: see Settings for the threshold"
              style={{ color: 'var(--late)', marginRight: 5 }}
            >
              <StateMark mark="late" size={11} />
              <span className="visually-hidden">too often on too many</span>
            </span>
          )}
          {row.kind === 'time' ? perDay(row.load) : <Small>as it comes</Small>}
        </>
      ),
    },
    { id: 'last', title: 'Last', cell: (row) => <LastRun run={row.lastRun} /> },
    { id: 'next', title: 'Next start', sort: 'next', cell: (row) => <NextStart row={row} /> },
    {
      id: 'priority',
      title: 'Priority',
      sort: 'priority',
      cell: (row) => (row.priority === 'normal' ? <Small>normal</Small> : row.priority),
    },
  ]
}

function LastRun({ run }: { run: TriggerRow['lastRun'] }): ReactNode {
  const ms = run ? Date.parse(run.at) : 0
  const ago = useAtNow((now) => relative(Math.min(ms, now), now))
  if (!run) return <Small>not yet</Small>
  return (
    <Link href={`/runs/${run.id}`} title={run.state} style={{ display: 'inline-flex', gap: 6, alignItems: 'center' }}>
      <StateMark mark={run.state as Mark} size={12} />
      <span className="visually-hidden">{run.state}</span>
      <Small>{ago}</Small>
    </Link>
  )
}

function NextStart({ row }: { row: TriggerRow }): ReactNode {
  const { zone } = useMe()
  const at = row.nextAt === null ? 0 : Date.parse(row.nextAt)
  const said = useAtNow((now) => when(at, zone, now))
  const inTime = useAtNow((now) => (at > now ? relative(at, now) : 'due'))
  if (!row.enabled) return <Small>off</Small>
  if (row.kind !== 'time') return <Small>when it happens</Small>
  if (row.nextAt === null) return <span style={{ color: 'var(--late)' }}>never again</span>
  if (said === null) return null
  const isOther = row.zone !== zone
  return (
    <span title={`${exact(at, zone)}${isOther ? `, ${exact(at, row.zone)}` : ''}`}>
      {said} <Small>{inTime}</Small>
    </span>
  )
}
