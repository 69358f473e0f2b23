import { parseIsoDay, WEEKDAYS, type Day } from './days'

const FREQUENCIES = ['SECONDLY', 'MINUTELY', 'HOURLY', 'DAILY', 'WEEKLY', 'MONTHLY', 'YEARLY'] as const
type Frequency = (typeof FREQUENCIES)[number]

/** A weekday, or the n-th one of the month or year (negative: from its end). */
export interface WeekdayTerm {
  /** null: every one. */
  readonly n: number | null
  /** 0 (Monday) to 6 */
  readonly weekday: number
}

/** Where a recurrence ends, as written; the end itself is included. */
type Until =
  | { readonly form: 'day'; readonly day: Day }
  /** `localSeconds`: seconds of the local clock since 1970-01-01T00:00. */
  | { readonly form: 'local'; readonly localSeconds: number }
  | { readonly form: 'utc'; readonly seconds: number }

/** An RFC 5545 RECUR value (section 3.3.10), parsed. An absent part is null; lists are ascending and without repeats. */
export interface Recurrence {
  readonly freq: Frequency
  readonly interval: number
  readonly count: number | null
  readonly until: Until | null
  /** 0 (Monday) to 6 */
  readonly weekStart: number
  readonly months: readonly number[] | null
  readonly monthDays: readonly number[] | null
  readonly yearDays: readonly number[] | null
  readonly weekNumbers: readonly number[] | null
  readonly weekdays: readonly WeekdayTerm[] | null
  readonly hours: readonly number[] | null
  readonly minutes: readonly number[] | null
  readonly seconds: readonly number[] | null
  readonly positions: readonly number[] | null
}

export type Parsed<T> = { readonly ok: true; readonly value: T } | { readonly ok: false; readonly fault: string }

class Fault extends Error {}

/** Parses `FREQ=…;…`. `days`: only what a set of whole days can have. A fault says what was expected. */
export function parseRecurrence(text: string, kind: 'days' | 'times'): Parsed<Recurrence> {
  try {
    return { ok: true, value: parse(text, kind) }
  } catch (error) {
    if (error instanceof Fault) return { ok: false, fault: error.message }
    throw error
  }
}

const DAY_PARTS = [
  'FREQ',
  'INTERVAL',
  'COUNT',
  'UNTIL',
  'WKST',
  'BYMONTH',
  'BYMONTHDAY',
  'BYYEARDAY',
  'BYWEEKNO',
  'BYDAY',
  'BYSETPOS',
]
const TIME_PARTS = [...DAY_PARTS, 'BYHOUR', 'BYMINUTE', 'BYSECOND']

/** All lists written out in full come to less. */
const MOST_CHARACTERS = 16_384

function parse(text: string, kind: 'days' | 'times'): Recurrence {
  if (text.length > MOST_CHARACTERS)
    throw new Fault(`A recurrence has at most ${MOST_CHARACTERS.toLocaleString('en')} characters.`)
  const known = kind === 'days' ? DAY_PARTS : TIME_PARTS
  const parts = new Map<string, string>()
  for (const piece of text.split(';')) {
    const at = piece.indexOf('=')
    const name = at < 0 ? piece : piece.slice(0, at)
    if (at < 0 || !known.includes(name))
      throw new Fault(
        `“${piece}” is not a part of a recurrence; expected one of ${known.join(', ')}, each as NAME=VALUE.`,
      )
    if (parts.has(name)) throw new Fault(`${name} stands there twice.`)
    parts.set(name, piece.slice(at + 1))
  }
  const freq = parts.get('FREQ')
  const allowed = kind === 'days' ? FREQUENCIES.slice(3) : FREQUENCIES
  if (freq === undefined) throw new Fault(`FREQ is missing; expected FREQ=${allowed.join(' or ')}.`)
  if (!(allowed as readonly string[]).includes(freq))
    throw new Fault(`FREQ is one of ${allowed.join(', ')}, not “${freq}”.`)
  const numbers = (name: string, from: number, to: number, signed = false): number[] | null => {
    const value = parts.get(name)
    if (value === undefined) return null
    return [...new Set(value.split(',').map((one) => numberOf(name, one, from, to, signed)))].sort((a, b) => a - b)
  }
  const single = (name: string): number | null => {
    const value = parts.get(name)
    if (value === undefined) return null
    if (!/^\d{1,15}$/.test(value) || Number(value) < 1)
      throw new Fault(`${name} is a whole number from 1, not “${value}”.`)
    return Number(value)
  }
  const wkst = parts.get('WKST')
  if (wkst !== undefined && !(WEEKDAYS as readonly string[]).includes(wkst))
    throw new Fault(`WKST is one of ${WEEKDAYS.join(', ')}, not “${wkst}”.`)
  const byDay = parts.get('BYDAY')
  const until = parts.get('UNTIL')
  const recurrence: Recurrence = {
    freq: freq as Frequency,
    interval: single('INTERVAL') ?? 1,
    count: single('COUNT'),
    until: until === undefined ? null : untilOf(until, kind),
    weekStart: wkst === undefined ? 0 : WEEKDAYS.indexOf(wkst as (typeof WEEKDAYS)[number]),
    months: numbers('BYMONTH', 1, 12),
    monthDays: numbers('BYMONTHDAY', 1, 31, true),
    yearDays: numbers('BYYEARDAY', 1, 366, true),
    weekNumbers: numbers('BYWEEKNO', 1, 53, true),
    weekdays: byDay === undefined ? null : [...new Set(byDay.split(','))].map(weekdayTermOf),
    hours: numbers('BYHOUR', 0, 23),
    minutes: numbers('BYMINUTE', 0, 59),
    seconds: numbers('BYSECOND', 0, 59),
    positions: numbers('BYSETPOS', 1, 366, true),
  }
  checkTogether(recurrence)
  return recurrence
}

function checkTogether(r: Recurrence): void {
  if (r.count !== null && r.until !== null) throw new Fault('COUNT and UNTIL exclude each other.')
  if (r.weekNumbers && r.freq !== 'YEARLY') throw new Fault('BYWEEKNO goes with FREQ=YEARLY only.')
  if (r.yearDays && ['DAILY', 'WEEKLY', 'MONTHLY'].includes(r.freq))
    throw new Fault(`BYYEARDAY does not go with FREQ=${r.freq}.`)
  if (r.monthDays && r.freq === 'WEEKLY') throw new Fault('BYMONTHDAY does not go with FREQ=WEEKLY.')
  if (r.weekdays?.some((term) => term.n !== null)) {
    const fits = r.freq === 'MONTHLY' || (r.freq === 'YEARLY' && !r.weekNumbers)
    if (!fits)
      throw new Fault('A numbered weekday in BYDAY goes with FREQ=MONTHLY, or FREQ=YEARLY without BYWEEKNO, only.')
  }
  const others = [r.months, r.monthDays, r.yearDays, r.weekNumbers, r.weekdays, r.hours, r.minutes, r.seconds]
  if (r.positions && others.every((part) => part === null))
    throw new Fault('BYSETPOS needs another BY… part to choose from.')
}

function numberOf(name: string, text: string, from: number, to: number, signed: boolean): number {
  const range = signed ? `${from} to ${to}, or negative from the end` : `${from} to ${to}`
  if (!(signed ? /^[+-]?\d{1,3}$/ : /^\d{1,2}$/).test(text))
    throw new Fault(`${name} is a list of whole numbers, ${range}; “${text}” is none.`)
  const value = Number(text)
  if (Math.abs(value) < from || Math.abs(value) > to) throw new Fault(`${name} goes from ${range}; ${text} is outside.`)
  return value
}

function weekdayTermOf(text: string): WeekdayTerm {
  const parts = /^([+-]?\d{1,2})?(MO|TU|WE|TH|FR|SA|SU)$/.exec(text)
  const n = parts?.[1] === undefined ? null : Number(parts[1])
  if (!parts || (n !== null && (n === 0 || Math.abs(n) > 53)))
    throw new Fault(`BYDAY is a list of weekdays such as MO, 2TU or -1FR (1 to 53, or negative); “${text}” is none.`)
  return { n, weekday: WEEKDAYS.indexOf(parts[2] as (typeof WEEKDAYS)[number]) }
}

function untilOf(text: string, kind: 'days' | 'times'): Until {
  const expected =
    kind === 'days' ? 'UNTIL is a day written YYYYMMDD' : 'UNTIL is YYYYMMDD, YYYYMMDDTHHMMSS or YYYYMMDDTHHMMSSZ'
  const parts = /^(\d{4})(\d{2})(\d{2})(?:T([01]\d|2[0-3])([0-5]\d)([0-5]\d)(Z)?)?$/.exec(text)
  const day = parts && parseIsoDay(`${parts[1]}-${parts[2]}-${parts[3]}`)
  if (!parts || day === undefined || day === null || (kind === 'days' && parts[4] !== undefined))
    throw new Fault(`${expected}, not “${text}”.`)
  if (parts[4] === undefined) return { form: 'day', day }
  const seconds = day * 86_400 + Number(parts[4]) * 3600 + Number(parts[5]) * 60 + Number(parts[6])
  return parts[7] ? { form: 'utc', seconds } : { form: 'local', localSeconds: seconds }
}
