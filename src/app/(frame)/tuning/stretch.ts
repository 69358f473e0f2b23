import { now, toCalendarDate, toCalendarDateTime, toZoned, type ZonedDateTime } from '@internationalized/date'
import { clock, day } from '@/ui/format'

/** The stretch that is looked at: ISO 8601 instant, whole hours. */
export interface Stretch {
  readonly from: string
  readonly hours: number
}

/** When a night begins, by the clock, and how long it lasts. */
const NIGHT = { hour: 18, hours: 15 } as const
export const MOST_HOURS = 168

export const STRETCHES = {
  'this-night': 'this night',
  'next-night': 'the night after',
  'next-24': 'the next 24 hours',
} as const
export type StretchName = keyof typeof STRETCHES
export const USUAL: StretchName = 'this-night'

/** This night is the one that goes on, or, by day, the one that comes. */
export function stretchOf(name: StretchName, zone: string, at: ZonedDateTime = now(zone)): Stretch {
  const hourly = at.set({ minute: 0, second: 0, millisecond: 0 })
  if (name === 'next-24') return { from: hourly.toAbsoluteString(), hours: 24 }
  const ends = (NIGHT.hour + NIGHT.hours) % 24
  const evening = toCalendarDate(at).subtract({ days: at.hour < ends ? 1 : 0 })
  const night = evening.add({ days: name === 'next-night' ? 1 : 0 })
  const begins = toZoned(toCalendarDateTime(night).set({ hour: NIGHT.hour }), zone)
  // Hours that pass, not those of the clock: a night in which the clock is put back has one more.
  const over = toZoned(toCalendarDateTime(night.add({ days: 1 })).set({ hour: ends }), zone)
  return {
    from: begins.toAbsoluteString(),
    hours: Math.round((over.toDate().getTime() - begins.toDate().getTime()) / 3_600_000),
  }
}

/** What the address asks for: a name, or an instant and hours; what it says wrongly is as if it said nothing. */
export function asked(
  values: Readonly<Record<string, string>>,
  zone: string,
): Stretch & { readonly name: StretchName | null } {
  const hours = Number(values.hours)
  const from = Date.parse(values.from ?? '')
  if (Number.isFinite(from) && Number.isInteger(hours) && hours >= 1 && hours <= MOST_HOURS)
    return { from: new Date(from).toISOString(), hours, name: null }
  const name = values.night !== undefined && values.night in STRETCHES ? (values.night as StretchName) : USUAL
  return { ...stretchOf(name, zone), name }
}

/** `Night of Tue 9 Mar`, or the days it is about. */
export function titleOf({ from, hours }: Stretch, zone: string): string {
  const to = new Date(Date.parse(from) + hours * 3_600_000)
  const isNight = Number(clock(from, zone).slice(0, 2)) >= 15 && hours <= 18 && day(from, zone) !== day(to, zone)
  if (isNight) return `Night of ${day(from, zone)}`
  return day(from, zone) === day(to, zone) ? day(from, zone) : `${day(from, zone)} to ${day(to, zone)}`
}
