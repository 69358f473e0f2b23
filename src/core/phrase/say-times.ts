import { parseTimeOfDay, timeOfDay } from '../calendar/days'
import { parseCron, type Cron } from '../timing/cron'
import { parseDuration } from '../timing/duration'
import type { EveryRule, TimeRule } from '../timing/rule'
import type { DayRule } from '../calendar/rule'
import { anyOf, allOf, EVERY_DAY, monthsRule, weekdaysRule } from './rules'
import { sayRecurrence } from './say-recurrence'
import { listed } from './words'

export interface SaidTimes {
  readonly says: string
  /** Days that the time rule itself is bound to; they are said with the trigger's days. */
  readonly days: DayRule | null
}

/** Says a time rule so that the reader of phrases takes it for the same instants. */
export function sayTimes(rule: TimeRule): SaidTimes {
  if ('at' in rule) return { says: `at ${listed(sorted(rule.at))}`, days: null }
  if ('every' in rule) return { says: sayEvery(rule.every), days: null }
  if ('rrule' in rule) return { says: sayRecurrence(rule.rrule, rule.start, 'times'), days: null }
  return sayCron(rule.cron)
}

/** Each time once, in order, written as short as it can be. */
function sorted(times: readonly string[]): string[] {
  return [...new Set(times.map((time) => parseTimeOfDay(time) as number))].sort((a, b) => a - b).map(timeOfDay)
}

function short(time: string): string {
  return timeOfDay(parseTimeOfDay(time) as number)
}

function sayEvery({ step, from, until }: EveryRule): string {
  const seconds = parseDuration(step) as number
  const parts = [
    [Math.floor(seconds / 3600), 'hour'],
    [Math.floor(seconds / 60) % 60, 'minute'],
    [seconds % 60, 'second'],
  ] as const
  const said = parts.filter(([n]) => n > 0)
  const [first] = said
  const words =
    said.length === 1 && first?.[0] === 1
      ? first[1]
      : said.map(([n, unit]) => `${n} ${unit}${n === 1 ? '' : 's'}`).join(' ')
  const span =
    from !== undefined && until !== undefined
      ? ` between ${short(from)} and ${short(until)}`
      : from !== undefined
        ? ` from ${short(from)}`
        : until !== undefined
          ? ` until ${short(until)}`
          : ''
  return `every ${words}${span}`
}

/** More times than this are said by hours and minutes. */
const MOST_TIMES = 6

function sayCron(text: string): SaidTimes {
  const parsed = parseCron(text)
  if (!parsed.ok) throw new Error(`An unchecked crontab time: ${text}`)
  const cron = parsed.value
  const days = daysOf(cron)
  const minutes =
    cron.minutes.length === 60
      ? 'every minute'
      : `minute${cron.minutes.length === 1 ? '' : 's'} ${ranges(cron.minutes)}`
  if (!cron.followsClock) {
    const times = cron.hours.flatMap((hour) => cron.minutes.map((minute) => hour * 3600 + minute * 60))
    const says =
      times.length <= MOST_TIMES
        ? `at ${listed(times.map(timeOfDay))}`
        : `at ${minutes} of the hours ${ranges(cron.hours)}`
    return { says, days }
  }
  const step = cron.hours.length === 1 ? 24 : (cron.hours[1] as number) - (cron.hours[0] as number)
  const isRegular = cron.hours.every((hour, i) => hour === i * step) && cron.hours.length === Math.ceil(24 / step)
  if (!isRegular) return { says: `at the times of the crontab line “${text.trim().replace(/\s+/g, ' ')}”`, days: null }
  return { says: `at ${minutes} of every ${step === 1 ? 'hour' : `${ordinalOf(step)} hour`}`, days }
}

function ordinalOf(n: number): string {
  return `${n}${n % 10 === 2 && n !== 12 ? 'nd' : n % 10 === 3 && n !== 13 ? 'rd' : n % 10 === 1 && n !== 11 ? 'st' : 'th'}`
}

/** `6 to 22`, `0, 15, 30 and 45`: stretches of three and more are said by their ends. */
function ranges(values: readonly number[]): string {
  const out: string[] = []
  for (let i = 0; i < values.length;) {
    let end = i
    while (values[end + 1] === (values[end] as number) + 1) end++
    if (end - i >= 2) out.push(`${values[i]} to ${values[end]}`)
    else for (let k = i; k <= end; k++) out.push(String(values[k]))
    i = end + 1
  }
  return listed(out)
}

function daysOf(cron: Cron): DayRule | null {
  const byDate: DayRule =
    cron.daysOfMonth.length === 31
      ? EVERY_DAY
      : anyOf(cron.daysOfMonth.map((n): DayRule => ({ nth: { n, of: EVERY_DAY, in: 'month' } })))
  const byWeekday = weekdaysRule(cron.daysOfWeek.map((d) => (d + 6) % 7))
  const byDay = cron.eitherDay ? anyOf([byDate, byWeekday]) : allOf([byDate, byWeekday])
  const rule = cron.months.length === 12 ? byDay : allOf([byDay, monthsRule(cron.months)])
  return 'weekdays' in rule && rule.weekdays.length === 7 ? null : rule
}
