import type { Plan, PlanStep } from './plan'
import type { FlowState, Look, Outcome, StepResult } from './state'

/**
 * The rules of a flow written down as they read, worked out anew from all that is known after each event: slow, and the oracle of the tests. Flow steps that
 * are due end at the next event, as in FlowRun.
 */
export class NaiveFlow {
  readonly results: StepResult[]
  private readonly begun = new Set<number>()

  constructor(
    private readonly plan: Plan,
    private readonly look: Look,
    stood: readonly StepResult[] | null = null,
    again: readonly number[] = [],
  ) {
    this.results = stood ? [...stood] : plan.steps.map(() => ({ state: 'waiting' }))
    for (const { flow, index, children } of plan.steps) {
      const isAway = ['waiting', 'skipped'].includes(this.at(index).state)
      const isUntouched =
        this.at(index).state === 'cancelled' && children.every((child) => this.at(child).state === 'waiting')
      if (flow !== null && !isAway && !isUntouched) this.begun.add(index)
    }
    for (const index of again) this.results[index] = this.ahead(plan.steps[index] as PlanStep)
    this.decide()
  }

  start(index: number): void {
    if (this.results[index]?.state === 'ready') this.results[index] = { state: 'running' }
  }

  end(ends: readonly (readonly [number, Outcome])[]): void {
    const due = this.dueFlows()
    const failed: PlanStep[] = []
    const finish = (index: number, outcome: Outcome): void => {
      const step = this.plan.steps[index] as PlanStep
      const isTolerated = outcome === 'failed' && step.onFailure === 'carryOn'
      this.results[index] = { state: outcome, ...(isTolerated ? { tolerated: true as const } : {}) }
      if (outcome === 'failed') failed.push(step)
    }
    for (const [index, outcome] of ends)
      if (['ready', 'running'].includes(this.results[index]?.state ?? '') && this.plan.steps[index]?.flow === null)
        finish(index, outcome)
    for (const index of due) finish(index, this.stateOf(index) as Outcome)
    for (const step of failed)
      if (step.onFailure === 'endFlow')
        for (const other of this.inside(step.parent))
          if (['waiting', 'ready'].includes(this.at(other.index).state))
            this.results[other.index] = { state: 'cancelled' }
    this.decide()
  }

  /** Flow steps all of whose steps have ended. */
  dueFlows(): number[] {
    return this.plan.steps
      .filter(
        ({ flow, index }) =>
          flow !== null &&
          this.at(index).state === 'running' &&
          this.inside(index).every((step) => this.isOver(step.index)),
      )
      .map(({ index }) => index)
  }

  stateOf(parent: number): FlowState {
    const all = this.inside(parent).map(({ index }) => this.at(index))
    if (all.some(({ state }) => ['waiting', 'ready', 'running'].includes(state))) return 'running'
    if (all.some(({ state, tolerated }) => state === 'failed' && !tolerated)) return 'failed'
    return all.some(({ state }) => state === 'cancelled') ? 'cancelled' : 'succeeded'
  }

  private at(index: number): StepResult {
    return this.results[index] as StepResult
  }
  private inside(parent: number): PlanStep[] {
    return this.plan.steps.filter((step) => step.parent === parent)
  }
  private isOver(index: number): boolean {
    return ['succeeded', 'failed', 'skipped', 'cancelled'].includes(this.at(index).state)
  }

  private decide(): void {
    for (let isChanged = true; isChanged;) {
      isChanged = false
      for (const step of this.plan.steps) {
        if (this.at(step.index).state !== 'waiting' || (step.parent >= 0 && !this.begun.has(step.parent))) continue
        const decided = this.decideOne(step)
        if (!decided) continue
        this.results[step.index] = decided
        isChanged = true
      }
    }
  }

  private ahead(step: PlanStep): StepResult {
    const met = this.look(step)
    if (met !== 'open') return { state: 'skipped', reason: met }
    if (step.flow === null) return { state: 'ready' }
    this.begun.add(step.index)
    return { state: 'running' }
  }

  private decideOne(step: PlanStep): StepResult | null {
    const links = step.links.map(({ from, when }): boolean | null => {
      if (!this.isOver(from)) return null
      const { state, reason, tolerated } = this.at(from)
      const isWell = state === 'succeeded' || tolerated === true || (state === 'skipped' && reason !== 'passed-over')
      if (isWell) return ['succeeded', 'ended', 'over'].includes(when)
      if (state === 'failed') return ['failed', 'ended', 'over'].includes(when)
      return when === 'over'
    })
    const routes = step.routesFrom.map((from): boolean | null =>
      this.isOver(from) ? this.at(from).state === 'failed' : null,
    )
    const byLinks =
      step.links.length === 0 ? routes.length === 0 : step.join === 'all' ? links.every(Boolean) : links.some(Boolean)
    if (byLinks || routes.some(Boolean)) {
      return this.ahead(step)
    }
    const never =
      step.links.length === 0 ||
      (step.join === 'all' ? links.some((link) => link === false) : links.every((link) => link === false))
    return never && routes.every((route) => route === false) ? { state: 'skipped', reason: 'passed-over' } : null
  }
}

/** What is undecided when a finished run is run again from these steps: the sentence of the rule, read until it says nothing new. */
export function undecidedNaively(
  plan: Plan,
  results: readonly StepResult[],
  chosen: readonly number[],
  hasStarted: (index: number) => boolean,
): number[] {
  const out = new Set(chosen)
  const at = (index: number): StepResult => results[index] as StepResult
  const isOver = (index: number): boolean => !['waiting', 'ready', 'running'].includes(at(index).state)
  const taken = (from: number, when: string): boolean => {
    const { state, reason, tolerated } = at(from)
    const isWell = state === 'succeeded' || tolerated === true || (state === 'skipped' && reason !== 'passed-over')
    return when === 'over' || (isWell ? when !== 'failed' : state === 'failed' && when !== 'succeeded')
  }
  for (const { index } of plan.steps) if (at(index).state === 'cancelled' && !hasStarted(index)) out.add(index)
  for (;;) {
    const isOpenAgain = (index: number): boolean =>
      plan.steps.some(({ index: inner }) => {
        if (!out.has(inner)) return false
        for (let up = plan.steps[inner]?.parent ?? -1; up >= 0; up = plan.steps[up]?.parent ?? -1)
          if (up === index) return true
        return false
      })
    const keeps = (index: number): boolean => !out.has(index) && !isOpenAgain(index)
    const before = out.size
    for (const step of plan.steps) {
      if (out.has(step.index)) continue
      const froms = [...step.links.map(({ from }) => from), ...step.routesFrom]
      const isInside = out.has(step.parent)
      if (!isInside && froms.every(keeps)) continue
      const { state, reason } = at(step.index)
      const went =
        ['succeeded', 'failed'].includes(state) ||
        (state === 'skipped' && reason !== 'passed-over') ||
        (state === 'cancelled' && hasStarted(step.index))
      const enough =
        (step.join === 'any' &&
          step.links.some(({ from, when }) => keeps(from) && isOver(from) && taken(from, when))) ||
        step.routesFrom.some((from) => keeps(from) && at(from).state === 'failed')
      if (isInside || !(went && enough)) out.add(step.index)
    }
    if (out.size === before) return [...out].sort((a, b) => a - b)
  }
}
