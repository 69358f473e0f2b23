import { WEEKDAYS, type Weekday } from '../calendar/days'
import type { DateEntry, DayRule } from '../calendar/rule'

/** Rules that phrases are made into and recognised by. */
export const EVERY_DAY: DayRule = { weekdays: [...WEEKDAYS] }
export const MONDAY_TO_FRIDAY: DayRule = { weekdays: ['MO', 'TU', 'WE', 'TH', 'FR'] }
export const WEEKEND: DayRule = { weekdays: ['SA', 'SU'] }
/** “Every other week” and the like count from here: a Monday, the first of a month, the first of a year. */
export const COUNTED_FROM = '2024-01-01'

export function weekdaysRule(indexes: Iterable<number>): DayRule {
  return { weekdays: [...new Set(indexes)].sort((a, b) => a - b).map((i) => WEEKDAYS[i] as Weekday) }
}

export function isEveryDay(rule: DayRule): boolean {
  return 'weekdays' in rule && new Set(rule.weekdays).size === 7
}

/** Any of these; weekdays, and listed dates, run together into one rule. */
export function anyOf(rules: readonly DayRule[]): DayRule {
  const weekdays = new Set<Weekday>()
  const dates: DateEntry[] = []
  const others: DayRule[] = []
  for (const rule of rules) {
    if ('weekdays' in rule) for (const code of rule.weekdays) weekdays.add(code)
    else if ('dates' in rule) dates.push(...rule.dates)
    else others.push(rule)
  }
  const parts: DayRule[] = [
    ...(weekdays.size > 0 ? [{ weekdays: WEEKDAYS.filter((code) => weekdays.has(code)) }] : []),
    ...(dates.length > 0 || rules.length === 0 ? [{ dates }] : []),
    ...others,
  ]
  return parts.length === 1 ? (parts[0] as DayRule) : parts.length === 0 ? { dates: [] } : { any: parts }
}

/** All of these; every day adds nothing. */
export function allOf(rules: readonly DayRule[]): DayRule {
  const parts = rules.filter((rule) => !isEveryDay(rule))
  return parts.length === 1 ? (parts[0] as DayRule) : parts.length === 0 ? EVERY_DAY : { all: parts }
}

const pad = (n: number): string => String(n).padStart(2, '0')

/** One day of each year, or a stretch of it. */
export function yearly(from: { month: number; day: number }, to = from): DayRule {
  return { between: [`${pad(from.month)}-${pad(from.day)}`, `${pad(to.month)}-${pad(to.day)}`] }
}

const MONTH_LENGTHS = [31, 29, 31, 30, 31, 30, 31, 31, 30, 31, 30, 31]

/** All days of these months. */
export function monthsRule(months: readonly number[]): DayRule {
  return anyOf(months.map((month) => yearly({ month, day: 1 }, { month, day: MONTH_LENGTHS[month - 1] as number })))
}

/** The months of a rule that is whole months, by number; null for any other rule. */
export function wholeMonths(rule: DayRule): number[] | null {
  const parts = 'any' in rule ? rule.any : [rule]
  const months: number[] = []
  for (const part of parts) {
    if (!('between' in part)) return null
    const [from, to] = part.between
    const month = Number(from.slice(0, 2))
    if (from.slice(3) !== '01' || to !== `${from.slice(0, 2)}-${MONTH_LENGTHS[month - 1]}`) return null
    months.push(month)
  }
  return months
}
