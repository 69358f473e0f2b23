import type { Day } from './days'
import type { HolidayQuery } from './rule'

export interface Holiday {
  readonly day: Day
  readonly name: string
}

/** Where holidays come from; the computation itself knows none. */
export interface HolidaySource {
  /** The holidays that begin in this year and fit the query, one entry for each day, ascending. */
  readonly holidays: (query: HolidayQuery, year: number) => readonly Holiday[]
}

/** For rules that name no holidays. */
export const NO_HOLIDAYS: HolidaySource = { holidays: () => [] }
