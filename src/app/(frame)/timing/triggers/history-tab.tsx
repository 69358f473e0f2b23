'use client'
import { useInfiniteQuery } from '@tanstack/react-query'
import { useRouter } from 'next/navigation'
import { useMemo, type ReactNode } from 'react'
import type { HistoryRow } from '@/service/timing/trigger-history'
import { api, queryOf } from '@/ui/api'
import { duration, exact } from '@/ui/format'
import { useEndless } from '@/ui/hooks/endless'
import { useMe } from '@/ui/hooks/me'
import { Empty, Small, Trouble } from '@/ui/parts/layout'
import { Link } from '@/ui/parts/link'
import { StateMark } from '@/ui/parts/state-mark'
import { Table, type Column } from '@/ui/parts/table'
import { Time } from '@/ui/parts/time'
import { EventWords } from '@/app/shared/runs/event-words'
import { WHY_WORDS } from '@/core/timing/not-started-words'

const PAGE = 100
type Row = HistoryRow & { readonly id: number | string }

/** What ran where and when, and what was not started and why. */
export function HistoryTab({ id }: { id: number }): ReactNode {
  const router = useRouter()
  const { zone } = useMe()
  const query = useInfiniteQuery({
    queryKey: ['triggers', id, 'history'],
    queryFn: ({ pageParam }) =>
      api.get<HistoryRow[]>(`/triggers/${id}/history${queryOf({ before: pageParam, limit: PAGE })}`),
    initialPageParam: undefined as string | undefined,
    getNextPageParam: (last) => (last.length < PAGE ? undefined : new Date(last.at(-1)?.at as string).toISOString()),
  })
  const rows = useMemo<Row[]>(
    () =>
      query.data?.pages.flat().map((row) => (row.kind === 'run' ? row : { ...row, id: `not started ${row.first}` })) ??
      [],
    [query.data],
  )
  const end = useEndless(query.fetchNextPage, query.hasNextPage, rows.length)
  if (query.isSuccess && rows.length === 0)
    return (
      <Empty title="It has not started anything yet">
        Each start will stand here with where it ran and what came of it; and each one that was left out, with the
        reason.
      </Empty>
    )
  const columns: Column<Row>[] = [
    {
      id: 'state',
      title: 'What came of it',
      cell: (row) =>
        row.kind === 'run' ? (
          <span style={{ display: 'inline-flex', gap: 6, alignItems: 'center' }}>
            <StateMark mark={row.state} size={13} /> {row.state}
          </span>
        ) : (
          <span style={{ display: 'inline-flex', gap: 6, alignItems: 'center' }}>
            <StateMark mark="skipped" size={13} /> not started
            {row.times > 1 && <Small>{row.times} times</Small>}
          </span>
        ),
    },
    {
      id: 'at',
      title: 'Occurrence',
      cell: (row) => (
        <>
          {row.kind === 'not started' && row.times > 1 && (
            <>
              <Time at={row.first} /> to{' '}
            </>
          )}
          <Time at={row.at} />
        </>
      ),
    },
    {
      id: 'where',
      title: 'Where, or why not',
      maxWidth: 420,
      cell: (row) =>
        row.kind === 'run' ? (
          (row.agent ?? <Small>nowhere yet</Small>)
        ) : (
          <span title={row.detail}>
            {WHY_WORDS[row.why] ?? row.why} <Small>{row.detail}</Small>
          </span>
        ),
    },
    {
      id: 'began',
      title: 'Started',
      cell: (row) =>
        row.kind === 'run' && row.startedAt && <StartedAfter at={row.at} startedAt={row.startedAt} zone={zone} />,
    },
    { id: 'took', title: 'Took', align: 'right', cell: (row) => row.kind === 'run' && duration(row.durationMs) },
    {
      id: 'late',
      title: '',
      cell: (row) =>
        row.kind === 'run' &&
        row.late && (
          <span style={{ color: 'var(--late)', display: 'inline-flex', gap: 5, alignItems: 'center' }}>
            <StateMark mark="late" size={12} /> late
          </span>
        ),
    },
    {
      id: 'run',
      title: 'Run',
      align: 'right',
      cell: (row) =>
        row.kind === 'run' ? (
          <Link href={`/runs/${row.id}`}>#{row.id}</Link>
        ) : (
          row.runId !== null && <Link href={`/runs/${row.runId}`}>#{row.runId}</Link>
        ),
    },
    {
      id: 'by',
      title: 'By',
      cell: (row) => row.kind === 'run' && <By row={row} />,
    },
  ]
  return (
    <>
      <Trouble error={query.error} />
      <Table
        label="History"
        columns={columns}
        rows={rows}
        onOpen={(row) => {
          const run = row.kind === 'run' ? row.id : row.runId
          if (run !== null) router.push(`/runs/${run}`)
        }}
        isDim={(row) => row.kind !== 'run'}
        foot={<div ref={end} style={{ height: 1 }} />}
      />
    </>
  )
}

function By({ row: { event, starter, version } }: { row: Extract<HistoryRow, { kind: 'run' }> }): ReactNode {
  return <Small>{event ? <EventWords event={event} /> : (starter ?? `its rule, version ${version}`)}</Small>
}

function StartedAfter({ at, startedAt, zone }: { at: string; startedAt: string; zone: string }): ReactNode {
  const lag = Date.parse(startedAt) - Date.parse(at)
  return <span title={exact(startedAt, zone)}>{lag < 1000 ? 'at once' : `${duration(lag)} after`}</span>
}
