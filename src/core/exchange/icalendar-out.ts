import ICAL from 'ical.js'
import type { DaySet } from '../calendar/day-set'
import { isoDay, type Day } from '../calendar/days'

export interface ICalendarOut {
  /** Stays the same for the calendar: readers recognise events by it. */
  readonly id: string
  readonly title: string
  readonly days: DaySet
  readonly from: Day
  readonly to: Day
  readonly nowMs: number
  /** A name for single days, such as a holiday’s. */
  readonly nameOf?: (day: Day) => string | undefined
}

/** The days of a calendar as an iCalendar file (RFC 5545): one all-day event for each stretch of days with the same name. */
export function writeICalendar({ id, title, days, from, to, nowMs, nameOf }: ICalendarOut): string {
  const root = new ICAL.Component(['vcalendar', [], []])
  root.addPropertyWithValue('version', '2.0')
  root.addPropertyWithValue('prodid', '-//Bugle//Calendars//EN')
  root.addPropertyWithValue('x-wr-calname', title)
  root.addPropertyWithValue('name', title)
  const stamp = ICAL.Time.fromJSDate(new Date(nowMs), true)
  const add = (first: Day, last: Day, name: string): void => {
    const event = new ICAL.Component('vevent')
    event.addPropertyWithValue('uid', `${isoDay(first)}-${id}@bugle`)
    event.addPropertyWithValue('dtstamp', stamp)
    event.addPropertyWithValue('dtstart', ICAL.Time.fromDateString(isoDay(first)))
    event.addPropertyWithValue('dtend', ICAL.Time.fromDateString(isoDay(last + 1)))
    event.addPropertyWithValue('summary', name)
    event.addPropertyWithValue('transp', 'TRANSPARENT')
    root.addSubcomponent(event)
  }
  let open: { first: Day; last: Day; name: string } | null = null
  days.each(from, to, (day) => {
    const name = nameOf?.(day) ?? title
    if (open && open.last === day - 1 && open.name === name) open.last = day
    else {
      if (open) add(open.first, open.last, open.name)
      open = { first: day, last: day, name }
    }
  })
  const rest = open as { first: Day; last: Day; name: string } | null
  if (rest) add(rest.first, rest.last, rest.name)
  return `${root.toString()}\r\n`
}
