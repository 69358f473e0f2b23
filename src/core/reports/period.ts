import { z } from 'zod'
import { civil, DAY_SECONDS, isoDay, parseIsoDay, periodAround, type Day } from '../calendar/days'
import type { Zone } from '../timing/zone'
import { MONTHS } from './names'

const WHOLE_UNITS = ['day', 'week', 'month', 'quarter', 'year'] as const
export type WholeUnit = (typeof WHOLE_UNITS)[number]
const unit = z.enum(WHOLE_UNITS)
const isoDaySchema = z.string().refine((text) => parseIsoDay(text) !== undefined, 'Write a day as 2026-11-30.')
/** A report looks at no more days than this. */
const MOST_DAYS = 1100

/** What a report is about: a whole unit that is over, the one that goes on, the last night, so many days up to now, or from a day to a day, both included. */
export const periodSchema = z.union([
  z.strictObject({ last: unit }),
  z.strictObject({ current: unit }),
  z.strictObject({ night: z.literal('last') }),
  z.strictObject({ days: z.int().min(1).max(MOST_DAYS) }),
  z
    .strictObject({ from: isoDaySchema, to: isoDaySchema })
    .refine(({ from, to }) => from <= to, { path: ['to'], message: 'It ends before it begins.' })
    .refine(({ from, to }) => (parseIsoDay(to) ?? 0) - (parseIsoDay(from) ?? 0) < MOST_DAYS, {
      path: ['to'],
      message: `A report looks at ${MOST_DAYS} days at most.`,
    }),
])
export type PeriodSpec = z.output<typeof periodSchema>

/** From an instant (included) to an instant (excluded), milliseconds since the epoch. */
export interface Period {
  readonly fromMs: number
  readonly toMs: number
  readonly words: string
}

/** A night is over at nine in the morning; it began at six in the evening before. */
const NIGHT_FROM = 18 * 3600
const NIGHT_TO = 9 * 3600

/** When the clock of a place shows this time of this day, in milliseconds: of a time that comes twice the first, of one that is left out the instant of the leap. */
function instantOf(zone: Zone, day: Day, secondOfDay = 0): number {
  const reading = zone.read(day * DAY_SECONDS + secondOfDay)
  return (reading.kind === 'twice' ? reading.first : reading.at) * 1000
}

export const dayIn = (zone: Zone, atMs: number): Day => Math.floor(zone.localAt(Math.floor(atMs / 1000)) / DAY_SECONDS)

/** First and last day of the unit around a day. */
const around = (day: Day, of: WholeUnit): readonly [Day, Day] => (of === 'day' ? [day, day] : periodAround(day, of))

const said = (day: Day): string => {
  const { year, month, day: of } = civil(day)
  return `${of} ${MONTHS[month - 1] as string} ${year}`
}

function daysWords(first: Day, last: Day): string {
  if (first === last) return said(first)
  const [a, b] = [civil(first), civil(last)]
  if (a.year !== b.year) return `${said(first)} – ${said(last)}`
  const begin = a.month === b.month ? String(a.day) : `${a.day} ${MONTHS[a.month - 1] as string}`
  return `${begin} – ${said(last)}`
}

const ofDays = (zone: Zone, first: Day, last: Day): Period => ({
  fromMs: instantOf(zone, first),
  toMs: instantOf(zone, last + 1),
  words: daysWords(first, last),
})

/** The night that ends on the morning of a day. */
export const nightTo = (zone: Zone, morning: Day): Period => ({
  fromMs: instantOf(zone, morning - 1, NIGHT_FROM),
  toMs: instantOf(zone, morning, NIGHT_TO),
  words: `the night to ${said(morning)}`,
})

/** The morning of the night that goes on, or by day of the last one. */
export function morningOf(zone: Zone, nowMs: number): Day {
  const today = dayIn(zone, nowMs)
  return instantOf(zone, today, NIGHT_FROM) <= nowMs ? today + 1 : today
}

/** The period that is meant at an instant. What goes on ends at that instant. */
export function periodOf(spec: PeriodSpec, zone: Zone, nowMs: number): Period {
  const today = dayIn(zone, nowMs)
  if ('last' in spec) {
    const [first] = around(today, spec.last)
    const [from, to] = around(first - 1, spec.last)
    return ofDays(zone, from, to)
  }
  if ('current' in spec) {
    const [first] = around(today, spec.current)
    return { fromMs: instantOf(zone, first), toMs: nowMs, words: `${daysWords(first, today)}, so far` }
  }
  if ('night' in spec) return nightTo(zone, instantOf(zone, today, NIGHT_TO) <= nowMs ? today : today - 1)
  if ('days' in spec) {
    const first = today - spec.days + 1
    return { fromMs: instantOf(zone, first), toMs: nowMs, words: `${daysWords(first, today)}, so far` }
  }
  return ofDays(zone, parseIsoDay(spec.from) as Day, parseIsoDay(spec.to) as Day)
}

/** The period of the same kind before: of whole units the unit before, of days as many days, of what goes on as much of the one before. */
export function periodBefore(spec: PeriodSpec, zone: Zone, nowMs: number): Period {
  const { fromMs, toMs } = periodOf(spec, zone, nowMs)
  const first = dayIn(zone, fromMs)
  if ('last' in spec || 'current' in spec) {
    const [from, to] = around(first - 1, 'last' in spec ? spec.last : spec.current)
    const whole = ofDays(zone, from, to)
    if ('last' in spec) return whole
    return { ...whole, toMs: Math.min(whole.toMs, whole.fromMs + (toMs - fromMs)) }
  }
  if ('night' in spec) return nightTo(zone, dayIn(zone, toMs) - 1)
  const days = 'days' in spec ? spec.days : dayIn(zone, toMs - 1) - first + 1
  const whole = ofDays(zone, first - days, first - 1)
  return 'days' in spec ? { ...whole, toMs: Math.min(whole.toMs, whole.fromMs + (toMs - fromMs)) } : whole
}

/** The days of a period that a clock shows, each with the part of it that lies in the period. */
export function daysOf(
  period: Period,
  zone: Zone,
): readonly { readonly day: string; readonly fromMs: number; readonly toMs: number }[] {
  const out: { day: string; fromMs: number; toMs: number }[] = []
  for (let day = dayIn(zone, period.fromMs); instantOf(zone, day) < period.toMs; day++)
    out.push({
      day: isoDay(day),
      fromMs: Math.max(period.fromMs, instantOf(zone, day)),
      toMs: Math.min(period.toMs, instantOf(zone, day + 1)),
    })
  return out
}

/** Which of the days of a period an instant falls into; -1: none. @param days in order, as `daysOf` gives them */
export function dayAt(days: readonly { readonly fromMs: number; readonly toMs: number }[], atMs: number): number {
  let low = 0
  let high = days.length
  // The first that ends after it.
  while (low < high) {
    const middle = (low + high) >> 1
    if (atMs < (days[middle]?.toMs ?? Infinity)) high = middle
    else low = middle + 1
  }
  return atMs >= (days[low]?.fromMs ?? Infinity) ? low : -1
}
