import type { Schedule } from './schedule'
import type { Instant } from './zone'

export interface Cadence {
  /** Mean over the time looked at. */
  readonly runsPerDay: number
  /** The most that one day writes. */
  readonly mostInADay: number
  /** The usual distance of one to the next, seconds: the median; null with fewer than two. */
  readonly gapSeconds: number | null
}

const DAY = 86_400
const MOST = 20_000
/** A whole year, so that seasons and month ends weigh as much as they do. */
const LOOKED_AT_DAYS = 364

/** How often a schedule fires from an instant on, looked at over a year or `most` occurrences. */
export function cadenceOf(schedule: Schedule, from: Instant, most = MOST): Cadence {
  const found = schedule.between(from, from + LOOKED_AT_DAYS * DAY, most)
  const last = found.at(-1)
  if (!last) return { runsPerDay: 0, mostInADay: 0, gapSeconds: null }
  const isCut = found.length === most
  // So many that less than a year was looked at: two days in full say how many one day has, and how many there are in the mean.
  const whole = isCut ? schedule.between(last.at, last.at + 3 * DAY) : found
  const ofDay = new Map<number, number>()
  for (const { day } of whole) ofDay.set(day, (ofDay.get(day) ?? 0) + 1)
  const days = isCut ? Math.max(1, (last.at - from) / DAY) : LOOKED_AT_DAYS
  const runsPerDay = isCut && last.at - from < DAY ? whole.length / 3 : found.length / days
  const gaps = found
    .slice(1, 500)
    .map((o, i) => o.at - (found[i] as { at: number }).at)
    .sort((a, b) => a - b)
  return {
    runsPerDay,
    mostInADay: Math.max(...ofDay.values()),
    gapSeconds: gaps[Math.floor(gaps.length / 2)] ?? null,
  }
}

/** Kinds of cadence that lists can be narrowed down to, by the usual distance in seconds: from (included), to (excluded). */
export const CADENCES = {
  'under-30-minutes': [0, 1800],
  'under-an-hour': [1800, 3600],
  hourly: [3600, 7200],
  'several-a-day': [7200, 72_000],
  daily: [72_000, 2 * DAY],
  weekly: [2 * DAY, 10 * DAY],
  monthly: [10 * DAY, 45 * DAY],
  rarer: [45 * DAY, Infinity],
} as const
export type CadenceKind = keyof typeof CADENCES

export const CADENCE_WORDS: Readonly<Record<CadenceKind, string>> = {
  'under-30-minutes': 'more often than every 30 minutes',
  'under-an-hour': 'every 30 minutes to an hour',
  hourly: 'every hour or two',
  'several-a-day': 'several times a day',
  daily: 'daily',
  weekly: 'weekly',
  monthly: 'monthly',
  rarer: 'rarer',
}
