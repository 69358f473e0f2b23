import { Temporal } from 'temporal-polyfill'
import type { DaySet } from '../calendar/day-set'
import { civil, DAY_SECONDS, isoDay, parseTimeOfDay, weekdayIndex, type Day } from '../calendar/days'
import { parseCron } from './cron'
import { parseDuration } from './duration'
import type { Fold, Gap, TimeRule } from './rule'

export interface NaiveTrigger {
  readonly time: Exclude<TimeRule, { rrule: string }>
  readonly zone: string
  readonly gap: Gap
  readonly fold: Fold
  readonly eligible: DaySet
}

const seconds = (zoned: Temporal.ZonedDateTime): number => zoned.epochMilliseconds / 1000

function zoned(zone: string, day: Day, time: number, which: 'earlier' | 'later'): Temporal.ZonedDateTime {
  const plain = Temporal.PlainDate.from(isoDay(day)).toPlainDateTime().add({ seconds: time })
  return plain.toZonedDateTime(zone, { disambiguation: which })
}

/** The rules of time triggers as they read, with Temporal doing the clock: slow, and the oracle for schedules. From included, to excluded. */
export function naiveOccurrences(trigger: NaiveTrigger, from: number, to: number): number[] {
  const found = new Set<number>()
  const first = Math.floor(from / DAY_SECONDS) - 3
  const last = Math.floor(to / DAY_SECONDS) + 3
  for (let day = first; day <= last; day++)
    if (trigger.eligible.has(day)) for (const at of ofDay(trigger, day)) found.add(at)
  return [...found].filter((at) => at >= from && at < to).sort((a, b) => a - b)
}

function ofDay({ time, zone, gap, fold }: NaiveTrigger, day: Day): number[] {
  const written = (times: readonly number[]): number[] =>
    times.flatMap((each) => {
      const [earlier, later] = [seconds(zoned(zone, day, each, 'earlier')), seconds(zoned(zone, day, each, 'later'))]
      if (earlier === later) return [later]
      const isGap = !zoned(zone, day, each, 'later')
        .toPlainDateTime()
        .equals(Temporal.PlainDate.from(isoDay(day)).toPlainDateTime().add({ seconds: each }))
      if (isGap) return gap === 'later' ? [later] : []
      return fold === 'first' ? [earlier] : fold === 'second' ? [later] : [earlier, later]
    })
  if ('at' in time) return written(time.at.map((text) => parseTimeOfDay(text) as number))
  if ('every' in time) {
    const { step, from, until } = time.every
    // Of a gap Temporal’s “later” is the moved time; of an overlap “earlier” the first reading.
    const reading = (d: Day, t: number, overlap: 'earlier' | 'later'): number => {
      const later = zoned(zone, d, t, 'later')
      const isGap =
        later
          .toPlainDateTime()
          .since(Temporal.PlainDate.from(isoDay(d)).toPlainDateTime())
          .total('seconds') !== t
      return isGap ? seconds(later) : seconds(zoned(zone, d, t, overlap))
    }
    const begin = reading(day, from === undefined ? 0 : (parseTimeOfDay(from) as number), 'earlier')
    if (until !== undefined && parseTimeOfDay(until) === parseTimeOfDay(from ?? '00:00')) return [begin]
    const end =
      until === undefined
        ? reading(day + 1, 0, 'earlier') - 1
        : reading(until < (from ?? '00:00') ? day + 1 : day, parseTimeOfDay(until) as number, 'later')
    const out: number[] = []
    for (let at = begin; at <= end; at += parseDuration(step) as number) out.push(at)
    return out
  }
  const parsed = parseCron(time.cron)
  if (!parsed.ok) throw new Error(parsed.fault)
  const cron = parsed.value
  const { month, day: dayOfMonth } = civil(day)
  const byDate = cron.daysOfMonth.includes(dayOfMonth)
  const byWeekday = cron.daysOfWeek.includes((weekdayIndex(day) + 1) % 7)
  if (!cron.months.includes(month) || !(cron.eitherDay ? byDate || byWeekday : byDate && byWeekday)) return []
  if (!cron.followsClock)
    return written(cron.hours.flatMap((hour) => cron.minutes.map((minute) => hour * 3600 + minute * 60)))
  const out: number[] = []
  const start = seconds(zoned(zone, day, 0, 'earlier')) - 7200
  for (let at = Math.floor(start / 60) * 60; at < start + 30 * 3600; at += 60) {
    const shown = Temporal.Instant.fromEpochMilliseconds(at * 1000).toZonedDateTimeISO(zone)
    if (
      shown.toPlainDate().toString() === isoDay(day) &&
      shown.second === 0 &&
      cron.hours.includes(shown.hour) &&
      cron.minutes.includes(shown.minute)
    )
      out.push(at)
  }
  return out
}
