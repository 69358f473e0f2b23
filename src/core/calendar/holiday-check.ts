import type { HolidayQuery } from './rule'

export interface HolidayFault {
  readonly key: 'country' | 'region'
  readonly message: string
}

let check: ((query: HolidayQuery) => HolidayFault | null) | null = null

/** Hands over the check; the data of all countries (`holiday-data.ts`) does so where it is loaded. */
export function checkHolidaysWith(given: (query: HolidayQuery) => HolidayFault | null): void {
  check = given
}

/**
 * What the holiday data does not know about the query, as a sentence; null: it knows all, or the data is not there. A page of the browser does without it (a quarter of a megabyte): there
 * the server has the word.
 */
export const holidayFaultIfKnown = (query: HolidayQuery): HolidayFault | null => check?.(query) ?? null
