import type { RunState } from '../run/lifecycle'
import { hasEnded } from '../run/lifecycle'
import type { Zone } from '../timing/zone'
import type { Period } from './period'

/** A run as reports see it. Instants and lengths in milliseconds. */
export interface RunFact {
  readonly id: number
  readonly jobId: number
  readonly title: string
  readonly areaId: number
  readonly area: string
  readonly isFlow: boolean
  /** The flow run whose step it is; null: it stands by itself. */
  readonly flowRunId: number | null
  /** The flows around it, as jobs. */
  readonly within: readonly number[]
  readonly state: RunState
  readonly agent: string | null
  readonly pool: string | null
  readonly slots: number
  readonly createdAtMs: number
  readonly readyAtMs: number | null
  readonly startedAtMs: number | null
  readonly endedAtMs: number | null
  readonly durationMs: number | null
  readonly dueAtMs: number | null
  readonly foreseenAtMs: number | null
  readonly reason: string
}

/** What a kind of report is told beside the runs. */
export interface Frame {
  readonly period: Period
  readonly zone: Zone
  readonly nowMs: number
  /** Filters of the report, as they stand in the address of Runs. */
  readonly filter: Readonly<Record<string, string>>
}

/**
 * Takes runs one after the other, in the order in which they were created, and says at the end what came of them: memory does not grow with the runs, but for what a table of them shows.
 * A run belongs to the instant at which it was created: so is the list of runs filtered to which figures lead.
 */
export interface RunTaker<Result> {
  readonly take: (run: RunFact) => void
  readonly finish: () => Result
}

export const OUTCOMES = ['succeeded', 'failed', 'lost', 'cancelled', 'skipped', 'open'] as const
export type Outcome = (typeof OUTCOMES)[number]
export const outcomeOf = (state: RunState): Outcome => (hasEnded(state) ? (state as Outcome) : 'open')
const OPEN_STATES = 'waiting,ready,running'
const statesOf = (outcome: Outcome): string => (outcome === 'open' ? OPEN_STATES : outcome)

const iso = (ms: number): string => new Date(ms).toISOString()

/** The list of the runs that a figure counts. @param more filters beside the report’s own and the stretch */
export function runsHref(
  { filter, period }: Pick<Frame, 'filter' | 'period'>,
  more: Readonly<Record<string, string | number>> = {},
  stretch: { readonly fromMs: number; readonly toMs: number } = period,
): string {
  const values = { ...filter, ...more, from: iso(stretch.fromMs), to: iso(stretch.toMs) }
  return `/runs?${new URLSearchParams(Object.entries(values).map(([key, value]) => [key, String(value)])).toString()}`
}

export const outcomesHref = (
  frame: Pick<Frame, 'filter' | 'period'>,
  outcomes: readonly Outcome[],
  more: Readonly<Record<string, string | number>> = {},
  stretch?: { readonly fromMs: number; readonly toMs: number },
): string => runsHref(frame, { ...more, state: outcomes.map(statesOf).join(',') }, stretch)

/** Mean, longest and how many, in constant memory. */
export class Lengths {
  n = 0
  sumMs = 0
  mostMs = 0

  add(ms: number): void {
    this.n++
    this.sumMs += ms
    this.mostMs = Math.max(this.mostMs, ms)
  }

  get meanMs(): number | null {
    return this.n === 0 ? null : this.sumMs / this.n
  }
}
