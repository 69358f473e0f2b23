import type { HolidayWish } from './rule'

export interface HolidayFault {
  readonly key: 'country' | 'region'
  readonly message: string
}

let check: ((wish: HolidayWish) => HolidayFault | null) | null = null

/** Hands over the check; the data of all countries (`holiday-data.ts`) does so where it is loaded. */
export function checkHolidaysWith(given: (wish: HolidayWish) => HolidayFault | null): void {
  check = given
}

/**
 * What the holiday data does not know about the wish, as a sentence; null: it knows all, or the data is not there. A page of the browser does without it (a quarter of a megabyte): there
 * the server has the word.
 */
export const holidayFaultIfKnown = (wish: HolidayWish): HolidayFault | null => check?.(wish) ?? null
