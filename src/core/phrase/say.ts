import type { DayRule } from '../calendar/rule'
import type { TimeRule } from '../timing/rule'
import { allOf, isEveryDay, wholeMonths } from './rules'
import type { NamedCalendar } from './names'
import { DaySayer, sayMonths } from './say-days'
import { sayTimes } from './say-times'

export interface Sayable {
  readonly time: TimeRule
  readonly on?: DayRule | undefined
  readonly notOn?: DayRule | undefined
}

/**
 * One plain sentence for when a trigger fires. Read back as a phrase it gives the same occurrences. `next`: see DaySayer.
 */
export function say(
  { time, on, notOn }: Sayable,
  calendars: readonly NamedCalendar[] = [],
  next?: (rule: DayRule) => string | undefined,
): string {
  const sayer = new DaySayer(calendars, next)
  const { says, days } = sayTimes(time)
  const wanted = on && days ? allOf([on, days]) : (on ?? days)
  const never = notOn ? `, never ${sayNever(notOn, sayer)}` : ''
  return `${says}${wanted ? sayWanted(wanted, sayer, says) : everyDay(says)}${never}`
}

/** The days of a trigger that the clock does not start, as the end of its sentence. */
export function sayWhichDays({ on, notOn }: Omit<Sayable, 'time'>, calendars: readonly NamedCalendar[] = []): string {
  const sayer = new DaySayer(calendars)
  const wanted = on && !isEveryDay(on) ? sayWanted(on, sayer, '') : ''
  return `${wanted}${notOn ? `, never ${sayNever(notOn, sayer)}` : ''}`
}

/** “At 17:00” alone would be half a sentence. */
function everyDay(says: string): string {
  return says.startsWith('at') && !says.includes('every') ? ' every day' : ''
}

function sayWanted(rule: DayRule, sayer: DaySayer, says: string): string {
  if (isEveryDay(rule)) return everyDay(says)
  if ('rrule' in rule) return ` ${sayer.recurrence(rule)}`
  const said = sayer.set(rule)
  const months = wholeMonths(rule)
  if (months) return ` in ${sayMonths(months)}`
  // “2 working days before …” reads badly after “on”.
  return /^\d+ .*days (before|after) /.test(said) && 'shift' in rule ? `, ${said}` : ` on ${said}`
}

function sayNever(rule: DayRule, sayer: DaySayer): string {
  const months = wholeMonths(rule)
  return months ? `in ${sayMonths(months)}` : `on ${sayer.set(rule)}`
}

/** A set of days in a sentence. */
export function sayDays(rule: DayRule, calendars: readonly NamedCalendar[] = []): string {
  return new DaySayer(calendars).set(rule)
}
