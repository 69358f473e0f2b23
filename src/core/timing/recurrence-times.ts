import { DaySet } from '../calendar/day-set'
import { DAY_SECONDS, LAST_DAY, type Day } from '../calendar/days'
import { choose, CountedEnd, RecurrencePeriods } from '../calendar/recurrence'
import type { Recurrence } from '../calendar/recurrence-parse'
import type { LocalSeconds, Zone } from './zone'

const UNIT_SECONDS = { HOURLY: 3600, MINUTELY: 60, SECONDLY: 1 } as const
type SubDaily = keyof typeof UNIT_SECONDS

/** What a time rule of local times gives, day by day. */
export interface DayTimes {
  /** Whether the day can have any. */
  readonly fits: (day: Day) => boolean
  /** Seconds since the day's midnight, ascending. */
  readonly timesOn: (day: Day) => readonly number[]
}

/** The last local second that UNTIL lets pass. A day lets its whole day pass; an instant is read on the zone's clock. */
function untilLocal(recurrence: Recurrence, zone: Zone): LocalSeconds {
  const { until } = recurrence
  if (until === null) return Infinity
  if (until.form === 'day') return (until.day + 1) * DAY_SECONDS - 1
  return until.form === 'local' ? until.localSeconds : zone.localAt(until.seconds)
}

/** The local date-times of an RFC 5545 recurrence, on local date-times throughout: gaps and overlaps are the caller's. */
export function recurrenceTimes(recurrence: Recurrence, start: LocalSeconds, zone: Zone): DayTimes {
  const until = untilLocal(recurrence, zone)
  return recurrence.freq in UNIT_SECONDS
    ? subDailyTimes(recurrence, start, until)
    : dailyTimes(recurrence, start, until)
}

/** FREQ of a day and longer: every day of a period has the same times; BYSETPOS chooses among all of the period. */
function dailyTimes(recurrence: Recurrence, start: LocalSeconds, until: LocalSeconds): DayTimes {
  const startDay = Math.floor(start / DAY_SECONDS)
  const periods = new RecurrencePeriods(recurrence, startDay)
  const times = timesOfDay(recurrence, start - startDay * DAY_SECONDS)
  const membersOf = (unit: number): readonly LocalSeconds[] => {
    const all = periods.daysIn(unit).flatMap((day) => times.map((time) => day * DAY_SECONDS + time))
    return choose(all, recurrence.positions).filter((local) => local >= start)
  }
  const counted =
    recurrence.count === null
      ? null
      : new CountedEnd(periods, recurrence.count, membersOf, (unit) => periods.earliest(unit) * DAY_SECONDS)
  const endAt = (day: Day): LocalSeconds => Math.min(until, counted?.upTo((day + 1) * DAY_SECONDS) ?? Infinity)

  if (!recurrence.positions) {
    const days = new DaySet((chunk) => {
      if (chunk.last < startDay) return
      const lastDay = Math.floor(endAt(chunk.last) / DAY_SECONDS)
      for (const unit of periods.unitsBetween(Math.max(chunk.first, startDay), chunk.last))
        for (const day of periods.daysIn(unit)) if (day >= startDay && day <= lastDay) chunk.add(day)
    })
    return {
      fits: (day) => days.has(day),
      timesOn: (day) => {
        if (day > startDay && (day + 1) * DAY_SECONDS <= until && counted === null) return times
        const end = endAt(day)
        return times.filter((time) => day * DAY_SECONDS + time >= start && day * DAY_SECONDS + time <= end)
      },
    }
  }
  const chosen = new Map<Day, number[]>()
  const days = new DaySet((chunk) => {
    if (chunk.last < startDay) return
    const end = endAt(chunk.last)
    for (const unit of periods.unitsBetween(Math.max(chunk.first, startDay), chunk.last)) {
      for (const local of membersOf(unit)) {
        const day = Math.floor(local / DAY_SECONDS)
        if (local > end || day < chunk.first || day > chunk.last) continue
        chunk.add(day)
        const list = chosen.get(day)
        if (list) list.push(local - day * DAY_SECONDS)
        else chosen.set(day, [local - day * DAY_SECONDS])
      }
    }
  })
  return { fits: (day) => days.has(day), timesOn: (day) => (days.has(day) ? (chosen.get(day) ?? []) : []) }
}

function timesOfDay(r: Recurrence, startTime: number): number[] {
  const out: number[] = []
  for (const hour of r.hours ?? [Math.floor(startTime / 3600)])
    for (const minute of r.minutes ?? [Math.floor(startTime / 60) % 60])
      for (const second of r.seconds ?? [startTime % 60]) out.push(hour * 3600 + minute * 60 + second)
  return out
}

/** FREQ of hours, minutes and seconds: which units of a day count depends on how far the day is from the start. */
function subDailyTimes(recurrence: Recurrence, start: LocalSeconds, until: LocalSeconds): DayTimes {
  const freq = recurrence.freq as SubDaily
  const unit = UNIT_SECONDS[freq]
  const startDay = Math.floor(start / DAY_SECONDS)
  const periods = new RecurrencePeriods({ ...recurrence, freq: 'DAILY', interval: 1, positions: null }, startDay)
  const step = unit * recurrence.interval
  const startUnit = Math.floor(start / unit) * unit
  const startTime = start - startDay * DAY_SECONDS
  const offsets = within(recurrence, freq, startTime)
  // Where the steps fit whole days, all days are alike.
  const isSame = DAY_SECONDS % step === 0
  let same: number[] | undefined

  const allOn = (day: Day): number[] => {
    if (!periods.limits(day)) return []
    if (isSame && same) return same
    const out: number[] = []
    for (const time of unitsOn(recurrence, freq, day, startUnit, step))
      for (const offset of offsets) out.push(time + offset)
    if (isSame) same = out
    return out
  }
  const membersOf = (day: Day): number[] =>
    allOn(day)
      .map((time) => day * DAY_SECONDS + time)
      .filter((local) => local >= start)
  const counted =
    recurrence.count === null
      ? null
      : new CountedEnd(
          periods,
          recurrence.count,
          membersOf,
          (day) => day * DAY_SECONDS,
          (day) => (day > startDay ? allOn(day) : membersOf(day)).length,
        )
  return {
    fits: (day) => day >= startDay && day <= LAST_DAY && day * DAY_SECONDS <= until && periods.limits(day),
    timesOn: (day) => {
      if (day < startDay) return []
      const base = day * DAY_SECONDS
      const end = Math.min(until, counted?.upTo(base + DAY_SECONDS) ?? Infinity)
      const all = allOn(day)
      if (day > startDay && base + DAY_SECONDS <= end) return all
      return all.filter((time) => base + time >= start && base + time <= end)
    },
  }
}

/** The times within one unit, as seconds from its beginning, with BYSETPOS applied. */
function within(r: Recurrence, freq: SubDaily, startTime: number): readonly number[] {
  const seconds = freq === 'SECONDLY' ? [0] : (r.seconds ?? [startTime % 60])
  const minutes = freq === 'HOURLY' ? (r.minutes ?? [Math.floor(startTime / 60) % 60]) : [0]
  const all = minutes.flatMap((minute) => seconds.map((second) => minute * 60 + second))
  return choose(all, r.positions)
}

/** The units of the day that the interval and BYHOUR, BYMINUTE, BYSECOND let pass, as seconds since midnight, ascending. */
function unitsOn(r: Recurrence, freq: SubDaily, day: Day, startUnit: LocalSeconds, step: number): number[] {
  const base = day * DAY_SECONDS
  const minutes = freq === 'HOURLY' ? null : r.minutes
  const seconds = freq === 'SECONDLY' ? r.seconds : null
  const isAligned = (time: number): boolean => (base + time - startUnit) % step === 0
  const out: number[] = []
  if (!r.hours && !minutes && !seconds) {
    const first = (((startUnit - base) % step) + step) % step
    for (let time = first; time < DAY_SECONDS; time += step) out.push(time)
    return out
  }
  for (const hour of r.hours ?? range(24)) {
    if (freq === 'HOURLY') {
      if (isAligned(hour * 3600)) out.push(hour * 3600)
      continue
    }
    for (const minute of minutes ?? range(60)) {
      if (freq === 'MINUTELY') {
        if (isAligned(hour * 3600 + minute * 60)) out.push(hour * 3600 + minute * 60)
        continue
      }
      for (const second of seconds ?? range(60)) {
        const time = hour * 3600 + minute * 60 + second
        if (isAligned(time)) out.push(time)
      }
    }
  }
  return out
}

const range = (n: number): number[] => Array.from({ length: n }, (_, i) => i)
