import { spend } from '../budget'
import type { Chunk } from './day-set'
import { DaySet } from './day-set'
import { civil, dayOf, isLeapYear, LAST_DAY, monthLength, weekdayIndex, type Day } from './days'
import type { Recurrence, WeekdayTerm } from './recurrence-parse'

/** A period of the recurrence's frequency, counted without regard to its interval: a day, week, month or year. */
type Unit = number

/**
 * The days of an RFC 5545 recurrence of whole days (section 3.3.10, table of BYxxx expansions), period by period, before
 * its start, COUNT and UNTIL are looked at. What the rule leaves open comes from the start.
 */
export class RecurrencePeriods {
  private readonly startUnit: Unit
  /** WEEKLY: which weekdays, 0 (Monday) first. */
  private readonly isWanted: readonly boolean[]
  /** Steps that the days of one period take. */
  private readonly costs: number

  constructor(
    readonly recurrence: Recurrence,
    readonly start: Day,
  ) {
    this.startUnit = this.unitOf(start)
    const weekdays = recurrence.weekdays?.map((term) => term.weekday) ?? [weekdayIndex(start)]
    this.isWanted = Array.from({ length: 7 }, (_, i) => weekdays.includes(i))
    const days = { YEARLY: 366, MONTHLY: 31, WEEKLY: 7 }[recurrence.freq as string] ?? 1
    const listed = [recurrence.monthDays, recurrence.yearDays, recurrence.weekNumbers, recurrence.weekdays]
    this.costs = days * listed.reduce((sum, list) => sum + (list?.length ?? 0) / 16, 1)
  }

  /** The period that holds the day by the calendar. With BYWEEKNO the days of a year's first and last week may lie in its neighbour. */
  unitOf(day: Day): Unit {
    switch (this.recurrence.freq) {
      case 'WEEKLY':
        return Math.floor((day + 3 - this.recurrence.weekStart) / 7)
      case 'MONTHLY': {
        const { year, month } = civil(day)
        return year * 12 + month - 1
      }
      case 'YEARLY':
        return civil(day).year
      default:
        return day
    }
  }

  /** No day of this or a later period is earlier. */
  earliest(unit: Unit): Day {
    switch (this.recurrence.freq) {
      case 'WEEKLY':
        return unit * 7 - 3 + this.recurrence.weekStart
      case 'MONTHLY':
        return dayOf(Math.floor(unit / 12), (((unit % 12) + 12) % 12) + 1, 1)
      case 'YEARLY':
        return dayOf(unit, 1, 1) - (this.recurrence.weekNumbers ? 6 : 0)
      default:
        return unit
    }
  }

  /** The periods whose days may lie between these two, both included, and that the interval counts. */
  *unitsBetween(from: Day, to: Day): Generator<Unit> {
    const edge = this.recurrence.weekNumbers ? 1 : 0
    const { interval } = this.recurrence
    // With BYWEEKNO the week that holds the start may belong to the year before.
    const lowest = Math.max(this.unitOf(from) - edge, this.startUnit - edge)
    const last = this.unitOf(to) + edge
    const first = this.startUnit + Math.ceil((lowest - this.startUnit) / interval) * interval
    for (let unit = first; unit <= last; unit += interval) yield unit
  }

  /** All days of the period, ascending, before BYSETPOS. */
  daysIn(unit: Unit): Day[] {
    const r = this.recurrence
    spend(this.costs)
    switch (r.freq) {
      case 'WEEKLY':
        return this.weekDays(unit)
      case 'MONTHLY':
        return this.monthDays(Math.floor(unit / 12), (((unit % 12) + 12) % 12) + 1, true)
      case 'YEARLY':
        return r.weekNumbers ? this.weekNumberDays(unit) : this.yearDays(unit)
      default:
        return this.limits(unit) ? [unit] : []
    }
  }

  /** Whether BYMONTH, BYMONTHDAY, BYYEARDAY and BYDAY (without numbers) let this day pass: what limits frequencies of a day and shorter. */
  limits(day: Day): boolean {
    const r = this.recurrence
    if (r.weekdays && !r.weekdays.some((term) => term.weekday === weekdayIndex(day))) return false
    if (!r.months && !r.monthDays && !r.yearDays) return true
    const { year, month, day: dayOfMonth } = civil(day)
    return (
      (r.months?.includes(month) ?? true) &&
      (r.monthDays === null || hasPlace(r.monthDays, dayOfMonth, monthLength(year, month))) &&
      (r.yearDays === null || hasPlace(r.yearDays, day - dayOf(year, 1, 1) + 1, isLeapYear(year) ? 366 : 365))
    )
  }

  private weekDays(unit: Unit): Day[] {
    const r = this.recurrence
    const first = unit * 7 - 3 + r.weekStart
    const out: Day[] = []
    for (let i = 0; i < 7; i++)
      if (this.isWanted[(r.weekStart + i) % 7] && (!r.months || r.months.includes(civil(first + i).month)))
        out.push(first + i)
    return out
  }

  /** `numbersInMonth`: numbered weekdays count within the month, else within the year. */
  private monthDays(year: number, month: number, numbersInMonth: boolean): Day[] {
    const r = this.recurrence
    if (r.months && !r.months.includes(month)) return []
    const length = monthLength(year, month)
    const first = dayOf(year, month, 1)
    const yearFirst = dayOf(year, 1, 1)
    const yearLength = isLeapYear(year) ? 366 : 365
    // RFC 5545: what the BYxxx parts leave open is taken from DTSTART.
    const monthDays = r.monthDays ?? (r.weekdays || r.yearDays ? null : [civil(this.start).day])
    const out: Day[] = []
    for (let n = 1; n <= length; n++) {
      const day = first + n - 1
      if (monthDays && !hasPlace(monthDays, n, length)) continue
      if (r.yearDays && !hasPlace(r.yearDays, day - yearFirst + 1, yearLength)) continue
      const fits = numbersInMonth
        ? fitsWeekday(r.weekdays, day, n, length)
        : fitsWeekday(r.weekdays, day, day - yearFirst + 1, yearLength)
      if (fits) out.push(day)
    }
    return out
  }

  private yearDays(year: number): Day[] {
    const r = this.recurrence
    const open = !r.months && !r.monthDays && !r.yearDays && !r.weekdays
    const months = open ? [civil(this.start).month] : (r.months ?? MONTHS)
    return months.flatMap((month) => this.monthDays(year, month, r.months !== null))
  }

  private weekNumberDays(year: number): Day[] {
    const r = this.recurrence
    const first = firstWeek(year, r.weekStart)
    const weeks = Math.round((firstWeek(year + 1, r.weekStart) - first) / 7)
    const open = !r.weekdays && !r.monthDays && !r.yearDays
    const weekdays = open ? [weekdayIndex(this.start)] : null
    const out: Day[] = []
    for (let week = 1; week <= weeks; week++) {
      if (!hasPlace(r.weekNumbers as readonly number[], week, weeks)) continue
      for (let day = first + (week - 1) * 7; day < first + week * 7; day++) {
        if ((weekdays?.includes(weekdayIndex(day)) ?? true) && this.limits(day)) out.push(day)
      }
    }
    return out
  }
}

const MONTHS = [1, 2, 3, 4, 5, 6, 7, 8, 9, 10, 11, 12]

/** Whether the n-th of so many is in the list, which may count from the end with negative numbers. */
function hasPlace(list: readonly number[], n: number, of: number): boolean {
  return list.includes(n) || list.includes(n - of - 1)
}

/** A union of terms: `1MO,FR` is the first Monday and every Friday. `n` of `of`: the day's place in its month or year. */
function fitsWeekday(terms: readonly WeekdayTerm[] | null, day: Day, n: number, of: number): boolean {
  if (!terms) return true
  const weekday = weekdayIndex(day)
  return terms.some((term) => {
    if (term.weekday !== weekday) return false
    if (term.n === null) return true
    return term.n > 0 ? Math.ceil(n / 7) === term.n : Math.ceil((of - n + 1) / 7) === -term.n
  })
}

/** The first day of week 1: the first week with at least four days in the year (ISO 8601, with any first weekday). */
function firstWeek(year: number, weekStart: number): Day {
  const fourth = dayOf(year, 1, 4)
  return fourth - ((weekdayIndex(fourth) - weekStart + 7) % 7)
}

/** Members of one period, ascending, that can be counted and picked without all of them being written down. */
export interface Members {
  readonly length: number
  /** The member at the place, counted from 0. */
  readonly at: (place: number) => number
}

/** BYSETPOS: the chosen places, counted from 1, or from the end with negative numbers; what is not chosen is never worked out. */
export function choose(members: Members, positions: readonly number[] | null): Members {
  if (!positions) return members
  const { length } = members
  const places = [...new Set(positions.map((p) => (p > 0 ? p - 1 : length + p)))]
    .filter((place) => place >= 0 && place < length)
    .sort((a, b) => a - b)
  spend(positions.length)
  return { length: places.length, at: (place) => members.at(places[place] as number) }
}

/** The same without those below `least`. */
export function notBefore(members: Members, least: number): Members {
  let [low, high] = [0, members.length]
  while (low < high) {
    const middle = (low + high) >>> 1
    if (members.at(middle) < least) low = middle + 1
    else high = middle
  }
  return low === 0 ? members : { length: members.length - low, at: (place) => members.at(place + low) }
}

export const membersOf = (list: readonly number[]): Members => ({
  length: list.length,
  at: (place) => list[place] as number,
})

/**
 * Counts a recurrence's members from its start, period by period, no farther than it is asked: COUNT becomes the last member
 * there may be.
 */
export class CountedEnd {
  private readonly units: Generator<Unit>
  private unit: Unit | undefined
  private end = Infinity

  /**
   * `members`: a period's members as ascending numbers on the caller's scale, those before the start left out;
   * `earliest`: none of the period or a later one is less.
   */
  constructor(
    periods: RecurrencePeriods,
    private left: number,
    private readonly members: (unit: Unit) => Members,
    private readonly earliest: (unit: Unit) => number,
  ) {
    this.units = periods.unitsBetween(periods.start, LAST_DAY + 7)
    this.unit = this.units.next().value as Unit | undefined
  }

  /** The last member, if it lies in a period that begins no later than `limit`; else Infinity. */
  upTo(limit: number): number {
    while (this.unit !== undefined && this.earliest(this.unit) <= limit) {
      spend(1)
      const members = this.members(this.unit)
      if (members.length >= this.left) {
        this.end = members.at(this.left - 1)
        this.unit = undefined
      } else {
        this.left -= members.length
        this.unit = this.units.next().value as Unit | undefined
      }
    }
    return this.end
  }
}

/** The days of a recurrence from its start on. */
export function recurrenceDays(recurrence: Recurrence, start: Day): DaySet {
  const periods = new RecurrencePeriods(recurrence, start)
  const daysOf = (unit: Unit): Members =>
    notBefore(choose(membersOf(periods.daysIn(unit)), recurrence.positions), start)
  const counted =
    recurrence.count === null
      ? null
      : new CountedEnd(periods, recurrence.count, daysOf, (unit) => periods.earliest(unit))
  const until = recurrence.until?.form === 'day' ? recurrence.until.day : Infinity
  return new DaySet((chunk: Chunk) => {
    if (chunk.last < start) return
    const end = Math.min(until, counted?.upTo(chunk.last) ?? Infinity)
    for (const unit of periods.unitsBetween(Math.max(chunk.first, start), chunk.last)) {
      const days = daysOf(unit)
      for (let place = 0; place < days.length; place++) if (days.at(place) <= end) chunk.add(days.at(place))
    }
  })
}
