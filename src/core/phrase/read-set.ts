import type { DayRule } from '../calendar/rule'
import { Cursor } from './cursor'
import type { Home, NamedCalendar } from './names'
import { notUnderstood } from './not-understood'
import { DayReader } from './read-days'
import { allOf, anyOf, monthsRule } from './rules'
import { tokensOf } from './tokens'

const EXPECTED = 'Days are expected, such as “weekdays” or “the last working day of the month”.'

/** Reads a set of days in words, such as “weekdays except public holidays of GB”. Throws a PhraseFault that says where it is not understood. */
export function readDaySet(text: string, calendars: readonly NamedCalendar[] = [], home: Home | null = null): DayRule {
  const cursor = new Cursor(tokensOf(text), text)
  const days = new DayReader(cursor, calendars, home)
  const part = (): DayRule | null => {
    const months = cursor.attempt(() => (cursor.take('in|during') ? days.months() : null))
    if (months) return monthsRule(months)
    cursor.take('on|for')
    return days.set()
  }
  const rule = part()
  if (!rule) throw notUnderstood(cursor, calendars, EXPECTED)
  const never: DayRule[] = []
  while (cursor.take('except|excluding|without')) {
    const taken = part()
    if (!taken) throw notUnderstood(cursor, calendars, EXPECTED)
    never.push(taken)
  }
  if (!cursor.isAtEnd) throw notUnderstood(cursor, calendars, 'Only days are expected, and “except …”.')
  return never.length > 0 ? allOf([rule, { not: anyOf(never) }]) : rule
}
