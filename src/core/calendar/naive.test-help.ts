import { SHIPPED_HOLIDAYS } from './holiday-data'
import { civil, isoDay, periodAround, weekdayIndex, WEEKDAYS, type Day } from './days'
import { REACH_DAYS, type DayRule } from './rule'

/**
 * Day rules written down as plainly as they read, day by day, without any cleverness: slow, and the oracle for compiled rules. Recurrences are left out: they are
 * compared with a library.
 */
export function naiveDays(rule: DayRule, from: Day, to: Day): Set<Day> {
  const all = Array.from({ length: to - from + 1 }, (_, i) => from + i)
  const where = (fits: (day: Day) => boolean): Set<Day> => new Set(all.filter(fits))
  if ('weekdays' in rule) return where((day) => rule.weekdays.includes(WEEKDAYS[weekdayIndex(day)] as 'MO'))
  if ('dates' in rule) {
    const texts = rule.dates.map((entry) => (typeof entry === 'string' ? entry : entry.date))
    return where((day) => texts.includes(isoDay(day)))
  }
  if ('between' in rule) {
    const [first, last] = rule.between
    return where((day) => {
      const at = isoDay(day).slice(5)
      return first <= last ? at >= first && at <= last : at >= first || at <= last
    })
  }
  if ('holidays' in rule) {
    const found = new Set<Day>()
    for (let year = civil(from).year - 1; year <= civil(to).year; year++)
      for (const { day } of SHIPPED_HOLIDAYS.holidays(rule.holidays, year)) found.add(day)
    return where((day) => found.has(day))
  }
  if ('any' in rule) {
    const sets = rule.any.map((each) => naiveDays(each, from, to))
    return where((day) => sets.some((set) => set.has(day)))
  }
  if ('all' in rule) {
    const sets = rule.all.map((each) => naiveDays(each, from, to))
    return where((day) => sets.every((set) => set.has(day)))
  }
  if ('not' in rule) {
    const set = naiveDays(rule.not, from, to)
    return where((day) => !set.has(day))
  }
  if ('nth' in rule) {
    const { n, of, in: unit, yearStart } = rule.nth
    const members = naiveDays(of, from - 400, to + 400)
    return where((day) => {
      const [first, last] = periodAround(day, unit, yearStart)
      const list = Array.from({ length: last - first + 1 }, (_, i) => first + i).filter((each) => members.has(each))
      return (n > 0 ? list[n - 1] : list[list.length + n]) === day
    })
  }
  if ('shift' in rule) {
    const { of, days, counting } = rule.shift
    const sources = naiveDays(of, from - REACH_DAYS, to + REACH_DAYS)
    if (!counting) return where((day) => sources.has(day - days))
    const members = naiveDays(counting, from - 2 * REACH_DAYS, to + 2 * REACH_DAYS)
    return targetsOf(sources, from, to, (day) => {
      if (days === 0) return members.has(day) ? day : null
      let left = Math.abs(days)
      for (let distance = 1; distance <= REACH_DAYS; distance++) {
        const at = day + Math.sign(days) * distance
        if (members.has(at) && --left === 0) return at
      }
      return null
    })
  }
  if ('roll' in rule) {
    const { of, onto, to: way } = rule.roll
    const sources = naiveDays(of, from - REACH_DAYS, to + REACH_DAYS)
    const members = naiveDays(onto, from - 2 * REACH_DAYS, to + 2 * REACH_DAYS)
    return targetsOf(sources, from, to, (day) => {
      if (members.has(day)) return day
      const seek = (step: 1 | -1): Day | null => {
        for (let distance = 1; distance <= REACH_DAYS; distance++)
          if (members.has(day + step * distance)) return day + step * distance
        return null
      }
      if (way === 'next') return seek(1)
      if (way === 'previous') return seek(-1)
      const [next, previous] = [seek(1), seek(-1)]
      if (way === 'nearest') {
        if (next === null || previous === null) return next ?? previous
        return next - day <= day - previous ? next : previous
      }
      return next !== null && isoDay(next).slice(0, 7) === isoDay(day).slice(0, 7) ? next : previous
    })
  }
  throw new Error('The oracle knows no recurrences and no calendars.')
}

function targetsOf(sources: ReadonlySet<Day>, from: Day, to: Day, target: (day: Day) => Day | null): Set<Day> {
  const out = new Set<Day>()
  for (const day of sources) {
    const at = target(day)
    if (at !== null && at >= from && at <= to) out.add(at)
  }
  return out
}
