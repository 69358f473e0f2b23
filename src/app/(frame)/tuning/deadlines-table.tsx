'use client'
import type { ReactNode } from 'react'
import { occurrenceKey, type ForecastDeadline, type ForecastRun } from '@/core/forecast/report'
import type { Names } from '@/service/forecast/nights'
import { clock, day, exact } from '@/ui/format'
import { useMe } from '@/ui/hooks/me'
import { useAtNow } from '@/ui/hooks/now'
import { Small } from '@/ui/parts/layout'
import { Link } from '@/ui/parts/link'
import { StateMark } from '@/ui/parts/state-mark'
import { Table, type Column } from '@/ui/parts/table'
import { chainOf, decidedWords, margin, percent, triggerTitle } from './words'

interface Row {
  readonly id: string
  readonly deadline: ForecastDeadline
  /** The same deadline with changes. */
  readonly after: ForecastDeadline | undefined
}

/** Deadlines with their chances; with `after` beside them what they are with changes. */
export function DeadlinesTable({
  label,
  deadlines,
  after,
  runs,
  names,
  limits,
  onOpen,
  more = [],
}: {
  label: string
  deadlines: readonly ForecastDeadline[]
  after?: readonly ForecastDeadline[] | undefined
  runs: readonly ForecastRun[]
  names: Names
  limits: { readonly amber: number; readonly red: number }
  onOpen?: (deadline: ForecastDeadline) => void
  more?: readonly Column<Row>[]
}): ReactNode {
  const changed = new Map(after?.map((deadline) => [occurrenceKey(deadline), deadline]))
  // A moved start has another occurrence: of its trigger the one with the same due is it.
  const byDue = new Map(
    after?.map((deadline) => [`${deadline.trigger} ${deadline.due} ${deadline.machine ?? ''}`, deadline]),
  )
  const isRisky = ({ chance = 1 }: ForecastDeadline): boolean => chance * 100 < limits.amber
  // What is at risk stands first, the rest as it is due.
  const ordered = [...deadlines].sort(
    (a, b) => Number(isRisky(b)) - Number(isRisky(a)) || (a.due < b.due ? -1 : a.due > b.due ? 1 : 0),
  )
  const rows = ordered.map((deadline): Row => ({
    id: occurrenceKey(deadline),
    deadline,
    after:
      changed.get(occurrenceKey(deadline)) ??
      byDue.get(`${deadline.trigger} ${deadline.due} ${deadline.machine ?? ''}`),
  }))
  const colour = (chance: number | undefined): string | undefined =>
    chance === undefined || chance * 100 >= limits.amber
      ? undefined
      : chance * 100 < limits.red
        ? 'var(--failed)'
        : 'var(--late)'
  const chance = (of: ForecastDeadline | undefined): ReactNode =>
    of?.chance === undefined ? '—' : <b style={{ color: colour(of.chance) }}>{percent(of.chance)}</b>
  return (
    <Table
      label={label}
      rows={rows}
      {...(onOpen ? { onOpen: ({ deadline }: Row) => onOpen(deadline) } : {})}
      columns={[
        {
          id: 'trigger',
          title: 'Deadline',
          maxWidth: 260,
          cell: ({ deadline }) => {
            const known = names.triggers[deadline.trigger]
            const isRisk = (deadline.chance ?? (deadline.late ? 0 : 1)) * 100 < limits.amber
            return (
              <span style={{ display: 'inline-flex', gap: 7, alignItems: 'center' }}>
                <StateMark mark={isRisk ? 'late' : 'succeeded'} />
                {known ? (
                  <Link href={`/timing/triggers/${known.id}`}>
                    <b>{known.title}</b>
                  </Link>
                ) : (
                  <b>{triggerTitle(names, deadline.trigger)}</b>
                )}
                {deadline.machine && <Small>{deadline.machine}</Small>}
              </span>
            )
          },
        },
        { id: 'due', title: 'Due', cell: ({ deadline }) => <At at={deadline.due} /> },
        {
          id: 'chance',
          title: after ? 'Chance now' : 'Chance',
          align: 'right',
          cell: ({ deadline }) => chance(deadline),
        },
        ...(after
          ? [{ id: 'after', title: 'With it', align: 'right' as const, cell: (row: Row) => chance(row.after) }]
          : []),
        {
          id: 'finish',
          title: 'Finish, nine in ten by',
          cell: ({ deadline, after: is }) => <Finish deadline={is ?? deadline} />,
        },
        {
          id: 'margin',
          title: 'Margin',
          align: 'right',
          cell: ({ deadline, after: is }) => margin(marginOf(is ?? deadline)),
        },
        {
          id: 'decided',
          title: 'Decided by',
          maxWidth: 330,
          cell: ({ deadline }) => {
            const words = decidedWords(names, chainOf({ runs }, deadline))
            return (
              <Small title={words}>
                {words || (deadline.finish === null ? 'It does not finish in this stretch.' : '')}
              </Small>
            )
          },
        },
        ...more,
      ]}
    />
  )
}

/** To what is shown as the likely finish. Seconds. */
const marginOf = ({ due, finish, finishP50 }: ForecastDeadline): number | null => {
  const likely = finishP50 ?? finish
  return likely ? (Date.parse(due) - Date.parse(likely)) / 1000 : null
}

const LONG_MS = 20 * 3_600_000

/** The time alone where no other day can be meant: within twenty hours from now. */
function At({ at }: { at: string }): ReactNode {
  const { zone } = useMe()
  const isNear = useAtNow((now) => Math.abs(Date.parse(at) - now) < LONG_MS)
  return <span title={exact(at, zone)}>{isNear ? clock(at, zone) : `${day(at, zone)} ${clock(at, zone)}`}</span>
}

/** The likely finish, and by when it has ended in nine of ten samples; where the due time lies between them is seen at once. */
function Finish({ deadline: { finish, finishP50, finishP90, due } }: { deadline: ForecastDeadline }): ReactNode {
  const likely = finishP50 ?? finish
  if (!likely) return '—'
  const [a, b, end] = [Date.parse(likely), Date.parse(finishP90 ?? likely), Date.parse(due)]
  const span = Math.max(b, end) - a
  const at = (ms: number): number => (span <= 0 ? 0 : Math.max(0, Math.min(1, (ms - a) / span)) * 56)
  return (
    <span style={{ display: 'inline-flex', gap: 8, alignItems: 'center' }}>
      <At at={likely} />
      <svg width="60" height="12" aria-hidden="true">
        <line x1="2" x2="58" y1="6" y2="6" stroke="var(--line-strong)" />
        <rect x="2" y="3" width={Math.max(2, at(b))} height="6" fill={b > end ? 'var(--late)' : 'var(--running)'} />
        <line x1={2 + at(end)} x2={2 + at(end)} y1="0" y2="12" stroke="var(--ink)" strokeWidth="1.5" />
      </svg>
      {finishP90 && <At at={finishP90} />}
    </span>
  )
}
