import {
  now,
  parseDate,
  parseDateTime,
  toCalendarDate,
  toCalendarDateTime,
  toZoned,
  type CalendarDate,
  Time,
} from '@internationalized/date'
import type { Stretch, StretchName } from './stretch-names'

/** When a night begins and ends, by the clock: “last night” is asked about in the morning, and in the night itself. */
const NIGHT = { begins: new Time(18), ends: new Time(8) }

/** The night of a whole shift, as reports know it. */
const SHIFT_ENDS = new Time(9)

const at = (date: CalendarDate, time: Time, zone: string): string =>
  toZoned(toCalendarDateTime(date, time), zone).toAbsoluteString()
const midnight = new Time()

/** What a name means at this moment, in a zone. */
export function stretchOf(name: StretchName, zone: string, nowAt = now(zone)): Stretch {
  const today = toCalendarDate(nowAt)
  const ago = (length: object): Stretch => ({ from: nowAt.subtract(length).toAbsoluteString() })
  switch (name) {
    case 'last-hour':
      return ago({ hours: 1 })
    case 'last-8-hours':
      return ago({ hours: 8 })
    case 'last-24-hours':
      return ago({ hours: 24 })
    case 'last-7-days':
      return ago({ days: 7 })
    case 'last-30-days':
      return ago({ days: 30 })
    case 'today':
      return { from: at(today, midnight, zone) }
    case 'yesterday':
      return { from: at(today.subtract({ days: 1 }), midnight, zone), to: at(today, midnight, zone) }
    case 'this-night': {
      // Before it begins the one before is still the last that there was.
      const evening = nowAt.hour >= NIGHT.begins.hour ? today : today.subtract({ days: 1 })
      return { from: at(evening, NIGHT.begins, zone), to: at(evening.add({ days: 1 }), SHIFT_ENDS, zone) }
    }
    case 'last-night':
      return { from: at(today.subtract({ days: 1 }), NIGHT.begins, zone), to: at(today, NIGHT.ends, zone) }
  }
}

/** All of these days, the last one too. */
export const daysOf = (first: CalendarDate, last: CalendarDate, zone: string): Required<Stretch> => ({
  from: at(first, midnight, zone),
  to: at(last.add({ days: 1 }), midnight, zone),
})

const MOMENT = String.raw`(\d{4}-\d{2}-\d{2})(?:[ T](\d{1,2}:\d{2}))?`
const WRITTEN = new RegExp(`^(?:from\\s+${MOMENT})?\\s*(?:(?:to|until)\\s+${MOMENT})?$`, 'i')

/** `from 2027-03-09 02:00 to 2027-03-10`, either half alone too; a day without a time is all of that day. Null: it is none. */
export function readStretch(text: string, zone: string): Stretch | null {
  const found = WRITTEN.exec(text.trim())
  if (!found || text.trim() === '') return null
  const [, fromDay, fromTime, toDay, toTime] = found
  const instant = (day: string, time: string | undefined, isEnd: boolean): string =>
    time === undefined
      ? at(isEnd ? parseDate(day).add({ days: 1 }) : parseDate(day), midnight, zone)
      : toZoned(parseDateTime(`${day}T${time.padStart(5, '0')}`), zone).toAbsoluteString()
  try {
    return {
      ...(fromDay === undefined ? {} : { from: instant(fromDay, fromTime, false) }),
      ...(toDay === undefined ? {} : { to: instant(toDay, toTime, true) }),
    }
  } catch {
    // 2027-02-30, 25:00.
    return null
  }
}
