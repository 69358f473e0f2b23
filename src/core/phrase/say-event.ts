import type { DayRule } from '../calendar/rule'
import type { After, Backlog, Call, FileEvent, Measure } from '../events/kinds'
import { parseDuration } from '../timing/duration'
import type { NamedCalendar } from './names'
import { sayWhichDays } from './say'

export interface SayableEvent {
  readonly backlog?: Backlog | undefined
  readonly after?: After | undefined
  readonly call?: Call | undefined
  readonly file?: FileEvent | undefined
  readonly measure?: Measure | undefined
  readonly between?: { readonly earliest: string; readonly latest: string } | undefined
  readonly atMost?: { readonly starts: number; readonly in: string } | undefined
  readonly on?: DayRule | undefined
  readonly notOn?: DayRule | undefined
}

/** Titles of what events are about, by id. An id without one stands for itself. */
export interface EventNames {
  readonly queues?: ReadonlyMap<string, string> | undefined
  readonly works?: ReadonlyMap<string, string> | undefined
}

/** One plain sentence for what makes a trigger start, and when it may. */
export function sayEvent(
  event: SayableEvent,
  names: EventNames = {},
  calendars: readonly NamedCalendar[] = [],
): string {
  const { between, atMost, on, notOn } = event
  const times = between ? `, between ${between.earliest} and ${between.latest}` : ''
  const rate = atMost ? `, no more than ${timesWords(atMost.starts)} in ${stretchWords(atMost.in)}` : ''
  return `${cause(event, names)}${sayWhichDays({ on, notOn }, calendars)}${times}${rate}`
}

function cause({ backlog, after, call, file, measure }: SayableEvent, { queues, works }: EventNames): string {
  if (backlog) {
    const queue = queues?.get(backlog.queue) ?? backlog.queue
    const { atLeast, orOldest, perRun, most } = backlog
    const one = atLeast === 1 ? 'an item waits' : `${atLeast} items wait`
    const old = orOldest === undefined ? '' : ` or one has waited ${stretchWords(orOldest)}`
    const each = perRun === 1 ? '' : `, one run for each ${perRun}`
    return `when ${one} in ${queue}${old}${each}, at most ${most} at once`
  }
  if (after) {
    const work = works?.get(after.work) ?? after.work
    if (after.when === 'changed') return `when the output of ${work} has changed`
    return `after ${work} ${{ succeeded: 'has succeeded', failed: 'has failed', ended: 'has ended' }[after.when]}`
  }
  if (measure) return measureWords(measure, { queues, works })
  if (file) return `when a file ${file.path} has come on ${file.on.agent}`
  const some = Object.keys(call?.only ?? {}).length > 0 ? ' with what it asks for' : ''
  return `when it is called${some}`
}

function measureWords({ of, name, above, below, times, clear }: Measure, { queues, works }: EventNames): string {
  const whose =
    of.agent ??
    (of.pool === undefined ? undefined : `an agent of ${of.pool}`) ??
    (of.queue === undefined ? (works?.get(of.job ?? '') ?? of.job) : (queues?.get(of.queue) ?? of.queue))
  const limit = above === undefined ? `below ${below}` : `above ${above}`
  const row = times === 1 ? '' : `, ${timesWords(times)} in a row`
  return `when ${name} of ${whose} is ${limit}${row}${clear === undefined ? '' : `, again once it was ${above === undefined ? 'above' : 'below'} ${clear}`}`
}

const timesWords = (n: number): string => (n === 1 ? 'once' : n === 2 ? 'twice' : `${n} times`)

const UNITS = [
  [604_800, 'week'],
  [86_400, 'day'],
  [3600, 'hour'],
  [60, 'minute'],
  [1, 'second'],
] as const

/** `30 minutes`, `1 hour 30 minutes`; what is no duration stands as it is. */
function stretchWords(duration: string): string {
  let left = parseDuration(duration)
  if (left === undefined || left === 0) return duration
  const parts: string[] = []
  for (const [seconds, unit] of UNITS) {
    const n = Math.floor(left / seconds)
    left -= n * seconds
    if (n > 0) parts.push(`${n} ${unit}${n === 1 ? '' : 's'}`)
  }
  return parts.join(' ')
}
