import type { Day } from '../calendar/days'
import type { DayRule } from '../calendar/rule'
import { isSameValue } from './handed-on'
import { FlowFault } from './inputs'
import type { Gate, Plan, PlanStep } from './plan'
import { FlowRun, type FlowState, type Look, type Outcome, type StepResult } from './state'

/** Whether a day is in a rule's set. */
export type IsDay = (rule: DayRule, day: Day) => boolean

export interface Rehearsal {
  readonly flow: FlowState
  /** By path; steps inside a flow step only if that ran. */
  readonly steps: ReadonlyMap<string, StepResult>
  /** Paths of the steps that ran, by the round in which they started, then by place in the file. */
  readonly order: readonly string[]
  /** Paths of steps that went ahead through a gate on a value that nobody gave: it counted as open. In the order of the file. */
  readonly assumed: readonly string[]
  /** When each step started and ended, seconds from the beginning of the flow; only those that ran. */
  readonly times: ReadonlyMap<string, { readonly start: number; readonly end: number }>
}

/** What a step, by its path, handed on under a name; undefined: that is not known, and a gate on it counts as open. */
export type HandedOn = (path: string, name: string) => string | undefined

/** A step's gate on a day, by the values of its flow's inputs and what steps before handed on. A gate on an input without a value throws a FlowFault. */
export function isOpen(
  gate: Gate | null,
  step: Pick<PlanStep, 'inputs' | 'path'>,
  day: Day,
  isDay: IsDay,
  handedOn: HandedOn = () => undefined,
): boolean {
  if (gate === null) return true
  if ('days' in gate) return isDay(gate.days, day)
  if ('value' in gate) {
    const value = handedOn(gate.value.path, gate.value.name)
    if (value === undefined) return true
    return gate.values.some((each) => isSameValue(each, value)) !== (gate.is === 'not')
  }
  const value = step.inputs.get(gate.input)
  if (value === undefined)
    throw new FlowFault(`The gate of ${step.path} looks at the input ${gate.input}, which has no value.`, 'gate')
  const isAmong = gate.values.some((each) => each === value)
  return gate.is === 'not' ? !isAmong : isAmong
}

/** What steps meet on a day. */
export function lookOn(day: Day, isDay: IsDay, handedOn?: HandedOn): Look {
  return (step) => (!isOpen(step.gate, step, day, isDay, handedOn) ? 'gate' : step.isOff ? 'off' : 'open')
}

/**
 * What would happen, in rounds: everything that can be decided is; then the clock moves to the earliest end of what runs, and all that ends then ends together.
 * A step runs for its usual length whatever becomes of it; `outcomes` are by index, succeeded where none is named.
 */
export function rehearse(
  plan: Plan,
  look: Look,
  outcomes: ReadonlyMap<number, Outcome> = new Map(),
  handedOn: HandedOn = () => undefined,
): Rehearsal {
  const assumed = new Set<number>()
  const run = new FlowRun(plan, (step) => {
    if (step.gate && 'value' in step.gate && handedOn(step.gate.value.path, step.gate.value.name) === undefined)
      assumed.add(step.index)
    return look(step)
  })
  let running: { index: number; end: number }[] = []
  const begun: { index: number; round: number }[] = []
  const starts = new Map<number, number>()
  const times = new Map<string, { start: number; end: number }>()
  let now = 0
  for (let round = 0; ; round++) {
    for (const index of run.takeAhead()) {
      begun.push({ index, round })
      starts.set(index, now)
      if (stepOf(plan, index).flow !== null) continue
      run.started(index)
      running.push({ index, end: now + (stepOf(plan, index).expect ?? 0) })
    }
    if (running.length === 0 && !run.hasDueFlows) break
    // A flow whose last step was decided in this round ends at this instant, before anything that takes time.
    if (!run.hasDueFlows) now = running.reduce((least, { end }) => Math.min(least, end), Infinity)
    const ends = running.filter(({ end }) => end === now)
    running = running.filter(({ end }) => end !== now)
    const ended = run.endTogether(ends.map(({ index }) => [index, outcomes.get(index) ?? 'succeeded']))
    for (const index of ended) times.set(stepOf(plan, index).path, { start: starts.get(index) ?? now, end: now })
  }
  begun.sort((a, b) => a.round - b.round || a.index - b.index)
  const shown = plan.steps.filter(({ parent }) => parent < 0 || run.hasBegun(parent))
  return {
    flow: run.state,
    steps: new Map(shown.map(({ path, index }) => [path, run.result(index)])),
    order: begun.map(({ index }) => stepOf(plan, index).path),
    times,
    assumed: plan.steps.flatMap(({ index, path }) => (assumed.has(index) ? [path] : [])),
  }
}

const stepOf = (plan: Plan, index: number): PlanStep => plan.steps[index] as PlanStep
