/**
 * Days as whole numbers: 0 is 1970-01-01, proleptic Gregorian (ISO 8601). The days of the years 0001 to 9999 exist, no others.
 * The conversions are those of H. Hinnant, "chrono-Compatible Low-Level Date Algorithms".
 */
export type Day = number

export interface CivilDate {
  readonly year: number
  /** 1 to 12 */
  readonly month: number
  /** 1 to 31 */
  readonly day: number
}

export const DAY_SECONDS = 86_400
export const WEEKDAYS = ['MO', 'TU', 'WE', 'TH', 'FR', 'SA', 'SU'] as const
export type Weekday = (typeof WEEKDAYS)[number]

export function dayOf(year: number, month: number, day: number): Day {
  const y = month <= 2 ? year - 1 : year
  const era = Math.floor(y / 400)
  const yearOfEra = y - era * 400
  const dayOfYear = Math.floor((153 * (month + (month > 2 ? -3 : 9)) + 2) / 5) + day - 1
  const dayOfEra = yearOfEra * 365 + Math.floor(yearOfEra / 4) - Math.floor(yearOfEra / 100) + dayOfYear
  return era * 146_097 + dayOfEra - 719_468
}

export function civil(day: Day): CivilDate {
  const z = day + 719_468
  const era = Math.floor(z / 146_097)
  const dayOfEra = z - era * 146_097
  const yearOfEra = Math.floor(
    (dayOfEra - Math.floor(dayOfEra / 1460) + Math.floor(dayOfEra / 36_524) - Math.floor(dayOfEra / 146_096)) / 365,
  )
  const dayOfYear = dayOfEra - (365 * yearOfEra + Math.floor(yearOfEra / 4) - Math.floor(yearOfEra / 100))
  const shifted = Math.floor((5 * dayOfYear + 2) / 153)
  const month = shifted < 10 ? shifted + 3 : shifted - 9
  return {
    year: yearOfEra + era * 400 + (month <= 2 ? 1 : 0),
    month,
    day: dayOfYear - Math.floor((153 * shifted + 2) / 5) + 1,
  }
}

export const FIRST_DAY: Day = dayOf(1, 1, 1)
export const LAST_DAY: Day = dayOf(9999, 12, 31)

export const isLeapYear = (year: number): boolean => (year % 4 === 0 && year % 100 !== 0) || year % 400 === 0

const MONTH_LENGTHS = [31, 28, 31, 30, 31, 30, 31, 31, 30, 31, 30, 31]
/** Days of the month, 28 to 31. */
export function monthLength(year: number, month: number): number {
  return month === 2 && isLeapYear(year) ? 29 : (MONTH_LENGTHS[month - 1] as number)
}

/** 0 (Monday) to 6 (Sunday). */
export function weekdayIndex(day: Day): number {
  return (((day + 3) % 7) + 7) % 7
}

const pad = (n: number, width: number): string => String(n).padStart(width, '0')

/** `2027-03-09` */
export function isoDay(day: Day): string {
  const { year, month, day: dayOfMonth } = civil(day)
  return `${pad(year, 4)}-${pad(month, 2)}-${pad(dayOfMonth, 2)}`
}

/** The day that an ISO date of the years 0001 to 9999 names; undefined for anything else. */
export function parseIsoDay(text: string): Day | undefined {
  const parts = /^(\d{4})-(\d{2})-(\d{2})$/.exec(text)
  if (!parts) return undefined
  const [year, month, day] = [Number(parts[1]), Number(parts[2]), Number(parts[3])]
  if (year < 1 || month < 1 || month > 12 || day < 1 || day > monthLength(year, month)) return undefined
  return dayOf(year, month, day)
}

/** Seconds since midnight of `HH:MM` or `HH:MM:SS`, 00:00 to 23:59:59; undefined for anything else. */
export function parseTimeOfDay(text: string): number | undefined {
  const parts = /^([01]\d|2[0-3]):([0-5]\d)(?::([0-5]\d))?$/.exec(text)
  return parts ? Number(parts[1]) * 3600 + Number(parts[2]) * 60 + Number(parts[3] ?? 0) : undefined
}

/** `18:30`, with seconds only if they are not 00. */
export function timeOfDay(seconds: number): string {
  const text = `${pad(Math.floor(seconds / 3600), 2)}:${pad(Math.floor(seconds / 60) % 60, 2)}`
  return seconds % 60 === 0 ? text : `${text}:${pad(seconds % 60, 2)}`
}

export type PeriodUnit = 'week' | 'month' | 'quarter' | 'year'

/**
 * The whole week (Monday to Sunday), month, quarter or year that holds the day, both ends included. Quarters and years begin
 * with the month `yearStart`.
 */
export function periodAround(day: Day, unit: PeriodUnit, yearStart = 1): readonly [Day, Day] {
  if (unit === 'week') {
    const monday = day - weekdayIndex(day)
    return [monday, monday + 6]
  }
  const { year, month } = civil(day)
  const length = unit === 'month' ? 1 : unit === 'quarter' ? 3 : 12
  const months = year * 12 + month - 1
  const offset = unit === 'month' ? 0 : yearStart - 1
  const first = Math.floor((months - offset) / length) * length + offset
  return [firstOfMonth(first), firstOfMonth(first + length) - 1]
}

/** The first day of a month counted from year 0. */
function firstOfMonth(months: number): Day {
  return dayOf(Math.floor(months / 12), (((months % 12) + 12) % 12) + 1, 1)
}
