import { spend } from '../budget'
import { DAY_SECONDS, LAST_DAY, type Day } from '../calendar/days'
import { choose, CountedEnd, membersOf, notBefore, RecurrencePeriods, type Members } from '../calendar/recurrence'
import type { Recurrence } from '../calendar/recurrence-parse'
import { MOST_LISTED, type DayTimes } from './day-times'
import type { LocalSeconds } from './zone'

const UNIT_SECONDS = { HOURLY: 3600, MINUTELY: 60, SECONDLY: 1 } as const
type SubDaily = keyof typeof UNIT_SECONDS

export const isSubDaily = ({ freq }: Recurrence): boolean => freq in UNIT_SECONDS

/** FREQ of hours, minutes and seconds: which units of a day count depends on how far the day is from the start. */
export function subDailyTimes(recurrence: Recurrence, start: LocalSeconds, until: LocalSeconds): DayTimes {
  const freq = recurrence.freq as SubDaily
  const unit = UNIT_SECONDS[freq]
  const startDay = Math.floor(start / DAY_SECONDS)
  const periods = new RecurrencePeriods({ ...recurrence, freq: 'DAILY', interval: 1, positions: null }, startDay)
  const step = unit * recurrence.interval
  const startUnit = Math.floor(start / unit) * unit
  const offsets = within(recurrence, freq, start - startDay * DAY_SECONDS)
  // Where the steps fit whole days, all days are alike.
  const isSame = DAY_SECONDS % step === 0
  let same: Units | undefined

  const unitsOf = (day: Day): Units => {
    if (isSame && same) return same
    const units = unitsOn(recurrence, freq, day, startUnit, step)
    if (isSame && units.isShort) same = units
    return units
  }
  /** Times of the day from `from` to `to`, both included. */
  function* timesBetween(day: Day, from: number, to: number): Generator<number> {
    for (const at of unitsOf(day).from(from - unit)) {
      if (at > to) return
      for (const offset of offsets) {
        const time = at + offset
        if (time < from) continue
        if (time > to) return
        spend(1)
        yield time
      }
    }
  }
  const counted =
    recurrence.count === null
      ? null
      : new CountedEnd(
          periods,
          recurrence.count,
          (day) => localsOf(day),
          (day) => day * DAY_SECONDS,
        )
  function localsOf(day: Day): Members {
    if (!periods.limits(day)) return membersOf([])
    const base = day * DAY_SECONDS
    const units = unitsOf(day)
    const all = {
      length: units.count() * offsets.length,
      at: (place: number) =>
        base + units.at(Math.floor(place / offsets.length)) + (offsets[place % offsets.length] as number),
    }
    return notBefore(all, start)
  }
  return {
    fits: (day) => day >= startDay && day <= LAST_DAY && day * DAY_SECONDS <= until && periods.limits(day),
    timesOn: (day, from) => {
      if (day < startDay || !periods.limits(day)) return []
      const base = day * DAY_SECONDS
      const end = Math.min(until, counted?.upTo(base + DAY_SECONDS) ?? Infinity)
      return timesBetween(day, Math.max(from, start - base), Math.min(end - base, DAY_SECONDS))
    },
  }
}

/** The times within one unit, as seconds from its beginning, with BYSETPOS applied. */
function within(r: Recurrence, freq: SubDaily, startTime: number): readonly number[] {
  const seconds = freq === 'SECONDLY' ? [0] : (r.seconds ?? [startTime % 60])
  const minutes = freq === 'HOURLY' ? (r.minutes ?? [Math.floor(startTime / 60) % 60]) : [0]
  const all = membersOf(minutes.flatMap((minute) => seconds.map((second) => minute * 60 + second)))
  const chosen = choose(all, r.positions)
  return Array.from({ length: chosen.length }, (_, place) => chosen.at(place))
}

/** The units of one day that the interval and BYHOUR, BYMINUTE, BYSECOND let pass, as seconds since midnight, ascending. */
interface Units {
  /** Takes no memory to speak of. */
  readonly isShort: boolean
  readonly count: () => number
  readonly at: (place: number) => number
  /** From the first one at or after the time on. */
  readonly from: (time: number) => Iterable<number>
}

function unitsOn(r: Recurrence, freq: SubDaily, day: Day, startUnit: LocalSeconds, step: number): Units {
  const base = day * DAY_SECONDS
  const first = (((startUnit - base) % step) + step) % step
  const minutes = freq === 'HOURLY' ? null : r.minutes
  const seconds = freq === 'SECONDLY' ? r.seconds : null
  if (!r.hours && !minutes && !seconds) return evenUnits(first, step)
  const list = listed(r.hours, minutes, seconds, freq, first, step)
  return {
    isShort: list.length <= MOST_LISTED,
    count: () => list.length,
    at: (place) => list[place] as number,
    from: function* (time) {
      for (const at of list) if (at >= time) yield at
    },
  }
}

function evenUnits(first: number, step: number): Units {
  return {
    isShort: true,
    count: () => (first < DAY_SECONDS ? Math.floor((DAY_SECONDS - 1 - first) / step) + 1 : 0),
    at: (place) => first + place * step,
    from: function* (time) {
      const skipped = time > first ? Math.ceil((time - first) / step) : 0
      for (let at = first + skipped * step; at < DAY_SECONDS; at += step) yield at
    },
  }
}

/** Whichever is fewer is gone through: the steps, or what the lists name. */
function listed(
  hours: readonly number[] | null,
  minutes: readonly number[] | null,
  seconds: readonly number[] | null,
  freq: SubDaily,
  first: number,
  step: number,
): number[] {
  const allMinutes = freq === 'HOURLY' ? [0] : (minutes ?? range(60))
  const allSeconds = freq === 'SECONDLY' ? (seconds ?? range(60)) : [0]
  const allHours = hours ?? range(24)
  const named = allHours.length * allMinutes.length * allSeconds.length
  const out: number[] = []
  if (DAY_SECONDS / step < named) {
    spend(Math.ceil((DAY_SECONDS - first) / step) * 2)
    const [hour, minute, second] = [placesIn(allHours), placesIn(allMinutes), placesIn(allSeconds)]
    for (let at = first; at < DAY_SECONDS; at += step) {
      const ofMinute = at % 60
      const minutes = (at - ofMinute) / 60
      const ofHour = minutes % 60
      if (second[ofMinute] && minute[ofHour] && hour[(minutes - ofHour) / 60]) out.push(at)
    }
    return out
  }
  spend(named)
  for (const hour of allHours)
    for (const minute of allMinutes)
      for (const second of allSeconds) {
        const at = hour * 3600 + minute * 60 + second
        if ((at - first) % step === 0) out.push(at)
      }
  return out
}

const range = (n: number): number[] => Array.from({ length: n }, (_, i) => i)

/** 1 at each number that the list has. */
function placesIn(list: readonly number[]): Uint8Array {
  const places = new Uint8Array(60)
  for (const n of list) places[n] = 1
  return places
}
