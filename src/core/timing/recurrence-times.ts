import { spend } from '../budget'
import { DaySet } from '../calendar/day-set'
import { DAY_SECONDS, type Day } from '../calendar/days'
import { choose, CountedEnd, membersOf, notBefore, RecurrencePeriods, type Members } from '../calendar/recurrence'
import type { Recurrence } from '../calendar/recurrence-parse'
import { MOST_LISTED, type DayTimes } from './day-times'
import { isSubDaily, subDailyTimes } from './sub-daily'
import type { LocalSeconds, Zone } from './zone'

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
  return isSubDaily(recurrence) ? subDailyTimes(recurrence, start, until) : dailyTimes(recurrence, start, until)
}

/** FREQ of a day and longer: every day of a period has the same times; BYSETPOS chooses among all of the period. */
function dailyTimes(recurrence: Recurrence, start: LocalSeconds, until: LocalSeconds): DayTimes {
  const startDay = Math.floor(start / DAY_SECONDS)
  const periods = new RecurrencePeriods(recurrence, startDay)
  const times = timesOfDay(recurrence, start - startDay * DAY_SECONDS)
  /** Counted, not written down: a year can have 31 million. */
  const localsOf = (unit: number): Members => {
    const days = periods.daysIn(unit)
    const all = {
      length: days.length * times.length,
      at: (place: number) =>
        (days[Math.floor(place / times.length)] as Day) * DAY_SECONDS + times.at(place % times.length),
    }
    return notBefore(choose(all, recurrence.positions), start)
  }
  const counted =
    recurrence.count === null
      ? null
      : new CountedEnd(periods, recurrence.count, localsOf, (unit) => periods.earliest(unit) * DAY_SECONDS)
  const endAt = (day: Day): LocalSeconds => Math.min(until, counted?.upTo((day + 1) * DAY_SECONDS) ?? Infinity)

  if (recurrence.positions) return chosenTimes(periods, startDay, localsOf, endAt)
  const days = new DaySet((chunk) => {
    if (chunk.last < startDay) return
    const lastDay = Math.floor(endAt(chunk.last) / DAY_SECONDS)
    for (const unit of periods.unitsBetween(Math.max(chunk.first, startDay), chunk.last))
      for (const day of periods.daysIn(unit)) if (day >= startDay && day <= lastDay) chunk.add(day)
  })
  return {
    fits: (day) => days.has(day),
    timesOn: (day, from) => {
      const isWhole = day > startDay && (day + 1) * DAY_SECONDS <= until && counted === null
      if (isWhole && times.list) return times.list
      const base = day * DAY_SECONDS
      return some(times, Math.max(from, start - base), isWhole ? Infinity : endAt(day) - base)
    },
  }
}

/** With BYSETPOS: the few chosen ones, by their days. */
function chosenTimes(
  periods: RecurrencePeriods,
  startDay: Day,
  localsOf: (unit: number) => Members,
  endAt: (day: Day) => LocalSeconds,
): DayTimes {
  const chosen = new Map<Day, number[]>()
  const days = new DaySet((chunk) => {
    if (chunk.last < startDay) return
    const end = endAt(chunk.last)
    const found = new Map<Day, number[]>()
    for (const unit of periods.unitsBetween(Math.max(chunk.first, startDay), chunk.last)) {
      const locals = localsOf(unit)
      for (let place = 0; place < locals.length; place++) {
        const local = locals.at(place)
        const day = Math.floor(local / DAY_SECONDS)
        if (local > end || day < chunk.first || day > chunk.last) continue
        chunk.add(day)
        const list = found.get(day)
        if (list) list.push(local - day * DAY_SECONDS)
        else found.set(day, [local - day * DAY_SECONDS])
      }
    }
    // Only once nothing more can go wrong: a chunk that was given up is filled again.
    for (const [day, list] of found) chosen.set(day, list)
  })
  return {
    fits: (day) => days.has(day),
    timesOn: (day) => (days.has(day) ? (chosen.get(day) ?? []) : []),
  }
}

interface TimesOfDay extends Members {
  /** All of them, if they are few. */
  readonly list: readonly number[] | null
}

function timesOfDay(r: Recurrence, startTime: number): TimesOfDay {
  const hours = r.hours ?? [Math.floor(startTime / 3600)]
  const minutes = r.minutes ?? [Math.floor(startTime / 60) % 60]
  const seconds = r.seconds ?? [startTime % 60]
  const length = hours.length * minutes.length * seconds.length
  const at = (place: number): number => {
    const minute = Math.floor(place / seconds.length)
    return (
      (hours[Math.floor(minute / minutes.length)] as number) * 3600 +
      (minutes[minute % minutes.length] as number) * 60 +
      (seconds[place % seconds.length] as number)
    )
  }
  if (length > MOST_LISTED) return { length, at, list: null }
  const list = Array.from({ length }, (_, place) => at(place))
  return { ...membersOf(list), list }
}

/** Those from the one to the other, both included, one by one. */
function some(members: Members, from: number, to: number): Iterable<number> {
  return {
    *[Symbol.iterator]() {
      const rest = notBefore(members, from)
      for (let place = 0; place < rest.length && rest.at(place) <= to; place++) {
        spend(1)
        yield rest.at(place)
      }
    },
  }
}
