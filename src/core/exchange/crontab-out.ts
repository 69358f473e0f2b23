import type { TriggerTiming } from '../bundle/timings'
import { isoDay, parseTimeOfDay, timeOfDay } from '../calendar/days'
import type { DayRule } from '../calendar/rule'
import { parseDuration } from '../timing/duration'
import type { Occurrence, Schedule } from '../timing/schedule'
import type { TimeRule } from '../timing/rule'
import { zoneOf, type Zone } from '../timing/zone'

export interface CrontabRequest {
  readonly title: string
  /** null: what it starts is not one line of shell; `why` says so. */
  readonly command: string | null
  readonly why?: string
  readonly zone: string
  /** null: the clock does not start it. */
  readonly timing: TriggerTiming | null
}

export interface CrontabOut {
  readonly text: string
  readonly notCarried: readonly { readonly title: string; readonly why: string }[]
}

/** How far ahead a crontab line is compared with the trigger it stands for, seconds: three years. */
const COMPARED_SECONDS = 3 * 366 * 86_400
const MOST_COMPARED = 20_000

/**
 * Triggers as a crontab. Only those that a crontab line says exactly are written: line and trigger are computed and compared for three years
 * from `now` (seconds).
 */
export function writeCrontab(
  requests: readonly CrontabRequest[],
  scheduleOf: (timing: TriggerTiming) => Schedule,
  now: number,
): CrontabOut {
  const byZone = new Map<string, string[]>()
  const notCarried: { title: string; why: string }[] = []
  for (const request of requests) {
    const lines = linesOf(request, scheduleOf, now)
    if (typeof lines === 'string') notCarried.push({ title: request.title, why: lines })
    else
      byZone.set(request.zone, [
        ...(byZone.get(request.zone) ?? []),
        `# ${request.title.replace(/\s+/g, ' ')}`,
        ...lines,
      ])
  }
  const text = [...byZone]
    .sort(([a], [b]) => (a < b ? -1 : 1))
    .flatMap(([zone, lines]) => [`CRON_TZ=${zone}`, ...lines, ''])
  return { text: text.join('\n'), notCarried }
}

function linesOf(
  { command, why, timing, zone }: CrontabRequest,
  scheduleOf: (timing: TriggerTiming) => Schedule,
  now: number,
): string[] | string {
  if (timing === null) return 'It starts by what happens, not by the clock.'
  if (command === null) return why ?? 'It starts something other than one line of shell.'
  if (/[\r\n]/.test(command)) return 'Its command has several lines.'
  const times = cronTimes(timing.time)
  if (!times) return 'Its times are not those of a crontab line.'
  const days = weekdayField(timing.on)
  if (days === null) return 'Its days are not weekdays alone.'
  const crons = times.map((fields) => (days === '*' ? fields : withWeekdays(fields, days)))
  if (crons.some((cron) => cron === null)) return 'Its days are not weekdays alone.'
  const ours = scheduleOf({ ...timing, zone }).between(now, now + COMPARED_SECONDS, MOST_COMPARED)
  const end = ours.length < MOST_COMPARED ? now + COMPARED_SECONDS : (ours.at(-1) as Occurrence).at + 1
  const theirs = new Set(
    (crons as string[]).flatMap((cron) =>
      scheduleOf({ time: { cron }, zone })
        .between(now, end)
        .map((o) => o.at),
    ),
  )
  if (ours.length === 0) return 'It fires not once in the next three years.'
  const difference = firstDifference(new Set(ours.map((o) => o.at)), theirs)
  if (difference) {
    const { at, isOurs } = difference
    return `A crontab line would not do the same: ${localTime(zone, at)} ${isOurs ? 'it would not fire, and the trigger does' : 'it would fire, and the trigger does not'}.`
  }
  return (crons as string[]).map((cron) => `${cron} ${command.replaceAll('%', '\\%')}`)
}

/** The first instant that only one of the two has. */
function firstDifference(
  ours: ReadonlySet<number>,
  theirs: ReadonlySet<number>,
): { at: number; isOurs: boolean } | null {
  const only = (of: ReadonlySet<number>, other: ReadonlySet<number>): number =>
    Math.min(...[...of].filter((at) => !other.has(at)), Infinity)
  const [a, b] = [only(ours, theirs), only(theirs, ours)]
  return a === Infinity && b === Infinity ? null : { at: Math.min(a, b), isOurs: a <= b }
}

function localTime(name: string, at: number): string {
  const local = (zoneOf(name) as Zone).localAt(at)
  return `on ${isoDay(Math.floor(local / 86_400))} at ${timeOfDay(local - Math.floor(local / 86_400) * 86_400)}`
}

/** Crontab times that may say the rule, day fields open; null if none can. */
function cronTimes(time: TimeRule): string[] | null {
  if ('cron' in time) return [time.cron.trim().replace(/\s+/g, ' ')]
  if ('at' in time) {
    const seconds = time.at.map((text) => parseTimeOfDay(text) as number)
    if (seconds.some((s) => s % 60 !== 0)) return null
    const hoursOf = new Map<number, Set<number>>()
    for (const s of seconds)
      hoursOf.set((s / 60) % 60, (hoursOf.get((s / 60) % 60) ?? new Set()).add(Math.floor(s / 3600)))
    return [...hoursOf].map(([minute, hours]) => `${minute} ${[...hours].sort((a, b) => a - b).join()} * * *`)
  }
  if ('rrule' in time) return null
  const step = (parseDuration(time.every.step) as number) / 60
  if (!Number.isInteger(step)) return null
  const from = time.every.from === undefined ? 0 : (parseTimeOfDay(time.every.from) as number) / 60
  const until = time.every.until === undefined ? 24 * 60 - 1 : (parseTimeOfDay(time.every.until) as number) / 60
  if (!Number.isInteger(from) || until < from) return null
  if (time.every.from === undefined && time.every.until === undefined && 60 % step === 0) return [`*/${step} * * * *`]
  const minutesOf = new Map<string, number[]>()
  const byHour = new Map<number, number[]>()
  for (let minute = from; minute <= until; minute += step) {
    const hour = Math.floor(minute / 60)
    byHour.set(hour, [...(byHour.get(hour) ?? []), minute % 60])
  }
  for (const [hour, minutes] of byHour) minutesOf.set(minutes.join(), [...(minutesOf.get(minutes.join()) ?? []), hour])
  return [...minutesOf].map(([minutes, hours]) => `${minutes} ${hours.join()} * * *`)
}

const NUMBER = { SU: 0, MO: 1, TU: 2, WE: 3, TH: 4, FR: 5, SA: 6 } as const

/** The day-of-week field for the days; `*` for every day; null for other days. */
function weekdayField(on: DayRule | undefined): string | null {
  if (on === undefined) return '*'
  if (!('weekdays' in on)) return null
  const numbers = [...new Set(on.weekdays.map((code) => NUMBER[code]))].sort((a, b) => a - b)
  return numbers.length === 7 ? '*' : numbers.join() === '1,2,3,4,5' ? '1-5' : numbers.join()
}

function withWeekdays(cron: string, days: string): string | null {
  const fields = cron.split(' ')
  return fields[2] === '*' && fields[4] === '*' ? [...fields.slice(0, 4), days].join(' ') : null
}
