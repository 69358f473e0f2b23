import ICAL from 'ical.js'
import { spend } from '../budget'
import { isoDay, parseIsoDay, type Day } from '../calendar/days'
import { recurrenceDays } from '../calendar/recurrence'
import { parseRecurrence } from '../calendar/recurrence-parse'
import type { DateEntry, DayRule } from '../calendar/rule'
import { clipText } from '../schema/plain-text'

/** What of a file a set of days cannot hold, one line for each kind of thing of each event. */
interface NotCarried {
  /** The event’s name, or what the line is about. */
  readonly what: string
  readonly why: string
}

export interface ICalendarIn {
  readonly title: string | null
  readonly days: DayRule
  readonly events: number
  readonly notCarried: readonly NotCarried[]
}

export class ICalendarFault extends Error {}

const MOST_CHARACTERS = 8 * 1024 * 1024
const MOST_EVENTS = 20_000
const MOST_LENGTH_DAYS = 3660
const MOST_NOTES = 1000
/** An event that repeats becomes one set for each of its days. */
const MOST_REPEATED_DAYS = 31
/** Of all days and rules together, as they are kept. */
const MOST_RULE_CHARACTERS = 1_000_000
const DATE_CHARACTERS = '"2027-03-09",'.length
const TITLED_CHARACTERS = '{"date":"2027-03-09","title":""},'.length
const SHIFT_CHARACTERS = '{"shift":{"of":,"days":31}},'.length
/** Parts of an event that are not about its days. A date keeps its event’s name; anything else is counted and told. */
const SILENT = new Set([
  'uid',
  'dtstamp',
  'dtstart',
  'dtend',
  'duration',
  'summary',
  'rrule',
  'exdate',
  'rdate',
  'sequence',
  'created',
  'last-modified',
  'transp',
  'status',
  'class',
  'recurrence-id',
])

/**
 * Reads an iCalendar file (RFC 5545) as a set of days: all-day events with their recurrences, further dates and exceptions. What is not carried over is listed;
 * nothing is dropped silently. Throws ICalendarFault for what is no such file.
 */
export function readICalendar(text: string): ICalendarIn {
  if (text.length > MOST_CHARACTERS) throw new ICalendarFault('The file is longer than 8 million characters.')
  const root = parse(text)
  const events = root.getAllSubcomponents('vevent')
  if (events.length > MOST_EVENTS)
    throw new ICalendarFault(`The file has ${events.length} events; at most ${MOST_EVENTS} are read.`)
  const reader = new Reader()
  for (const other of root.getAllSubcomponents())
    if (!['vevent', 'vtimezone'].includes(other.name)) reader.note(other.name.toUpperCase(), 'only events have days')
  const overridden = overridesOf(events)
  for (const event of events) reader.read(event, overridden.get(uidOf(event)) ?? [])
  const name = root.getFirstPropertyValue('x-wr-calname') ?? root.getFirstPropertyValue('name')
  return {
    title: name === null ? null : String(name),
    days: reader.rule(),
    events: events.length,
    notCarried: reader.notes(),
  }
}

function parse(text: string): ICAL.Component {
  try {
    const parsed = ICAL.parse(text) as unknown[]
    const root = new ICAL.Component(
      parsed.length > 0 && Array.isArray(parsed[0]) ? (parsed[0] as never) : (parsed as never),
    )
    if (root.name !== 'vcalendar') throw new Error(`it begins with ${root.name.toUpperCase()}`)
    return root
  } catch (error) {
    throw new ICalendarFault(
      `This is not an iCalendar file (RFC 5545): ${(error as Error).message}. It begins with BEGIN:VCALENDAR.`,
    )
  }
}

const uidOf = (event: ICAL.Component): string => String(event.getFirstPropertyValue('uid') ?? '')

/** Days whose instance another event of the same UID puts elsewhere (RECURRENCE-ID). */
function overridesOf(events: readonly ICAL.Component[]): Map<string, Day[]> {
  const out = new Map<string, Day[]>()
  for (const event of events) {
    const id = event.getFirstPropertyValue('recurrence-id')
    if (!(id instanceof ICAL.Time)) continue
    const day = dayOf(id)
    if (day === undefined) continue
    const days = out.get(uidOf(event))
    if (days) days.push(day)
    else out.set(uidOf(event), [day])
  }
  return out
}

function dayOf(time: ICAL.Time): Day | undefined {
  return parseIsoDay(time.toString().slice(0, 10))
}

class Reader {
  private readonly dates = new Map<Day, string>()
  private readonly rules: DayRule[] = []
  private readonly noted = new Map<string, NotCarried>()
  private readonly counted = new Map<string, number>()

  private furtherNotes = 0
  private characters = 0

  /** A file of few characters can stand for a great many days. */
  private take(characters: number): void {
    this.characters += characters
    if (this.characters > MOST_RULE_CHARACTERS)
      throw new ICalendarFault(
        'The days of this file come to more than a million characters, more than one calendar may hold. Divide it, or shorten its events and their names.',
      )
  }

  note(what: string, why: string): void {
    if (this.noted.size >= MOST_NOTES) this.furtherNotes++
    else this.noted.set(`${what}\n${why}`, { what, why: clipText(why, 300) })
  }

  notes(): NotCarried[] {
    const counted = [...this.counted].map(([name, n]) => ({
      what: name.toUpperCase(),
      why: `of ${n === 1 ? 'one event' : `${n} events`}: a set of days has no place for it`,
    }))
    const more = { what: 'And more', why: `${this.furtherNotes} things like these are not carried over either` }
    return [...this.noted.values(), ...(this.furtherNotes > 0 ? [more] : []), ...counted]
  }

  rule(): DayRule {
    const entries = [...this.dates]
      .sort(([a], [b]) => a - b)
      .map(([day, title]): DateEntry => (title ? { date: isoDay(day), title } : isoDay(day)))
    const parts: DayRule[] = [
      ...(entries.length > 0 || this.rules.length === 0 ? [{ dates: entries }] : []),
      ...this.rules,
    ]
    return parts.length === 1 ? (parts[0] as DayRule) : { any: parts }
  }

  read(event: ICAL.Component, overridden: readonly Day[]): void {
    const title = String(event.getFirstPropertyValue('summary') ?? '').slice(0, 200)
    const name = title || 'an event without a name'
    for (const property of event.getAllProperties())
      if (!SILENT.has(property.name)) this.counted.set(property.name, (this.counted.get(property.name) ?? 0) + 1)
    for (const inner of event.getAllSubcomponents())
      this.counted.set(inner.name, (this.counted.get(inner.name) ?? 0) + 1)
    if (String(event.getFirstPropertyValue('status') ?? '').toUpperCase() === 'CANCELLED')
      return this.note(name, 'it is cancelled')
    const start = event.getFirstPropertyValue('dtstart')
    if (!(start instanceof ICAL.Time)) return this.note(name, 'it has no DTSTART')
    if (!start.isDate) return this.note(name, 'it has a time of day; a calendar is made of whole days')
    const first = dayOf(start)
    const length = this.lengthOf(event, start)
    if (first === undefined || length === null) return this.note(name, 'its first day or its length cannot be read')
    const isOverride = event.getFirstPropertyValue('recurrence-id') !== null
    const recurrences = isOverride ? [] : event.getAllProperties('rrule')
    const further = this.daysIn(event, 'rdate', name)
    const except = new Set([...this.daysIn(event, 'exdate', name), ...(isOverride ? [] : overridden)])
    if (event.getAllProperties('exrule').length > 0) this.note(name, 'it has EXRULE, which RFC 5545 has given up')

    if (recurrences.length === 0) {
      for (const day of [first, ...further]) if (!except.has(day)) this.addDates(day, length, title)
      return
    }
    if (length > MOST_REPEATED_DAYS)
      return this.note(name, `it repeats and lasts ${length} days; at most ${MOST_REPEATED_DAYS} are carried over`)
    const starts: DayRule[] = []
    for (const property of recurrences) {
      const rule = this.recurrence(String(property.getFirstValue()), first, name)
      if (rule) starts.push(rule)
    }
    if (starts.length === 0) {
      for (const day of [first, ...further]) this.addDates(day, length, title)
      return
    }
    if (further.length > 0) starts.push({ dates: further.map(isoDay) })
    const some: DayRule = starts.length === 1 ? (starts[0] as DayRule) : { any: starts }
    const days: DayRule = except.size > 0 ? { all: [some, { not: { dates: [...except].map(isoDay) } }] } : some
    this.take((JSON.stringify(days).length + SHIFT_CHARACTERS) * length)
    this.rules.push(
      length === 1
        ? days
        : { any: Array.from({ length }, (_, i) => (i === 0 ? days : { shift: { of: days, days: i } })) },
    )
    if (title) this.note(name, 'it repeats: its days are carried over, its name is not shown on them')
  }

  private addDates(first: Day, length: number, title: string): void {
    spend(length)
    for (let day = first; day < first + length; day++) {
      const known = this.dates.get(day)
      if (known) continue
      if (known === undefined) this.take(title ? TITLED_CHARACTERS + title.length : DATE_CHARACTERS)
      else if (title) this.take(title.length + TITLED_CHARACTERS - DATE_CHARACTERS)
      this.dates.set(day, title)
    }
  }

  /** Days that one instance lasts. RFC 5545, 3.6.1: DTEND is not included; without it, and without DURATION, one day. */
  private lengthOf(event: ICAL.Component, start: ICAL.Time): number | null {
    const end = event.getFirstPropertyValue('dtend')
    const duration = event.getFirstPropertyValue('duration')
    let days = 1
    if (end instanceof ICAL.Time) {
      const [from, to] = [dayOf(start), dayOf(end)]
      if (from === undefined || to === undefined) return null
      days = Math.max(1, to - from)
    } else if (duration instanceof ICAL.Duration) days = Math.max(1, Math.ceil(duration.toSeconds() / 86_400))
    return days > MOST_LENGTH_DAYS ? null : days
  }

  private daysIn(event: ICAL.Component, property: string, name: string): Day[] {
    const out: Day[] = []
    for (const each of event.getAllProperties(property))
      for (const value of each.getValues() as unknown[]) {
        const day = value instanceof ICAL.Time ? dayOf(value) : undefined
        if (day === undefined || !(value instanceof ICAL.Time))
          this.note(name, `a ${property.toUpperCase()} of it is no day`)
        else {
          if (!value.isDate) this.note(name, `a ${property.toUpperCase()} of it has a time of day: its date was taken`)
          out.push(day)
        }
      }
    return out
  }

  private recurrence(text: string, start: Day, name: string): DayRule | null {
    // An UNTIL with a time of day is common in files of whole days; its date is what is meant.
    const rrule = text.toUpperCase().replace(/(UNTIL=\d{8})T\d{6}Z?/, '$1')
    const parsed = parseRecurrence(rrule, 'days')
    if (!parsed.ok) {
      this.note(name, `it repeats in a way that days cannot (${text}): ${parsed.fault} Its first day was taken`)
      return null
    }
    const rule: DayRule = { rrule, start: isoDay(start) }
    if (recurrenceDays(parsed.value, start).has(start)) return rule
    // RFC 5545, 3.8.5.3: a DTSTART that does not fit its rule is an instance all the same.
    this.note(name, 'its first day does not fit its rule; the day is carried over beside the rule')
    return { any: [{ dates: [isoDay(start)] }, rule] }
  }
}
