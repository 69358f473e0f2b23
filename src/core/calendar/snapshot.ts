import type { Calendar } from './calendars'
import { isoDay, parseIsoDay } from './days'
import { holidayKey, SHIPPED_HOLIDAYS, SHIPPED_HOLIDAYS_VERSION } from './holiday-data'
import type { Holiday, HolidaySource } from './holidays'
import { innerRules, type DayRule, type HolidayQuery } from './rule'

/** The holidays a calendar was made from: for each query, for each year, days and names. */
export interface HolidaySnapshot {
  /** Version of the holiday data. */
  readonly version: string
  /** By `holidayKey`, then by year; stored under this name. */
  readonly wishes: Readonly<Record<string, Readonly<Record<string, readonly (readonly [string, string])[]>>>>
}

/** A calendar as it is kept. */
export interface StoredCalendar {
  readonly id: number
  readonly slug: string
  readonly title: string
  readonly rule: DayRule
  readonly version: number
  readonly holidays: HolidaySnapshot | null
}

const YEARS_BACK = 1
const YEARS_AHEAD = 10

/** What the shipped data says now of all holidays that the rule names itself; null if it names none. */
export function snapshotFor(rule: DayRule, year: number): HolidaySnapshot | null {
  const queries = new Map<string, HolidayQuery>()
  const look = (each: DayRule): void => {
    if ('holidays' in each) queries.set(holidayKey(each.holidays), each.holidays)
    for (const inner of innerRules(each)) look(inner.rule)
  }
  look(rule)
  if (queries.size === 0) return null
  const years = Array.from({ length: YEARS_BACK + YEARS_AHEAD + 1 }, (_, i) => year - YEARS_BACK + i)
  const entries = [...queries].map(([key, query]) => [
    key,
    Object.fromEntries(
      years.map((each) => [each, SHIPPED_HOLIDAYS.holidays(query, each).map(({ day, name }) => [isoDay(day), name])]),
    ),
  ])
  return { version: SHIPPED_HOLIDAYS_VERSION, wishes: Object.fromEntries(entries) as HolidaySnapshot['wishes'] }
}

/** Holidays as they were when the calendar was made; years beyond come from the shipped data. */
export function snapshotSource(snapshot: HolidaySnapshot): HolidaySource {
  return {
    holidays: (query, year) => {
      const kept = snapshot.wishes[holidayKey(query)]?.[year]
      if (!kept) return SHIPPED_HOLIDAYS.holidays(query, year)
      return kept.map(([day, name]): Holiday => ({ day: parseIsoDay(day) as number, name }))
    },
  }
}

export function calendarFor({
  slug,
  title,
  rule,
  holidays,
}: Pick<StoredCalendar, 'slug' | 'title' | 'rule' | 'holidays'>): Calendar {
  return { id: slug, title, days: rule, ...(holidays ? { holidays: snapshotSource(holidays) } : {}) }
}
