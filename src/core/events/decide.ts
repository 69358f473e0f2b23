import { DAY_SECONDS, parseIsoDay, type Day } from '../calendar/days'
import type { DaySet } from '../calendar/day-set'
import { isInHours, outOfHours } from '../fleet/hours'
import { parseDuration } from '../timing/duration'
import type { Zone } from '../timing/zone'
import type { After, Backlog } from './kinds'

/** What waits in a queue, and what the trigger has under way. */
export interface BacklogSeen {
  /** Items that may be taken now. */
  readonly waiting: number
  /** How long ago the first of them came, seconds; null: none waits. */
  readonly oldestSeconds: number | null
  /** Open runs of the trigger. */
  readonly open: number
}

/** How many runs are to be started now. */
export function backlogStarts({ atLeast, orOldest, perRun, most }: Backlog, seen: BacklogSeen): number {
  const { waiting, open } = seen
  if (waiting === 0) return 0
  const longest = orOldest === undefined ? undefined : parseDuration(orOldest)
  const isOld = longest !== undefined && (seen.oldestSeconds ?? 0) >= longest
  // Once it is under way, one item is enough for the last run to go on with.
  if (open === 0 && waiting < atLeast && !isOld) return 0
  return Math.max(0, Math.min(most, Math.ceil(waiting / perRun)) - open)
}

/** More than so many that wait make no difference. */
export const mostCounted = ({ atLeast, perRun, most }: Backlog): number => Math.max(atLeast, perRun * most)

/** How many starts a rate lets through now, and when it lets through one more. */
export function rateLeft(
  atMost: { readonly starts: number; readonly in: string } | undefined,
  /** Instants of starts before, in any order, milliseconds since the epoch. */
  startedMs: readonly number[],
  nowMs: number,
): { readonly left: number; readonly againMs: number | null } {
  if (!atMost) return { left: Infinity, againMs: null }
  const stretch = (parseDuration(atMost.in) as number) * 1000
  const recent = startedMs.filter((at) => at > nowMs - stretch).sort((a, b) => a - b)
  const left = Math.max(0, atMost.starts - recent.length)
  // The one that is the first to be so long ago that one more fits.
  const first = recent[recent.length - atMost.starts]
  return { left, againMs: left > 0 || first === undefined ? null : first + stretch }
}

/** When a trigger by events may start something. */
export interface EventDays {
  readonly zone: Zone
  /** null: every day. */
  readonly eligible: DaySet | null
  readonly from?: string | undefined
  readonly until?: string | undefined
  readonly between?: { readonly earliest: string; readonly latest: string } | undefined
}

export type Opening =
  | { readonly is: 'open'; readonly day: Day }
  /** Not at this time of the day: it waits. Milliseconds since the epoch; null: for good. */
  | { readonly is: 'waits'; readonly untilMs: number | null }
  | { readonly is: 'not on this day'; readonly day: Day }

/** Whether it may start something at this instant (milliseconds since the epoch). The day is that on which the stretch between its two times began. */
export function openingAt({ zone, eligible, from, until, between }: EventDays, nowMs: number): Opening {
  const now = nowMs / 1000
  const local = zone.localAt(now)
  let day = Math.floor(local / DAY_SECONDS)
  if (between) {
    if (!isInHours(between, null, zone, now)) {
      const out = outOfHours(between, null, zone, now, now + 3 * DAY_SECONDS)[0]
      return { is: 'waits', untilMs: out ? out.to * 1000 : null }
    }
    // After midnight a stretch that goes past it is still that of the day before.
    if (between.latest < between.earliest && !isInHours({ earliest: between.earliest, latest: null }, null, zone, now))
      day--
  }
  const isWithin =
    (from === undefined || day >= (parseIsoDay(from) as Day)) &&
    (until === undefined || day <= (parseIsoDay(until) as Day))
  return isWithin && (eligible?.has(day) ?? true) ? { is: 'open', day } : { is: 'not on this day', day }
}

/** Whether a run that has ended so is one of those that are waited for. */
export const endFits = (when: After['when'], state: string): boolean =>
  when === 'changed' || state === 'changed'
    ? when === state
    : when === 'ended' || (when === 'succeeded' ? state === 'succeeded' : state === 'failed' || state === 'lost')

/** Runs that one ending led to may lead to others, and so on: so many in a row. */
export const MOST_CHAINED = 50
