import { Timings } from '@/core/bundle/timings'
import type { Calendar } from '@/core/calendar/calendars'
import { isoDay, parseIsoDay } from '@/core/calendar/days'
import { holidayKey, SHIPPED_HOLIDAYS, SHIPPED_HOLIDAYS_VERSION } from '@/core/calendar/holiday-data'
import type { Holiday, HolidaySource } from '@/core/calendar/holidays'
import { calendarsNamed, innerRules, type DayRule, type HolidayWish } from '@/core/calendar/rule'
import type { Schedule } from '@/core/timing/schedule'
import { config } from '@/store/config'
import { many, type Tx } from '@/store/db'
import { readSetting } from './settings'
import type { TriggerDefinition } from '@/core/work/trigger'

/** The holidays a calendar was made from: for each wish, for each year, days and names. */
export interface HolidaySnapshot {
  /** Version of the holiday data. */
  readonly version: string
  readonly wishes: Readonly<Record<string, Readonly<Record<string, readonly (readonly [string, string])[]>>>>
}

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
  const wishes = new Map<string, HolidayWish>()
  const look = (each: DayRule): void => {
    if ('holidays' in each) wishes.set(holidayKey(each.holidays), each.holidays)
    for (const inner of innerRules(each)) look(inner.rule)
  }
  look(rule)
  if (wishes.size === 0) return null
  const years = Array.from({ length: YEARS_BACK + YEARS_AHEAD + 1 }, (_, i) => year - YEARS_BACK + i)
  const entries = [...wishes].map(([key, wish]) => [
    key,
    Object.fromEntries(
      years.map((each) => [each, SHIPPED_HOLIDAYS.holidays(wish, each).map(({ day, name }) => [isoDay(day), name])]),
    ),
  ])
  return { version: SHIPPED_HOLIDAYS_VERSION, wishes: Object.fromEntries(entries) as HolidaySnapshot['wishes'] }
}

/** Holidays as they were when the calendar was made; years beyond come from the shipped data. */
export function snapshotSource(snapshot: HolidaySnapshot): HolidaySource {
  return {
    holidays: (wish, year) => {
      const kept = snapshot.wishes[holidayKey(wish)]?.[year]
      if (!kept) return SHIPPED_HOLIDAYS.holidays(wish, year)
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

/** All calendars at one moment, and the schedules built on them. */
export class TimingState {
  readonly timings: Timings
  private readonly schedules = new Map<string, Schedule>()
  private readonly bySlug: ReadonlyMap<string, StoredCalendar>

  constructor(
    readonly version: number,
    readonly stored: readonly StoredCalendar[],
  ) {
    this.timings = new Timings(stored.map(calendarFor), SHIPPED_HOLIDAYS, config().zone)
    this.bySlug = new Map(stored.map((calendar) => [calendar.slug, calendar]))
  }

  /** The schedule of a trigger's version, kept. */
  schedule(id: number, version: number, definition: TriggerDefinition): Schedule {
    const key = `${id} ${version}`
    let schedule = this.schedules.get(key)
    if (!schedule) this.schedules.set(key, (schedule = this.timings.schedule(definition)))
    return schedule
  }

  /** Calendars that these rules stand on, directly or through others, with their versions. */
  calendarsOf(rules: readonly (DayRule | undefined)[]): Record<string, number> {
    const found: Record<string, number> = {}
    const look = (rule: DayRule): void => {
      for (const slug of calendarsNamed(rule)) {
        const calendar = this.bySlug.get(slug)
        if (!calendar || slug in found) continue
        found[slug] = calendar.version
        look(calendar.rule)
      }
    }
    for (const rule of rules) if (rule) look(rule)
    return found
  }

  /** The same with one calendar changed, added or (null) taken away: for looking ahead. */
  with(slug: string, change: Omit<StoredCalendar, 'slug' | 'version' | 'id'> | null): TimingState {
    const others = this.stored.filter((calendar) => calendar.slug !== slug)
    const changed = change ? [{ id: 0, slug, version: 0, ...change }] : []
    return new TimingState(this.version, [...others, ...changed])
  }
}

let cached: TimingState | undefined

/** The calendars as they are now. Built anew only when one of them changed since. */
export async function timingState(tx: Tx | null): Promise<TimingState> {
  const version = await readSetting(tx, 'timing-version')
  if (cached?.version === version) return cached
  const rows = await many<StoredCalendar>(
    tx,
    'SELECT id, slug, title, rule, version, holidays FROM calendars ORDER BY slug',
  )
  const state = new TimingState(version, rows)
  // What a transaction sees that is not committed yet is nobody else's.
  if (tx === null) cached = state
  return state
}
