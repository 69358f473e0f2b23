import type { Day } from '../calendar/days'

/** What a time rule of local times gives, day by day. */
export interface DayTimes {
  /** Whether the day can have any. */
  readonly fits: (day: Day) => boolean
  /**
   * Seconds since the day's midnight, ascending. Written one by one: a reader that has enough leaves off; those before `from` may be
   * passed over.
   */
  readonly timesOn: (day: Day, from: number) => Iterable<number>
}

/** So many are kept as a list; more are worked out as they are asked for. */
export const MOST_LISTED = 1440
