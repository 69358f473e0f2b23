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
  ) {
    this.results = plan.steps.map(() => ({ state: 'waiting' }))
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
      const met = this.look(step)
      if (met !== 'open') return { state: 'skipped', reason: met }
      if (step.flow === null) return { state: 'ready' }
      this.begun.add(step.index)
      return { state: 'running' }
    }
    const never =
      step.links.length === 0 ||
      (step.join === 'all' ? links.some((link) => link === false) : links.every((link) => link === false))
    return never && routes.every((route) => route === false) ? { state: 'skipped', reason: 'passed-over' } : null
  }
}
