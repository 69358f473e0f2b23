/** What becomes of occurrences whose instant has passed. Instants are milliseconds since the epoch. */

/** Handled within this time an occurrence was not late at all. */
export const ON_TIME_MS = 60_000
/** How late a start is still made up where the trigger says nothing. */
export const DEFAULT_ALLOWANCE_MS = 3_600_000

export interface Due<Occurrence> {
  /** Ascending; all at or before `nowMs`. */
  readonly occurrences: readonly Occurrence[]
  readonly atMs: (occurrence: Occurrence) => number
  readonly nowMs: number
  /** How late a missed occurrence may still be started. */
  readonly allowanceMs: number
  /** Of several that were missed: one start for all of them, or one for each. */
  readonly makeUp: 'once' | 'each'
  /** Starts by triggers are switched off: what may still be made up later waits. */
  readonly startsOff: boolean
}

export interface Decision<Occurrence> {
  readonly start: readonly Occurrence[]
  readonly late: readonly Occurrence[]
  /** Missed, and made up for by one of those that start. */
  readonly madeUp: readonly Occurrence[]
  /** Still to be decided, once starts are switched on again; ascending. */
  readonly waiting: readonly Occurrence[]
}

/**
 * Those later than the allowance are not started. Of the others those on time start; missed ones start each, or, made up once, only the newest, and
 * none if another is on time.
 */
export function decideDue<Occurrence>({
  occurrences,
  atMs,
  nowMs,
  allowanceMs,
  makeUp,
  startsOff,
}: Due<Occurrence>): Decision<Occurrence> {
  const age = (occurrence: Occurrence): number => nowMs - atMs(occurrence)
  const late = occurrences.filter((o) => age(o) > Math.max(allowanceMs, ON_TIME_MS))
  const possible = occurrences.slice(late.length)
  if (startsOff) return { start: [], late, madeUp: [], waiting: possible }
  const missed = possible.filter((o) => age(o) > ON_TIME_MS)
  const onTime = possible.slice(missed.length)
  if (makeUp === 'each' || missed.length === 0) return { start: possible, late, madeUp: [], waiting: [] }
  const start = onTime.length > 0 ? onTime : missed.slice(-1)
  return { start, late, madeUp: onTime.length > 0 ? missed : missed.slice(0, -1), waiting: [] }
}
