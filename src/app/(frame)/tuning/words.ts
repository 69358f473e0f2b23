import type { Change } from '@/core/forecast/change'
import type { Forecast, ForecastDeadline, ForecastRun } from '@/core/forecast/report'
import type { Names } from '@/service/forecast/nights'
import { clock } from '@/ui/format'

export const percent = (chance: number): string => `${Math.round(chance * 100)} %`

/** `+31 min`, `−2 h 05`, of seconds. */
export function margin(seconds: number | null): string {
  if (seconds === null) return '—'
  const sign = seconds < 0 ? '−' : '+'
  const minutes = Math.round(Math.abs(seconds) / 60)
  return minutes < 60 ? `${sign}${minutes} min` : `${sign}${hoursOf(Math.abs(seconds))}`
}

/** `2 h 05`, of seconds. */
export function hoursOf(seconds: number): string {
  const minutes = Math.round(seconds / 60)
  return `${Math.floor(minutes / 60)} h ${String(minutes % 60).padStart(2, '0')}`
}

export const triggerTitle = (names: Names, trigger: string): string =>
  trigger.startsWith('#') ? `Started by hand ${trigger}` : (names.triggers[trigger]?.title ?? trigger)
export const jobTitle = (names: Names, job: string): string => names.jobs[job] ?? job

/** The runs that led to a deadline's finish, the first one first. */
export function chainOf(
  { runs }: Pick<Forecast, 'runs'>,
  { decidedBy }: Pick<ForecastDeadline, 'decidedBy'>,
): ForecastRun[] {
  const byNumber = new Map<number, ForecastRun>()
  for (const run of runs) if (run.start !== null) byNumber.set(run.number, run)
  return decidedBy.flatMap((part) => (typeof part === 'number' ? (byNumber.get(part) ?? []) : [])).reverse()
}

/** What decided a finish, in a few words: the last jobs of the chain. */
export function decidedWords(names: Names, chain: readonly ForecastRun[]): string {
  const titles = chain.map(({ target }) => jobTitle(names, target))
  const some = titles.length > 3 ? ['…', ...titles.slice(-3)] : titles
  return some.join(' → ')
}

/** A change in words, as a person would say it. */
export function changeWords(change: Change, names: Names, zone: string): string {
  if ('away' in change) {
    const { agent, from, to } = change.away
    return `${agent} is away from ${clock(from, zone)} to ${clock(to, zone)}`
  }
  if ('length' in change) return `${jobTitle(names, change.length.job)} takes ${change.length.times} times as long`
  if ('slots' in change)
    return 'agent' in change.slots
      ? `${change.slots.agent} has ${change.slots.to} slots`
      : `The pool ${change.slots.pool} has ${change.slots.to} slots`
  if ('units' in change) return `The lock ${change.units.lock} has ${change.units.to} units`
  if ('off' in change) return `${triggerTitle(names, change.off.trigger)} is switched off`
  if ('at' in change) return `${triggerTitle(names, change.at.trigger)} starts at ${change.at.to.join(', ')}`
  if ('window' in change)
    return `${triggerTitle(names, change.window.trigger)} may start from ${change.window.earliest} to ${change.window.latest}`
  if ('finishBy' in change)
    return change.finishBy.to === null
      ? `${triggerTitle(names, change.finishBy.trigger)} has no finish-by`
      : `${triggerTitle(names, change.finishBy.trigger)} is to finish by ${change.finishBy.to}`
  if ('add' in change) return `A trigger ${change.add.trigger.id} more`
  const { work, at, times } = change.extra
  return `${times === 1 ? 'One start' : `${times} starts`} of ${jobTitle(names, work)} more, at ${clock(at, zone)}`
}
