import { isoDay, timeOfDay } from '../calendar/days'
import { parseRecurrence, type Recurrence, type WeekdayTerm } from '../calendar/recurrence-parse'
import { listed, MONTH_NAMES, ordinal, WEEKDAY_NAMES } from './words'

export const UNIT_OF = {
  SECONDLY: 'second',
  MINUTELY: 'minute',
  HOURLY: 'hour',
  DAILY: 'day',
  WEEKLY: 'week',
  MONTHLY: 'month',
  YEARLY: 'year',
} as const

/** An RFC 5545 recurrence in words, each part in its own; read-recurrence.ts reads it back. */
export function sayRecurrence(text: string, start: string, kind: 'days' | 'times'): string {
  const parsed = parseRecurrence(text, kind)
  if (!parsed.ok) throw new Error(`An unchecked recurrence: ${text}`)
  const r = parsed.value
  const unit = UNIT_OF[r.freq]
  const parts = [
    r.interval === 1 ? `every ${unit}` : `every ${r.interval} ${unit}s`,
    r.months && `in ${listed(r.months.map((month) => MONTH_NAMES[month - 1] as string))}`,
    r.weekNumbers && `in the ${plural('week', r.weekNumbers)} ${numbers(r.weekNumbers)} of the year`,
    r.yearDays && `on the ${plural('day', r.yearDays)} ${numbers(r.yearDays)} of the year`,
    r.monthDays &&
      (isAll(r.monthDays, 31)
        ? 'on any day of the month'
        : `on the ${plural('day', r.monthDays)} ${numbers(r.monthDays)} of the month`),
    r.weekdays && (isWholeWeek(r.weekdays) ? 'on any day of the week' : `on ${listed(r.weekdays.map(sayTerm))}`),
    r.hours && `in the ${plural('hour', r.hours)} ${numbers(r.hours)}`,
    r.minutes && `at the ${plural('minute', r.minutes)} ${numbers(r.minutes)}`,
    r.seconds && `at the ${plural('second', r.seconds)} ${numbers(r.seconds)}`,
    r.positions && `only the ${listed(r.positions.map(ordinal))} of them`,
    r.weekStart !== 0 && `with weeks beginning on ${WEEKDAY_NAMES[r.weekStart]}`,
    r.count !== null && (r.count === 1 ? 'once' : `${r.count} times`),
    sayUntil(r),
    `counted from ${start.replace('T', ' ')}`,
  ]
  return parts.filter(Boolean).join(' ')
}

const plural = (word: string, list: readonly number[]): string => (list.length === 1 ? word : `${word}s`)
const numbers = (list: readonly number[]): string => listed(list.map(String))

const isAll = (list: readonly number[], n: number): boolean => list.length === n && list[0] === 1

function isWholeWeek(terms: readonly WeekdayTerm[]): boolean {
  return terms.every((term) => term.n === null) && new Set(terms.map((term) => term.weekday)).size === 7
}

function sayTerm({ n, weekday }: WeekdayTerm): string {
  const name = WEEKDAY_NAMES[weekday] as string
  return n === null ? name : `the ${ordinal(n)} ${name}`
}

function sayUntil({ until }: Recurrence): string | null {
  if (until === null) return null
  if (until.form === 'day') return `until ${isoDay(until.day)}`
  const seconds = until.form === 'local' ? until.localSeconds : until.seconds
  const day = Math.floor(seconds / 86_400)
  return `until ${isoDay(day)} ${timeOfDay(seconds - day * 86_400)}${until.form === 'utc' ? ' UTC' : ''}`
}
