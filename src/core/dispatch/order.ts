import { PRIORITIES, type ReadyRun } from './types'

/** Each full 30 minutes of waiting raise a run by one level. */
export const AGEING_STEP_MS = 30 * 60_000
const HIGH = PRIORITIES.indexOf('high')

/** 0 (urgent) to 3 (low) at this instant. Age lifts to high at most: nothing overtakes urgent work by waiting. */
export function levelAt(run: ReadyRun, nowMs: number): number {
  const own = PRIORITIES.indexOf(run.priority)
  if (own <= HIGH) return own
  const raised = Math.floor(Math.max(0, nowMs - run.readyAtMs) / AGEING_STEP_MS)
  return Math.max(HIGH, own - raised)
}

/** The next instant at which age changes the run's level; Infinity when it no longer does. */
export function nextLevelChangeMs(run: ReadyRun, nowMs: number): number {
  if (levelAt(run, nowMs) <= HIGH) return Infinity
  const waited = Math.max(0, nowMs - run.readyAtMs)
  return run.readyAtMs + (Math.floor(waited / AGEING_STEP_MS) + 1) * AGEING_STEP_MS
}

/** Latest start that still meets the deadline; `now` is the same for all, so this orders by slack. No deadline: last. */
function latestStartMs(run: ReadyRun): number {
  return run.dueAtMs === null ? Infinity : run.dueAtMs - run.chainMs
}

/** A run's turn at an instant, worked out once for many comparisons. */
export interface Turn {
  readonly run: ReadyRun
  readonly level: number
  readonly latestStartMs: number
  readonly readyAtMs: number
}

export function turnOf(run: ReadyRun, nowMs: number): Turn {
  return { run, level: levelAt(run, nowMs), latestStartMs: latestStartMs(run), readyAtMs: run.readyAtMs }
}

/** Who goes first: level, slack, since when ready, number. A total order, since numbers are unique. */
export function compareTurns(a: Turn, b: Turn): number {
  if (a.level !== b.level) return a.level - b.level
  if (a.latestStartMs !== b.latestStartMs) return a.latestStartMs < b.latestStartMs ? -1 : 1
  if (a.readyAtMs !== b.readyAtMs) return a.readyAtMs - b.readyAtMs
  return a.run.number - b.run.number
}

/** Start + usual length if that is still to come, else the next second. */
export function expectedEndMs(startedAtMs: number, usualMs: number, nowMs: number): number {
  const end = startedAtMs + usualMs
  return end > nowMs ? end : (Math.floor(nowMs / 1000) + 1) * 1000
}
