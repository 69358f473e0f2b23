import { FlowFault } from './inputs'
import type { Plan, PlanStep } from './plan'
import { FlowRun, isTaken, type Look } from './state'
import { drawnOf, exceptionsOf, type Known } from './times'

/** Seconds from the beginning of the flow. */
interface Span {
  readonly earliestStart: number
  readonly earliestFinish: number
  readonly latestStart: number
  readonly latestFinish: number
  /** Total slack: how much later the step may start without the flow ending later. */
  readonly slack: number
}

export interface Critical {
  /** Seconds. */
  readonly length: number
  /** Paths of a complete chain that decides the length, from a step without an earlier one to one without a later one. */
  readonly chain: readonly string[]
  readonly steps: ReadonlyMap<string, Span>
}

/**
 * The critical path method (Kelley & Walker 1959) over the steps of a flow itself; a flow in it counts as long as it says, else as its own critical path.
 * `isIdle`: steps that stay in and take no time (their gate is closed, their job is off). Steps that are passed over when everything succeeds are left out; of a
 * join of any only the link that is taken first counts.
 */
export function criticalPath(plan: Plan, isIdle: (step: PlanStep) => boolean): Critical {
  return pathOf(plan, plan.roots, isIdle)
}

function pathOf(plan: Plan, members: readonly number[], isIdle: (step: PlanStep) => boolean): Critical {
  const stepAt = (index: number): PlanStep => plan.steps[index] as PlanStep
  const passedOver = passedOverOf(plan, members)
  const kept = members.filter((index) => !passedOver.has(index))
  const lengthOf = (index: number): number => {
    const step = stepAt(index)
    if (isIdle(step)) return 0
    return step.expect ?? (step.flow === null ? 0 : pathOf(plan, step.children, isIdle).length)
  }
  const start = new Map<number, number>()
  const finish = new Map<number, number>()
  const before = new Map<number, readonly number[]>()
  for (const index of inOrder(plan, kept)) {
    const { links, join } = stepAt(index)
    const counted = links
      .filter(({ from, when }) => !passedOver.has(from) && isTaken({ state: 'succeeded' }, when))
      .map(({ from }) => from)
    const first = Math.min(...counted.map((from) => finish.get(from) as number))
    const those =
      join === 'any' && counted.length > 0 ? [counted.find((from) => finish.get(from) === first) as number] : counted
    before.set(index, those)
    const at = those.reduce((latest, from) => Math.max(latest, finish.get(from) as number), 0)
    start.set(index, at)
    finish.set(index, at + lengthOf(index))
  }
  const length = Math.max(0, ...finish.values())
  const after = new Map<number, number[]>(kept.map((index) => [index, []]))
  for (const [index, those] of before) for (const from of those) after.get(from)?.push(index)
  const latest = new Map<number, number>()
  for (const index of [...start.keys()].reverse()) {
    const ends = (after.get(index) ?? []).map((to) => (latest.get(to) as number) - lengthOf(to))
    latest.set(index, Math.min(length, ...ends))
  }
  const slackOf = (index: number): number => (latest.get(index) as number) - (finish.get(index) as number)
  const chain: number[] = []
  // Of several the one that comes first in the file; the plan is in that order.
  let next = kept.find((index) => before.get(index)?.length === 0 && slackOf(index) === 0)
  while (next !== undefined) {
    chain.push(next)
    const at: number = finish.get(next) as number
    next = (after.get(next) ?? []).sort((a, b) => a - b).find((to) => slackOf(to) === 0 && start.get(to) === at)
  }
  return {
    length,
    chain: chain.map((index) => stepAt(index).path),
    steps: new Map(
      kept.map((index): [string, Span] => {
        const [earliestStart, earliestFinish, latestFinish] = [start, finish, latest].map(
          (map) => map.get(index) as number,
        ) as [number, number, number]
        const slack = latestFinish - earliestFinish
        return [
          stepAt(index).path,
          { earliestStart, earliestFinish, latestStart: earliestStart + slack, latestFinish, slack },
        ]
      }),
    ),
  }
}

/** Steps of these that are passed over when everything succeeds and every gate is open. */
function passedOverOf(plan: Plan, members: readonly number[]): ReadonlySet<number> {
  const only = new Set(members)
  // Flows in it count as a whole here: what becomes of their own steps does not matter.
  const flat: Plan = {
    ...plan,
    roots: members,
    steps: plan.steps.map((step) => (only.has(step.index) ? { ...step, parent: -1, flow: null, children: [] } : step)),
  }
  const open: Look = () => 'open'
  const run = new FlowRun(flat, open)
  for (let ahead = run.takeAhead(); ahead.length > 0; ahead = run.takeAhead())
    for (const index of ahead) run.end(index, 'succeeded')
  return new Set(members.filter((index) => run.result(index).state === 'skipped'))
}

/**
 * Steps that do nothing as things stand: their gate is closed or their job is off, only failures lead to them, or they lie in such a flow step. What is known to have
 * begun, to be over, or to go ahead is none of them.
 */
export function idleSteps(
  plan: Plan,
  look: Look,
  known: (index: number) => Known | null = () => null,
): ReadonlySet<number> {
  const out = exceptionsOf(drawnOf(plan.steps), known)
  // Flow steps come before the steps in them.
  for (const step of plan.steps)
    if (known(step.index) === null && (out.has(step.parent) || foresee(look, step) !== 'open')) out.add(step.index)
  return out
}

/** What a step would meet; `open` where that cannot be said yet. */
export function foresee(look: Look, step: PlanStep): ReturnType<Look> {
  try {
    return look(step)
  } catch (error) {
    if (error instanceof FlowFault) return 'open'
    throw error
  }
}

/**
 * Of each step the longest chain that begins with it and ends with the flow, by links and routes, its own length included; of a step in a flow step also what comes
 * after that. In the unit of `lengthOf`, which is asked about steps with jobs.
 */
export function chainsToTheEnd(plan: Plan, lengthOf: (step: PlanStep) => number): number[] {
  const chains = new Array<number>(plan.steps.length).fill(-1)
  const stepAt = (index: number): PlanStep => plan.steps[index] as PlanStep
  const stack = plan.steps.map(({ index }) => index).reverse()
  while (stack.length > 0) {
    const index = stack.at(-1) as number
    const step = stepAt(index)
    if ((chains[index] as number) >= 0) {
      stack.pop()
      continue
    }
    const later = step.next.map(({ to }) => to)
    if (step.routeTo >= 0) later.push(step.routeTo)
    // A step in a flow step is followed by what follows that, whose chain is known before its own.
    const after = step.parent < 0 ? [] : afterOf(stepAt(step.parent))
    const missing = [...later, ...after, ...(step.flow === null ? [] : step.children)].filter(
      (other) => (chains[other] as number) < 0,
    )
    if (missing.length > 0) {
      stack.push(...missing)
      continue
    }
    stack.pop()
    const longest = (indexes: readonly number[]): number =>
      indexes.reduce((most, other) => Math.max(most, chains[other] as number), 0)
    chains[index] =
      step.flow === null
        ? lengthOf(step) + Math.max(longest(later), longest(after))
        : Math.max(longest(step.children), longest(later))
  }
  return chains
  function afterOf(step: PlanStep): number[] {
    const own = step.next.map(({ to }) => to)
    if (step.routeTo >= 0) own.push(step.routeTo)
    return step.parent < 0 ? own : [...own, ...afterOf(stepAt(step.parent))]
  }
}

/** The steps so that each comes after those that lead to it, by links (Kahn 1962); a bundle with loops is refused before. */
function inOrder(plan: Plan, members: readonly number[]): number[] {
  const only = new Set(members)
  const missing = new Map(
    members.map((index) => [index, (plan.steps[index] as PlanStep).links.filter(({ from }) => only.has(from)).length]),
  )
  const out = members.filter((index) => missing.get(index) === 0)
  for (const index of out)
    for (const { to } of (plan.steps[index] as PlanStep).next) {
      const left = missing.get(to)
      if (left === undefined) continue
      missing.set(to, left - 1)
      if (left === 1) out.push(to)
    }
  return out
}
