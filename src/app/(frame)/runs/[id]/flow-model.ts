import type { FlowStepView } from '@/service/flows/flow-run-view'
import { deciding, exceptionsOf, timesOf, type DrawnStep, type Known, type Span } from '@/core/flow/times'
import { someOf } from '@/core/phrase/some-of'
import { duration } from '@/ui/format'
import type { BarLook } from '@/app/shared/flow/picture-bar'

const DEFAULT_MS = 60_000
const ms = (text: string): number => new Date(text).getTime()

/** When the steps of a flow run were, are and will be, by what has happened and by usual lengths. */
export function runTimes(
  steps: readonly FlowStepView[],
  drawn: readonly DrawnStep[],
  beginsAt: number,
  nowAt: number,
): { readonly times: Span[]; readonly usual: Span[]; readonly decides: Set<number>; readonly endsAt: number } {
  const lengthOf = (index: number): number => steps[index]?.usualMs || DEFAULT_MS
  const known = (index: number): Known | null => {
    const step = steps[index] as FlowStepView
    if (step.state === 'skipped' || step.willSkip || (step.state === 'cancelled' && !step.startedAt))
      return { isSkipped: true, ...(step.endedAt && { start: ms(step.endedAt), end: ms(step.endedAt) }) }
    if (!step.startedAt)
      return step.endedAt
        ? { start: ms(step.endedAt), end: ms(step.endedAt) }
        : step.state === 'ready'
          ? { isSure: true }
          : null
    return { start: ms(step.startedAt), ...(step.endedAt ? { end: ms(step.endedAt) } : {}) }
  }
  const times = timesOf(drawn, lengthOf, known, nowAt, beginsAt)
  const leftOut = exceptionsOf(drawn, known)
  for (const { index } of drawn) if (known(index)?.isSkipped) leftOut.add(index)
  const decides = deciding(drawn, times, leftOut)
  const endsAt = Math.max(beginsAt, ...[...decides].map((index) => times[index]?.end ?? 0))
  // What its day or a switch keeps from running is known from the beginning, so it may shape the lanes: its title needs room of its own.
  const isKept = ({ reason, willSkip }: FlowStepView): boolean =>
    reason === 'gate' || reason === 'off' || willSkip !== null
  const usual = timesOf(
    drawn,
    lengthOf,
    (index) => (isKept(steps[index] as FlowStepView) ? { isSkipped: true } : null),
    undefined,
    beginsAt,
  )
  return { times, usual, decides, endsAt }
}

/** What a step's bar says. */
export function lookOfStep(step: FlowStepView, time: Span | undefined, nowAt: number): BarLook {
  const took = time && step.startedAt ? time.end - time.start : 0
  const isSlow = step.flow === null && step.usualMs > 0 && took > step.usualMs * 1.5 && took - step.usualMs > 5000
  return {
    title: step.title,
    detail: detailOf(step, isSlow, took),
    state: step.state,
    tolerated: step.tolerated,
    held: step.heldBy !== null && (step.state === 'waiting' || step.state === 'ready'),
    gate: step.gate === null ? null : gateOf(step),
    slow: isSlow ? (took - step.usualMs) / took : 0,
    ...(step.state === 'running' && time && { done: (nowAt - time.start) / Math.max(1, time.end - time.start) }),
  }
}

function gateOf({ state, reason, willSkip }: FlowStepView): 'open' | 'closed' | 'unknown' {
  if (reason === 'gate' || willSkip === 'gate') return 'closed'
  return state === 'waiting' ? 'unknown' : 'open'
}

function detailOf(step: FlowStepView, isSlow: boolean, took: number): string {
  if (step.reason === 'gate') return step.gate ?? 'its gate is closed'
  if (step.willSkip === 'gate') return 'gate closed that day'
  if (step.willSkip === 'outer') return 'skipped with its flow step'
  if (step.reason === 'off' || step.willSkip === 'off') return 'switched off'
  if (step.reason === 'passed-over') return 'passed over'
  if (step.marked) return `marked by ${step.marked.by}`
  if (step.heldBy && step.state !== 'running' && step.endedAt === null) return `held by ${step.heldBy}`
  const where = step.agent ?? ''
  if (isSlow) return `${where} · ${duration(took)}, usually ${duration(step.usualMs)}`
  if (step.state === 'running' && step.attempts > 1) return `${where} · try ${step.attempts} of ${step.maxAttempts}`
  if (step.endedAt && step.flow === null) return `${where}${where ? ' · ' : ''}${duration(took)}`
  return where
}

/** Why a step has not started, in a sentence. `null` if it has, or is not going to. */
export function whyStepWaits(step: FlowStepView, steps: readonly FlowStepView[]): string | null {
  const why = step.state === 'waiting' ? whyWaits(step, steps) : null
  return why !== null && step.heldBy !== null
    ? `${why} ${step.heldBy} holds it: it begins only once it is released.`
    : why
}

function whyWaits(step: FlowStepView, steps: readonly FlowStepView[]): string {
  if (step.parent >= 0 && steps[step.parent]?.state === 'waiting')
    return `Waits for ${steps[step.parent]?.path} to begin.`
  const isOver = (index: number): boolean =>
    ['succeeded', 'failed', 'skipped', 'cancelled'].includes(steps[index]?.state ?? 'waiting')
  const missing = step.links.map(({ from }) => from).filter((from) => !isOver(from))
  const routes = steps.filter(({ routeTo, index }) => routeTo === step.index && !isOver(index))
  const named = (indexes: readonly number[]): string => someOf(indexes.map((index) => steps[index]?.title ?? ''))
  if (missing.length > 0)
    return `Waits for ${step.join === 'any' && missing.length > 1 ? 'one of ' : ''}${named(missing)}.`
  if (routes.length > 0) return `Begins only if ${named(routes.map(({ index }) => index))} fails.`
  return 'It is decided in a moment.'
}

/** What steps are called, by path; the path too where several share a title. A path that is none of theirs stands for itself. */
export function namesOf(steps: readonly Pick<FlowStepView, 'path' | 'title'>[]): (path: string) => string {
  const titles = new Map(steps.map(({ path, title }) => [path, title]))
  const times = new Map<string, number>()
  for (const { title } of steps) times.set(title, (times.get(title) ?? 0) + 1)
  return (path) => {
    const title = titles.get(path) ?? path
    return (times.get(title) ?? 0) > 1 ? `${title} (${path})` : title
  }
}

/** Steps that count: those with jobs. */
export function countsOf(steps: readonly FlowStepView[]): { readonly total: number; readonly over: number } {
  const jobs = steps.filter(({ flow }) => flow === null)
  return {
    total: jobs.length,
    over: jobs.filter(({ state }) => !['waiting', 'ready', 'running'].includes(state)).length,
  }
}

/** The step that a person looks for first: what failed, else what runs. */
export function firstToLookAt(steps: readonly FlowStepView[]): FlowStepView | null {
  const jobs = steps.filter(({ flow }) => flow === null)
  return (
    jobs.find(({ state, tolerated }) => state === 'failed' && !tolerated) ??
    jobs.find(({ state }) => state === 'running') ??
    null
  )
}
