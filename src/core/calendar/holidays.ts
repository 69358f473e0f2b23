import type { Day } from './days'
import type { HolidayWish } from './rule'

export interface Holiday {
  readonly day: Day
  readonly name: string
}

/** Where holidays come from; the computation itself knows none. */
export interface HolidaySource {
  /** The holidays that begin in this year and fit the wish, one entry for each day, ascending. */
  readonly holidays: (wish: HolidayWish, year: number) => readonly Holiday[]
}

/** For rules that name no holidays. */
export const NO_HOLIDAYS: HolidaySource = { holidays: () => [] }
