'use client'
import { useQuery } from '@tanstack/react-query'
import type { ReactNode } from 'react'
import type { RunPage, RunRow } from '@/service/runs/run-list'
import { api, queryOf } from '@/ui/api'
import { count, duration } from '@/ui/format'
import { Empty, Panel, Row, Small, Spring, Trouble } from '@/ui/parts/layout'
import { Link } from '@/ui/parts/link'
import { Select } from '@/ui/parts/select'
import { StateWord } from '@/ui/parts/state-mark'
import { Table, type Column } from '@/ui/parts/table'
import { Time } from '@/ui/parts/time'

/** What can be seen beside a run: which runs these are, and what is said where there are none. */
const WHATS = {
  steps: { title: 'its steps', none: 'It is no flow: it has no steps.' },
  job: { title: 'the same job', none: 'Its job has not run at another time.' },
  machine: { title: 'its machine then', none: 'No machine has had it yet.' },
  trigger: { title: 'its trigger', none: 'No trigger started it.' },
  failures: { title: 'earlier failures', none: 'Its job has not failed before.' },
} as const
type What = keyof typeof WHATS
const isWhat = (word: string): word is What => word in WHATS

/** So far around a run its machine is looked at. */
const AROUND_MS = 1_800_000
const MOST = 50

/** Which runs are asked for; null: there are none of that kind. */
function askedFor(what: What, run: RunRow): Record<string, string> | null {
  const most = { limit: String(MOST) }
  switch (what) {
    case 'steps':
      return run.kind === 'flow' ? { ...most, flow: String(run.id), dir: 'asc' } : null
    case 'job':
      return { ...most, job: String(run.jobId), steps: 'yes' }
    case 'failures':
      return { ...most, job: String(run.jobId), state: 'failed,lost', steps: 'yes', to: run.createdAt }
    case 'trigger':
      return run.triggerId === null ? null : { ...most, trigger: String(run.triggerId) }
    case 'machine': {
      if (run.agentId === null) return null
      const begun = new Date(run.startedAt ?? run.createdAt).getTime()
      const over = run.endedAt === null ? Date.now() : new Date(run.endedAt).getTime()
      return {
        ...most,
        agent: String(run.agentId),
        steps: 'yes',
        from: new Date(begun - AROUND_MS).toISOString(),
        to: new Date(over + AROUND_MS).toISOString(),
      }
    }
  }
}

const COLUMNS: readonly Column<RunRow>[] = [
  { id: 'number', title: 'Run', cell: (r) => <Link href={`/runs/${r.id}`}>#{r.id}</Link> },
  { id: 'state', title: 'State', cell: (r) => <StateWord mark={r.state} word={r.state} /> },
  { id: 'title', title: 'Job', cell: (r) => r.title, maxWidth: 150 },
  { id: 'started', title: 'Started', cell: (r) => (r.startedAt ? <Time at={r.startedAt} /> : '') },
  { id: 'took', title: 'Took', align: 'right', cell: (r) => (r.durationMs === null ? '' : duration(r.durationMs)) },
]

/** Chooses what is seen beside a run. */
export function BesideSelect({
  value,
  onChange,
}: {
  value: string | undefined
  onChange: (what: string | null) => void
}): ReactNode {
  return (
    <Select
      label="Beside a run"
      hideLabel
      value={value !== undefined && isWhat(value) ? value : ''}
      onChange={(what) => onChange(what || null)}
      choices={[
        { id: '', title: 'nothing beside' },
        ...Object.entries(WHATS).map(([id, { title }]) => ({ id, title })),
      ]}
      width="155px"
    />
  )
}

/** What a chosen run has to do with others. */
export function BesideRun({ what, row }: { what: string; row: RunRow | undefined }): ReactNode {
  const asked = row && isWhat(what) ? askedFor(what, row) : null
  const { data, error } = useQuery({
    queryKey: ['runs', 'beside', asked],
    queryFn: () => api.get<RunPage>(`/runs${queryOf(asked ?? {})}`),
    enabled: asked !== null,
    placeholderData: (before) => before,
  })
  if (!isWhat(what)) return null
  const rows = asked ? (data?.rows ?? []).filter(({ id }) => id !== row?.id) : []
  return (
    <Panel
      style={{ width: 470, flex: 'none', minHeight: 0, display: 'flex', flexDirection: 'column' }}
      aria-label={`Beside: ${WHATS[what].title}`}
      role="region"
    >
      <Row style={{ padding: '8px 12px' }}>
        {row ? (
          <>
            <h2>{row.title}</h2>
            <Link href={`/runs/${row.id}`}>#{row.id}</Link>
            <Spring />
            <Small>
              {WHATS[what].title}
              {rows.length > 0 && `: ${count(rows.length, 'run')}${data?.next ? ' and more' : ''}`}
            </Small>
          </>
        ) : (
          <h2>Beside a run</h2>
        )}
      </Row>
      <Trouble error={error} />
      {!row ? (
        <Empty title="Choose a run">Press Enter on a row, or click it, to see {WHATS[what].title}.</Empty>
      ) : asked === null || (data && rows.length === 0) ? (
        <Empty title="Nothing">{WHATS[what].none}</Empty>
      ) : (
        <Table label={`Beside #${row.id}`} rows={rows} columns={COLUMNS} />
      )}
    </Panel>
  )
}
