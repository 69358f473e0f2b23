import { spend } from '../budget'
import type { DaySet } from '../calendar/day-set'
import { civil, DAY_SECONDS, FIRST_DAY, LAST_DAY, parseTimeOfDay, weekdayIndex, type Day } from '../calendar/days'
import { parseRecurrence } from '../calendar/recurrence-parse'
import { parseCron, type Cron } from './cron'
import { parseDuration } from './duration'
import type { DayTimes } from './day-times'
import { recurrenceTimes } from './recurrence-times'
import { parseLocalTime, type EveryRule, type Fold, type Gap, type TimeRule } from './rule'
import type { Instant, Zone } from './zone'

/** One instant at which a trigger fires. */
export interface Occurrence {
  readonly at: Instant
  /** The local date that the rule wrote, before a clock change moved it. */
  readonly day: Day
  /** What a clock change did to it: `moved` out of a gap, or one of two readings of a `doubled` hour. */
  readonly clock: 'plain' | 'moved' | 'doubled'
}

export interface Timing {
  readonly time: TimeRule
  readonly zone: Zone
  readonly gap?: Gap | undefined
  readonly fold?: Fold | undefined
  /** Days on which it may fire; null: every day. */
  readonly eligible: DaySet | null
  /** First and last day on which it fires. */
  readonly from?: Day | undefined
  readonly until?: Day | undefined
}

/** No clock change comes closer to a plain day than this; it is more than the longest gap and the longest `every` that runs past midnight. */
const QUIET_SECONDS = 2 * DAY_SECONDS

/**
 * When a trigger fires. Days are taken one after the other, in order; on plain days, far from any clock change, a time is its instant minus one
 * offset. Near a clock change instants may come out of order, meet, or be missing: there they are gathered and sorted before they are given out.
 */
export class Schedule {
  private readonly plan: Plan
  private readonly zone: Zone

  constructor(private readonly timing: Timing) {
    this.zone = timing.zone
    this.plan = planOf(timing)
  }

  /** The occurrences from `from` (included) to `to` (excluded), ascending, at most `limit`. Instants need not be whole seconds. */
  between(from: Instant, to: Instant, limit = Infinity): Occurrence[] {
    const out: Occurrence[] = []
    if (to <= from || limit < 1) return out
    const { eligible } = this.timing
    const lastDay = Math.min(this.timing.until ?? LAST_DAY, this.dayAt(to) + 1)
    let pending: Occurrence[] = []
    /** False: enough. */
    const give = (occurrence: Occurrence): boolean => {
      spend(1)
      if (occurrence.at >= to) return false
      if (occurrence.at >= from) out.push(occurrence)
      return out.length < limit
    }
    const flush = (before: Instant): boolean => {
      pending.sort(inOrder)
      let given = 0
      for (const occurrence of pending) {
        if (occurrence.at >= before) break
        given++
        // Those that fall on the same instant are one.
        if (pending[given - 2]?.at !== occurrence.at && !give(occurrence)) return false
      }
      pending = pending.slice(given)
      return true
    }
    let day = Math.max(this.timing.from ?? FIRST_DAY, FIRST_DAY, this.dayAt(from) - 2)
    for (; day <= lastDay; day++) {
      spend(4)
      if (eligible) {
        day = eligible.first(day, lastDay)
        if (Number.isNaN(day)) break
      }
      if (!this.plan.fits(day)) continue
      const midnight = day * DAY_SECONDS
      const stretch = this.zone.stretchAt(midnight)
      const isPlain = stretch.from <= midnight - QUIET_SECONDS && stretch.to >= midnight + DAY_SECONDS + QUIET_SECONDS
      if (isPlain) {
        if (pending.length > 0 && !flush(Infinity)) return out
        if (!this.plan.plain(day, stretch.offset, from, give)) return out
      } else {
        const before = pending.length
        this.plan.exact(day, pending)
        spend((pending.length - before) * 8)
        // Whatever a later day writes is on its own date or after; no clock is more than a day ahead of UTC.
        if (!flush(midnight)) return out
      }
    }
    flush(Infinity)
    return out
  }

  /** The first occurrence at or after the instant, if there is one before `before`. */
  next(from: Instant, before: Instant): Occurrence | undefined {
    return this.between(from, before, 1)[0]
  }

  private dayAt(at: Instant): Day {
    return Math.floor(this.zone.localAt(Math.floor(at)) / DAY_SECONDS)
  }
}

/** Of two on one instant the one that no clock change moved stands first: its day is the day of both. */
function inOrder(a: Occurrence, b: Occurrence): number {
  return a.at - b.at || Number(a.clock === 'moved') - Number(b.clock === 'moved') || a.day - b.day
}

/** The occurrences that one day writes. */
interface Plan {
  readonly fits: (day: Day) => boolean
  /** On a day far from any clock change, ascending; those before `from` may be passed over; false when `give` has had enough. */
  readonly plain: (day: Day, offset: number, from: Instant, give: (occurrence: Occurrence) => boolean) => boolean
  /** On any day, in no order. */
  readonly exact: (day: Day, out: Occurrence[]) => void
}

function planOf({ time, zone, gap = 'later', fold = 'first' }: Timing): Plan {
  if ('every' in time) return everyPlan(time.every, zone)
  if ('at' in time) {
    const times = [...new Set(time.at.map(secondsOf))].sort((a, b) => a - b)
    return timesPlan({ fits: () => true, timesOn: () => times }, zone, gap, fold)
  }
  if ('cron' in time) {
    const parsed = parseCron(time.cron)
    if (!parsed.ok) throw new Error(`An unchecked crontab time: ${time.cron}`)
    // Following the clock as shown: what it never shows is not there, what it shows twice is there twice.
    const { followsClock } = parsed.value
    return timesPlan(cronTimes(parsed.value), zone, followsClock ? 'skip' : gap, followsClock ? 'both' : fold)
  }
  const parsed = parseRecurrence(time.rrule, 'times')
  const start = parseLocalTime(time.start)
  if (!parsed.ok || start === undefined) throw new Error(`An unchecked recurrence: ${time.rrule}, ${time.start}`)
  return timesPlan(recurrenceTimes(parsed.value, start, zone), zone, gap, fold)
}

function secondsOf(text: string): number {
  const seconds = parseTimeOfDay(text)
  if (seconds === undefined) throw new Error(`An unchecked time of day: ${text}`)
  return seconds
}

function cronTimes(cron: Cron): DayTimes {
  const times = cron.hours.flatMap((hour) => cron.minutes.map((minute) => hour * 3600 + minute * 60))
  const months = new Set(cron.months)
  const daysOfMonth = new Set(cron.daysOfMonth)
  const weekdays = new Set(cron.daysOfWeek.map((d) => (d + 6) % 7))
  return {
    fits: (day) => {
      const { month, day: dayOfMonth } = civil(day)
      if (!months.has(month)) return false
      const [byDate, byWeekday] = [daysOfMonth.has(dayOfMonth), weekdays.has(weekdayIndex(day))]
      return cron.eitherDay ? byDate || byWeekday : byDate && byWeekday
    },
    timesOn: () => times,
  }
}

function timesPlan(times: DayTimes, zone: Zone, gap: Gap, fold: Fold): Plan {
  return {
    fits: times.fits,
    plain: (day, offset, from, give) => {
      const base = day * DAY_SECONDS - offset
      for (const time of times.timesOn(day, from - base))
        if (!give({ at: base + time, day, clock: 'plain' })) return false
      return true
    },
    exact: (day, out) => {
      for (const time of times.timesOn(day, -Infinity)) {
        const reading = zone.read(day * DAY_SECONDS + time)
        if (reading.kind === 'once') out.push({ at: reading.at, day, clock: 'plain' })
        else if (reading.kind === 'gap') {
          if (gap === 'later') out.push({ at: reading.at, day, clock: 'moved' })
        } else {
          if (fold !== 'second') out.push({ at: reading.first, day, clock: 'doubled' })
          if (fold !== 'first') out.push({ at: reading.second, day, clock: 'doubled' })
        }
      }
    },
  }
}

/** Spaced by elapsed time from the beginning of each day's stretch: clock changes neither add nor drop a step. */
function everyPlan(rule: EveryRule, zone: Zone): Plan {
  const step = parseDuration(rule.step, 'no weeks') as number
  const from = rule.from === undefined ? 0 : secondsOf(rule.from)
  const until = rule.until === undefined ? undefined : secondsOf(rule.until)
  /** Local seconds after midnight at which the stretch ends, and whether the end itself is in. */
  const end = until === undefined ? DAY_SECONDS : until < from ? until + DAY_SECONDS : until
  const isIncluded = until !== undefined
  const isOne = until === from
  return {
    fits: () => true,
    plain: (day, offset, least, give) => {
      const base = day * DAY_SECONDS - offset
      const last = base + end - (isIncluded ? 0 : 1)
      const passed = Math.max(0, Math.ceil((least - base - from) / step))
      for (let at = base + from + passed * step; at <= last; at += step)
        if (!give({ at, day, clock: 'plain' })) return false
      return true
    },
    exact: (day, out) => {
      const begin = firstReading(zone, day * DAY_SECONDS + from)
      if (isOne) {
        out.push({ at: begin, day, clock: 'plain' })
        return
      }
      const local = day * DAY_SECONDS + end
      const last = isIncluded ? lastReading(zone, local) : firstReading(zone, local) - 1
      for (let at = begin; at <= last; at += step) out.push({ at, day, clock: 'plain' })
    },
  }
}

function firstReading(zone: Zone, local: number): Instant {
  const reading = zone.read(local)
  return reading.kind === 'twice' ? reading.first : reading.at
}

function lastReading(zone: Zone, local: number): Instant {
  const reading = zone.read(local)
  return reading.kind === 'twice' ? reading.second : reading.at
}
