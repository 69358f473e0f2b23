import type { Plan, PlanStep } from './plan'
import { FlowRun, isEnd, isTaken, type Look, type StepResult } from './state'

export interface Again {
  /** Steps whose results are forgotten, ascending; with those of flow steps all inside them. */
  readonly undecided: readonly number[]
  /** Why it may not be done: paths of steps that are to be undecided and have not ended. */
  readonly inTheWay: readonly string[]
}

/**
 * What is undecided again if a flow is run again from these steps: they themselves, what was cancelled before it started, and whatever links or routes lead to
 * from these, repeatedly; but a step that went ahead by any or by a route keeps its result if a step that keeps its own is enough to take it there.
 * `hasStarted`: whether a first attempt of a step was handed out.
 */
export function undecidedBy(
  plan: Plan,
  results: readonly StepResult[],
  chosen: readonly number[],
  hasStarted: (index: number) => boolean,
): Again {
  const steps = plan.steps
  const out = new Set<number>()
  /** Flow steps around what is undecided: they stand open again, and what comes after them is undecided. */
  const around = new Set<number>()
  const work: number[] = []
  const stepAt = (index: number): PlanStep => stepOf(plan, index)
  const resultAt = (index: number): StepResult => results[index] as StepResult
  const undecide = (index: number): void => {
    if (out.has(index)) return
    out.add(index)
    work.push(index)
    const { parent } = stepAt(index)
    if (parent < 0 || out.has(parent)) return
    for (let at = parent; at >= 0 && !around.has(at); at = stepAt(at).parent) {
      around.add(at)
      work.push(at)
    }
  }
  /** Enough to take the step there: a link of a join of any, or a route, from a step that keeps its result. */
  const isLedTo = (index: number): boolean => {
    const { links, join, routesFrom } = stepAt(index)
    const keeps = (from: number): boolean => !out.has(from) && !around.has(from) && isEnd(resultAt(from))
    return (
      (join === 'any' && links.some(({ from, when }) => keeps(from) && isTaken(resultAt(from), when))) ||
      routesFrom.some((from) => keeps(from) && resultAt(from).state === 'failed')
    )
  }
  const wentAhead = (index: number): boolean => {
    const { state, reason } = resultAt(index)
    if (state === 'cancelled') return hasStarted(index)
    return state === 'succeeded' || state === 'failed' || (state === 'skipped' && reason !== 'passed-over')
  }
  for (const index of chosen) undecide(index)
  for (const { index } of steps) if (resultAt(index).state === 'cancelled' && !hasStarted(index)) undecide(index)
  for (let isMore = true; isMore;) {
    for (let index = work.pop(); index !== undefined; index = work.pop()) {
      const { next, routeTo, children } = stepAt(index)
      for (const to of [...next.map((link) => link.to), ...(routeTo >= 0 ? [routeTo] : [])])
        if (!(wentAhead(to) && isLedTo(to))) undecide(to)
      // All of a flow step that is undecided is forgotten.
      if (out.has(index)) for (const child of children) undecide(child)
    }
    // What kept its result thanks to a step that is undecided by now loses it.
    isMore = false
    for (const { index, links, routesFrom } of steps) {
      if (out.has(index) || (wentAhead(index) && isLedTo(index))) continue
      const comesAfter = (from: number): boolean => out.has(from) || around.has(from)
      if (!links.some(({ from }) => comesAfter(from)) && !routesFrom.some(comesAfter)) continue
      undecide(index)
      isMore = true
    }
  }
  const undecided = [...out].sort((a, b) => a - b)
  return {
    undecided,
    inTheWay: undecided
      .filter((index) => resultAt(index).state === 'ready' || resultAt(index).state === 'running')
      .map((index) => stepAt(index).path),
  }
}

/** The run as it stands when it is run again from these steps: everything else keeps its result. The caller saw to it that nothing is in the way. */
export function runAgain(
  plan: Plan,
  look: Look,
  results: readonly StepResult[],
  chosen: readonly number[],
  hasStarted: (index: number) => boolean,
): FlowRun {
  const { undecided } = undecidedBy(plan, results, chosen, hasStarted)
  const forgotten = new Set(undecided)
  const stood = [...results]
  for (const index of undecided) {
    stood[index] = { state: 'waiting' }
    for (let at = stepOf(plan, index).parent; at >= 0 && !forgotten.has(at); at = stepOf(plan, at).parent)
      stood[at] = { state: 'running' }
  }
  // Within a flow step that is forgotten as a whole nothing is chosen any more.
  const again = chosen.filter((index) => {
    for (let at = stepOf(plan, index).parent; at >= 0; at = stepOf(plan, at).parent) if (forgotten.has(at)) return false
    return true
  })
  return new FlowRun(plan, look, stood, again)
}

const stepOf = (plan: Plan, index: number): PlanStep => plan.steps[index] as PlanStep
