import { parseIsoDay, timeOfDay, WEEKDAYS } from '../calendar/days'
import { parseRecurrence } from '../calendar/recurrence-parse'
import type { Cursor } from './cursor'
import { UNIT_OF } from './say-recurrence'
import { secondsOfToken } from './tokens'
import { monthNamed, numberNamed, ordinalNamed, weekdayNamed } from './words'

export const ALL_MONTH_DAYS: readonly number[] = Array.from({ length: 31 }, (_, i) => i + 1)

export interface RecurrenceRule {
  readonly rule: { readonly rrule: string; readonly start: string }
}

/**
 * Reads `every 2 weeks on Monday … counted from 2027-01-04`: an RFC 5545 recurrence in words. Null if the phrase does not end in
 * “counted from” a day (for times: and a time of day).
 */
export function readRecurrence(cursor: Cursor, kind: 'days' | 'times'): RecurrenceRule | null {
  return cursor.attempt(() => {
    if (!cursor.take('every')) return null
    const interval = cursor.peek()?.kind === 'number' ? Number(cursor.next()?.text) : 1
    const freq = Object.entries(UNIT_OF).find(([, unit]) => cursor.take(`${unit}|${unit}s`))?.[0]
    if (!freq) return null
    const parts = [`FREQ=${freq}`, ...(interval === 1 ? [] : [`INTERVAL=${interval}`])]
    for (;;) {
      if (cursor.take('counted', 'from')) break
      const part = cursor.attempt(() => readPart(cursor))
      if (part === null) return null
      parts.push(part)
    }
    const start = readStart(cursor, kind)
    if (start === null) return null
    const rrule = parts.join(';')
    const parsed = parseRecurrence(rrule, kind)
    if (!parsed.ok) throw cursor.fault(parsed.fault)
    // “(next 2027-01-18)” is said so that it can be seen which one is meant; it says nothing new.
    cursor.attempt(() => (cursor.take('(', 'next') && cursor.next()?.kind === 'date' && cursor.take(')') ? true : null))
    return { rule: { rrule, start } }
  })
}

function readStart(cursor: Cursor, kind: 'days' | 'times'): string | null {
  const date = cursor.next()
  if (date?.kind !== 'date' || parseIsoDay(date.text) === undefined) return null
  if (kind === 'days') return date.text
  const time = cursor.next()
  const seconds = time?.kind === 'time' ? secondsOfToken(time.text) : undefined
  return seconds === undefined ? null : `${date.text}T${timeOfDay(seconds)}`
}

function readPart(cursor: Cursor): string | null {
  if (cursor.take('in', 'the', 'weeks|week')) return endsWith(cursor, 'BYWEEKNO', 'year')
  if (cursor.take('in', 'the', 'hours|hour')) return numbersPart(cursor, 'BYHOUR')
  if (cursor.take('at', 'the', 'minutes|minute')) return numbersPart(cursor, 'BYMINUTE')
  if (cursor.take('at', 'the', 'seconds|second')) return numbersPart(cursor, 'BYSECOND')
  if (cursor.take('in')) return listPart(cursor, 'BYMONTH', () => monthNamed(cursor.next()?.text ?? '') || null)
  if (cursor.take('on', 'any', 'day', 'of', 'the', 'week')) return `BYDAY=${WEEKDAYS.join()}`
  if (cursor.take('on', 'any', 'day', 'of', 'the', 'month')) return `BYMONTHDAY=${ALL_MONTH_DAYS.join()}`
  if (cursor.take('on', 'the', 'days|day')) {
    const numbers = readList(cursor, () => readNumber(cursor))
    if (!numbers || !cursor.take('of', 'the')) return null
    if (cursor.take('month')) return `BYMONTHDAY=${numbers.join()}`
    return cursor.take('year') ? `BYYEARDAY=${numbers.join()}` : null
  }
  if (cursor.take('on')) return listPart(cursor, 'BYDAY', () => readTerm(cursor))
  if (cursor.take('only', 'the')) {
    const places = readList(cursor, () => readOrdinal(cursor))
    return places && cursor.take('of', 'them') ? `BYSETPOS=${places.join()}` : null
  }
  if (cursor.take('with', 'weeks', 'beginning', 'on')) {
    const weekday = WEEKDAYS[weekdayNamed(cursor.next()?.text ?? '')]
    return weekday ? `WKST=${weekday}` : null
  }
  if (cursor.take('until')) return readUntil(cursor)
  if (cursor.take('once')) return 'COUNT=1'
  const times = readNumber(cursor)
  return times !== null && cursor.take('times') ? `COUNT=${times}` : null
}

function readUntil(cursor: Cursor): string | null {
  const date = cursor.next()
  if (date?.kind !== 'date') return null
  const day = date.text.replaceAll('-', '')
  const seconds = cursor.peek()?.kind === 'time' ? secondsOfToken(cursor.next()?.text ?? '') : undefined
  if (seconds === undefined) return `UNTIL=${day}`
  const pad = (n: number): string => String(n).padStart(2, '0')
  const time = `${pad(Math.floor(seconds / 3600))}${pad(Math.floor(seconds / 60) % 60)}${pad(seconds % 60)}`
  return `UNTIL=${day}T${time}${cursor.take('utc') ? 'Z' : ''}`
}

function endsWith(cursor: Cursor, name: string, period: string): string | null {
  const part = numbersPart(cursor, name)
  return part !== null && cursor.take('of', 'the', period) ? part : null
}

const numbersPart = (cursor: Cursor, name: string): string | null => listPart(cursor, name, () => readNumber(cursor))

function listPart(cursor: Cursor, name: string, read: () => number | string | null): string | null {
  const list = readList(cursor, read)
  return list && `${name}=${list.join()}`
}

/** `A`, `A and B`, `A, B and C`. */
function readList<T>(cursor: Cursor, read: () => T | null): T[] | null {
  const first = cursor.attempt(read)
  if (first === null) return null
  const out = [first]
  for (;;) {
    const more = cursor.attempt(() => (cursor.take(',') || cursor.take('and') ? read() : null))
    if (more === null) return out
    out.push(more)
  }
}

function readNumber(cursor: Cursor): number | null {
  const token = cursor.next()
  if (token?.kind === 'number' && /^-?\d+$/.test(token.text)) return Number(token.text)
  return numberNamed(token?.text ?? '') ?? null
}

function readOrdinal(cursor: Cursor): number | null {
  if (cursor.take('last')) return -1
  const n = ordinalNamed(cursor.next()?.text ?? '')
  if (n === undefined) return null
  return cursor.take('last') ? -n : n
}

function readTerm(cursor: Cursor): string | null {
  const n = cursor.take('the') ? readOrdinal(cursor) : undefined
  if (n === null) return null
  const weekday = WEEKDAYS[weekdayNamed(cursor.next()?.text ?? '')]
  return weekday ? `${n ?? ''}${weekday}` : null
}
