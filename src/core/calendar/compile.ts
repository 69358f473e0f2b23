import { spend } from '../budget'
import { complementOf, DaySet, daysThat, intersectionOf, unionOf } from './day-set'
import { civil, parseIsoDay, periodAround, weekdayIndex, WEEKDAYS, type Day } from './days'
import type { HolidaySource } from './holidays'
import { rolled, shifted, shiftedCounting } from './moved'
import { recurrenceDays } from './recurrence'
import { parseRecurrence } from './recurrence-parse'
import type { DateEntry, DayRule, HolidayQuery, NthRule } from './rule'

/** What a rule may refer to. */
export interface RuleContext {
  /** The days of another calendar. Throws if there is none, or if it leads back to itself. */
  readonly calendar: (id: string) => DaySet
  readonly holidays: HolidaySource
}

/** The set that a checked rule stands for. Nothing is worked out before it is asked about. */
export function compileDays(rule: DayRule, context: RuleContext): DaySet {
  const inner = (each: DayRule): DaySet => compileDays(each, context)
  if ('weekdays' in rule) {
    const wanted = new Set(rule.weekdays.map((code) => WEEKDAYS.indexOf(code)))
    return daysThat((day) => wanted.has(weekdayIndex(day)))
  }
  if ('dates' in rule) return listed(rule.dates.map(dayOfEntry))
  if ('between' in rule) return betweenDays(rule.between)
  if ('rrule' in rule) {
    const parsed = parseRecurrence(rule.rrule, 'days')
    const start = parseIsoDay(rule.start)
    if (!parsed.ok || start === undefined) throw new Error(`An unchecked recurrence: ${rule.rrule}, ${rule.start}`)
    return recurrenceDays(parsed.value, start)
  }
  if ('holidays' in rule) return holidayDays(rule.holidays, context.holidays)
  if ('nth' in rule) return nthDays(rule.nth, inner(rule.nth.of))
  if ('any' in rule) return unionOf(rule.any.map(inner))
  if ('all' in rule) return intersectionOf(rule.all.map(inner))
  if ('not' in rule) return complementOf(inner(rule.not))
  if ('shift' in rule) {
    const { of, days, counting } = rule.shift
    return counting ? shiftedCounting(inner(of), days, inner(counting)) : shifted(inner(of), days)
  }
  if ('roll' in rule) return rolled(inner(rule.roll.of), inner(rule.roll.onto), rule.roll.to)
  return context.calendar(rule.calendar)
}

export function dayOfEntry(entry: DateEntry): Day {
  const text = typeof entry === 'string' ? entry : entry.date
  const day = parseIsoDay(text)
  if (day === undefined) throw new Error(`An unchecked date: ${text}`)
  return day
}

function listed(days: readonly Day[]): DaySet {
  const sorted = Float64Array.from(days).sort()
  return new DaySet((chunk) => {
    let [low, high] = [0, sorted.length]
    while (low < high) {
      const middle = (low + high) >>> 1
      if ((sorted[middle] as number) < chunk.first) low = middle + 1
      else high = middle
    }
    for (; low < sorted.length && (sorted[low] as number) <= chunk.last; low++) chunk.add(sorted[low] as number)
  })
}

/** Each year from one month and day to another; over the new year if the first is later. */
function betweenDays([from, to]: readonly [string, string]): DaySet {
  const place = (text: string): number => Number(text.slice(0, 2)) * 100 + Number(text.slice(3))
  const [first, last] = [place(from), place(to)]
  return daysThat((day) => {
    const { month, day: dayOfMonth } = civil(day)
    const at = month * 100 + dayOfMonth
    return first <= last ? first <= at && at <= last : at >= first || at <= last
  })
}

function holidayDays(query: HolidayQuery, source: HolidaySource): DaySet {
  return new DaySet((chunk) => {
    for (let year = civil(chunk.first).year; year <= civil(chunk.last).year; year++)
      for (const { day } of source.holidays(query, year)) chunk.add(day)
  })
}

function nthDays({ n, in: unit, yearStart }: NthRule, of: DaySet): DaySet {
  return new DaySet((chunk) => {
    for (let day = chunk.first; day <= chunk.last;) {
      const [first, last] = periodAround(day, unit, yearStart)
      const found = nthMember(of, n, first, last)
      spend(Math.abs(n))
      if (!Number.isNaN(found)) chunk.add(found)
      day = last + 1
    }
  })
}

/** The n-th member from `first` to `last`, from the end if n is negative; NaN if there are too few. */
export function nthMember(of: DaySet, n: number, first: Day, last: Day): Day {
  let found = n > 0 ? first - 1 : last + 1
  for (let left = Math.abs(n); left > 0 && !Number.isNaN(found); left--)
    found = n > 0 ? of.first(found + 1, last) : of.last(first, found - 1)
  return found
}
