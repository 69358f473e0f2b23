import type { Plan } from '../flow/plan'
import type { Model } from './model'
import type { Attempt } from './play'

/** What ended at each instant. */
export type Ends = ReadonlyMap<number, readonly Attempt[]>

export function endsOf(attempts: readonly Attempt[]): Ends {
  const ends = new Map<number, Attempt[]>()
  for (const attempt of attempts) {
    if (attempt.end === null || attempt.start === null) continue
    const list = ends.get(attempt.end)
    if (list) list.push(attempt)
    else ends.set(attempt.end, [attempt])
  }
  return ends
}

/**
 * What led to the finish of this occurrence: a chain of runs without gaps in time, as numbers from the last to the first, then `occurrence`, or the agent whose return was waited for.
 * `attempts`: those of this occurrence. Before each run: a step that it follows, else a run that it waited for on its agent, else one that held a lock of it; of several the lowest number.
 */
export function decidedBy(attempts: readonly Attempt[], ends: Ends, model: Model): (number | string)[] {
  const chain: (number | string)[] = []
  let at = lastOf(attempts)
  if (!at) return ['occurrence']
  for (;;) {
    chain.push(at.task.number)
    const before = beforeIt(at, ends)
    if (!before) break
    at = before
  }
  const { start, agent, task } = at
  if (cameBack(model, agent, start)) chain.push(`agent ${agent}`)
  else if (start === task.night.letGo) chain.push('occurrence')
  return chain
}

function cameBack(model: Model, agent: string | null, at: number | null): boolean {
  return model.agents.some(({ name, away }) => name === agent && away.some(({ to }) => to === at))
}

/** The run that ended last; of several the highest number. */
function lastOf(attempts: readonly Attempt[]): Attempt | undefined {
  let last: Attempt | undefined
  for (const attempt of attempts) {
    if (attempt.end === null || attempt.start === null) continue
    const isLater =
      !last ||
      attempt.end > (last.end as number) ||
      (attempt.end === last.end && attempt.task.number > last.task.number)
    if (isLater) last = attempt
  }
  return last
}

function beforeIt(attempt: Attempt, ends: Ends): Attempt | undefined {
  const { task, start, ready, agent } = attempt
  const ended = (ends.get(start as number) ?? []).filter((other) => other !== attempt)
  const first = (found: readonly Attempt[]): Attempt | undefined =>
    found.reduce<Attempt | undefined>(
      (least, each) => (!least || each.task.number < least.task.number ? each : least),
      undefined,
    )
  // What was broken off by its agent's leaving starts over where it was.
  const itself = ended.filter((other) => other.task === task)
  const { plan } = task.night.work
  const earlier = plan ? earlierThan(plan, task.step.index) : null
  const followed = ended.filter((other) => other.task.night === task.night && earlier?.has(other.task.step.index))
  const waited = ready < (start as number)
  const sameAgent = waited ? ended.filter((other) => other.agent === agent) : []
  const lock = waited
    ? ended.filter((other) => Object.keys(task.step.locks).some((name) => name in other.task.step.locks))
    : []
  return first(itself) ?? first(followed) ?? first(sameAgent) ?? first(lock)
}

const known = new WeakMap<Plan, Map<number, ReadonlySet<number>>>()

/** All steps that come before this one, through links, routes and flow steps. */
function earlierThan(plan: Plan, index: number): ReadonlySet<number> {
  let ofPlan = known.get(plan)
  if (!ofPlan) known.set(plan, (ofPlan = new Map()))
  const found = ofPlan.get(index)
  if (found) return found
  const out = new Set<number>()
  const stack = [index]
  const within = (step: number): void => {
    for (const child of plan.steps[step]?.children ?? []) {
      if (out.has(child)) continue
      out.add(child)
      within(child)
    }
  }
  const seen = new Set<number>(stack)
  for (let at = stack.pop(); at !== undefined; at = stack.pop()) {
    const step = plan.steps[at]
    if (!step) continue
    const before = [...step.links.map(({ from }) => from), ...step.routesFrom]
    // The first steps of a flow in the flow follow what it follows.
    for (const from of step.parent >= 0 ? [...before, step.parent] : before) {
      if (seen.has(from)) continue
      seen.add(from)
      stack.push(from)
      if (before.includes(from)) {
        out.add(from)
        within(from)
      }
    }
  }
  ofPlan.set(index, out)
  return out
}
