import { DAY_SECONDS, parseTimeOfDay, type Day } from '../calendar/days'
import type { Zone } from '../timing/zone'

/** When a robot may work, on the local clock: from one time of the day until before another, on some days. Open at an end: that end of the day. */
export interface Hours {
  /** `HH:MM`. */
  readonly earliest: string | null
  readonly latest: string | null
}

/** Whether it may work on a local date; null: on every day. */
type IsDay = ((day: Day) => boolean) | null

const isAlways = ({ earliest, latest }: Hours): boolean => earliest === latest

/**
 * Whether an instant lies in these hours. Hours that end before they begin go on past midnight, and belong to the day on which they began; equal ends are the whole day.
 *
 * @param at seconds since the epoch
 */
export function isInHours(hours: Hours, isDay: IsDay, zone: Zone, at: number): boolean {
  const local = zone.localAt(at)
  const today = Math.floor(local / DAY_SECONDS)
  const isDayOn = isDay ?? ((): boolean => true)
  if (isAlways(hours)) return isDayOn(today)
  const time = local - today * DAY_SECONDS
  const from = secondsOf(hours.earliest, 0)
  const to = secondsOf(hours.latest, DAY_SECONDS)
  if (from < to) return from <= time && time < to && isDayOn(today)
  return (time >= from && isDayOn(today)) || (time < to && isDayOn(today - 1))
}

function secondsOf(time: string | null, otherwise: number): number {
  return time === null ? otherwise : (parseTimeOfDay(time) ?? otherwise)
}

/** How far back and ahead changes are looked for, in days. */
const MOST_DAYS = 400

/** The last instant, at or before this one, at which it changed whether it is in its hours; null: not within a good year. Seconds since the epoch. */
export function hoursSince(hours: Hours, isDay: IsDay, zone: Zone, at: number): number | null {
  if (isDay === null && isAlways(hours)) return null
  const now = isInHours(hours, isDay, zone, at)
  const today = Math.floor(zone.localAt(at) / DAY_SECONDS)
  const times = [0, secondsOf(hours.earliest, 0), secondsOf(hours.latest, 0)]
  for (let day = today; day > today - MOST_DAYS; day--) {
    const edges = times.flatMap((time) => instantsOf(zone, day * DAY_SECONDS + time))
    const midnight = Math.min(...edges)
    // A clock that is set takes it in or out of its hours as well.
    for (const change of zone.changesBetween(midnight, midnight + 2 * DAY_SECONDS)) edges.push(change.at)
    // Between two edges nothing changes.
    for (const edge of edges.filter((each) => each <= at).sort((a, b) => b - a))
      if (isInHours(hours, isDay, zone, edge - 1) !== now) return edge
  }
  return null
}

/** When it is out of its hours in this stretch, ascending and apart from each other. Seconds since the epoch, from included, to excluded. */
export function outOfHours(
  hours: Hours,
  isDay: IsDay,
  zone: Zone,
  from: number,
  to: number,
): { from: number; to: number }[] {
  if (isDay === null && isAlways(hours)) return []
  const times = [0, secondsOf(hours.earliest, 0), secondsOf(hours.latest, 0)]
  const edges = new Set([from])
  const firstDay = Math.floor(zone.localAt(from) / DAY_SECONDS) - 1
  for (let day = firstDay; (day - 1) * DAY_SECONDS <= zone.localAt(to); day++)
    for (const edge of times.flatMap((time) => instantsOf(zone, day * DAY_SECONDS + time))) edges.add(edge)
  for (const { at } of zone.changesBetween(from, to)) edges.add(at)
  const found: { from: number; to: number }[] = []
  for (const edge of [...edges].filter((each) => from <= each && each < to).sort((a, b) => a - b)) {
    const last = found.at(-1)
    const isOut = !isInHours(hours, isDay, zone, edge)
    if (isOut && (!last || last.to < edge)) found.push({ from: edge, to })
    else if (!isOut && last && last.to > edge) last.to = edge
  }
  return found
}

/** A time that the clock skips is the one that it shows next; one that it shows twice are two. */
function instantsOf(zone: Zone, local: number): number[] {
  const reading = zone.read(local)
  return reading.kind === 'twice' ? [reading.first, reading.second] : [reading.at]
}

/** In words, with the calendar's name if there is one. */
export function hoursWords({ earliest, latest, calendar }: Hours & { readonly calendar: string | null }): string {
  const times = earliest === latest ? '' : `${earliest ?? '00:00'}–${latest ?? '24:00'}`
  return [times, calendar === null ? '' : `on days of ${calendar}`].filter(Boolean).join(' ') || 'always'
}
