import type { Plan, PlanStep, When } from './plan'

/**
 * waiting: not decided. ready: it goes ahead, no attempt was handed out yet. running: started, or a flow step whose steps are under way. The others are ends.
 */
type StepState = 'waiting' | 'ready' | 'running' | 'succeeded' | 'failed' | 'skipped' | 'cancelled'
export type SkipReason = 'gate' | 'off' | 'passed-over'
export type FlowState = 'running' | 'succeeded' | 'failed' | 'cancelled'
/** How a step ended, after all retries. */
export type Outcome = 'succeeded' | 'failed' | 'cancelled'

export interface StepResult {
  readonly state: StepState
  readonly reason?: SkipReason
  /** Failed, and it does not matter to the flow. */
  readonly tolerated?: true
}

/** What a step meets when it goes ahead: an open gate, a closed one, or a job that is switched off. */
export type Look = (step: PlanStep) => 'open' | 'gate' | 'off'

const ROOT = -1
const WAITING: StepResult = { state: 'waiting' }

/** Counts of a flow's own steps, or of those of a flow step. */
interface Inside {
  open: number
  failed: number
  cancelled: number
}

/**
 * The logic of one run of a flow: what has started and ended so far → what goes ahead, what is passed over, and how it stands. It knows no time and does
 * nothing itself; the engine, a rehearsal and a test tell it what happened, in the order in which it did. One event costs the links that lead from the step.
 */
export class FlowRun {
  private readonly results: StepResult[]
  private readonly taken: Int32Array
  private readonly decided: Int32Array
  private readonly routesDecided: Int32Array
  private readonly isRouteTaken: Uint8Array
  private readonly inside = new Map<number, Inside>()
  private readonly toLookAt: number[] = []
  private aheadSince: number[] = []
  private due: number[] = []
  private isStopped = false

  /** A run at its beginning, or one as it stood: with the results of all its steps. `again`: undecided steps that go ahead without looking at their links. */
  constructor(
    readonly plan: Plan,
    private readonly look: Look,
    stood: readonly StepResult[] | null = null,
    again: readonly number[] = [],
  ) {
    const n = plan.steps.length
    this.results = stood ? [...stood] : new Array<StepResult>(n).fill(WAITING)
    this.taken = new Int32Array(n)
    this.decided = new Int32Array(n)
    this.routesDecided = new Int32Array(n)
    this.isRouteTaken = new Uint8Array(n)
    this.begin(ROOT, plan.roots)
    if (stood) this.takeUp()
    for (const index of again) if (this.result(index).state === 'waiting') this.goAhead(index)
    this.settle()
  }

  /** Counts what has ended as if it had ended now, and looks at everything that is undecided. */
  private takeUp(): void {
    for (const step of this.plan.steps) {
      const result = this.result(step.index)
      // A flow step that was cancelled before it began has no step of its own that is decided.
      const hasBegun =
        step.flow !== null &&
        result.state !== 'waiting' &&
        result.state !== 'skipped' &&
        (result.state !== 'cancelled' || step.children.some((child) => this.result(child).state !== 'waiting'))
      if (hasBegun) this.begin(step.index, step.children)
    }
    for (const step of this.plan.steps) if (isEnd(this.result(step.index))) this.count(step, this.result(step.index))
  }

  result(index: number): StepResult {
    return this.results[index] as StepResult
  }

  /** Steps that have gone ahead since this was asked last, in the order of the plan: flow steps, and steps with jobs that are ready. */
  takeAhead(): number[] {
    const ahead = this.aheadSince.filter((i) => this.step(i).flow !== null || this.result(i).state === 'ready')
    this.aheadSince = []
    return ahead.sort((a, b) => a - b)
  }

  /** A first attempt of a ready step was handed out. */
  started(index: number): void {
    if (this.result(index).state === 'ready') this.results[index] = { state: 'running' }
  }

  /**
   * These steps with jobs have ended, and with them the flow steps whose steps had all been decided before: all at one instant. Steps that are neither ready
   * nor running are passed over: what has ended stays ended. Flow steps that are due by this in turn are left to the next call. Returns what ended.
   */
  endTogether(ends: readonly (readonly [index: number, outcome: Outcome])[]): readonly number[] {
    const ended: number[] = []
    const due = this.due.filter((index) => this.result(index).state === 'running')
    this.due = []
    for (const [index, outcome] of ends) {
      const { state } = this.result(index)
      if ((state !== 'ready' && state !== 'running') || this.step(index).flow !== null) continue
      this.finish(index, outcome)
      ended.push(index)
    }
    for (const index of due) {
      this.finish(index, this.outcomeOf(index))
      ended.push(index)
    }
    this.endFlowsOf(ended)
    this.settle()
    return ended
  }

  /** Ends the flow steps that are due until none is: for whoever has no rounds. */
  endDueFlows(): void {
    while (this.due.length > 0) this.endTogether([])
  }

  /** One step with a job has ended, and whatever flow step ends by that: for whoever has no rounds. */
  end(index: number, outcome: Outcome): void {
    this.endTogether([[index, outcome]])
    this.endDueFlows()
  }

  get hasDueFlows(): boolean {
    return this.due.length > 0
  }

  /** A flow step's own steps are under way or over. */
  hasBegun(index: number): boolean {
    return this.inside.has(index)
  }

  /** A person stops the flow: what has not started is cancelled, at every depth; what runs ends by itself. */
  stop(): void {
    this.isStopped = true
    for (const step of this.plan.steps) {
      const { state } = this.result(step.index)
      if (state === 'ready' || (state === 'waiting' && this.hasBegun(step.parent))) this.finish(step.index, 'cancelled')
    }
    this.settle()
    this.endDueFlows()
  }

  /** Of the flow itself. */
  get state(): FlowState {
    const { open } = this.inside.get(ROOT) as Inside
    if (open > 0) return 'running'
    return this.isStopped ? 'cancelled' : this.outcomeOf(ROOT)
  }

  private step(index: number): PlanStep {
    return this.plan.steps[index] as PlanStep
  }

  private begin(parent: number, steps: readonly number[]): void {
    this.inside.set(parent, { open: steps.length, failed: 0, cancelled: 0 })
    if (steps.length === 0 && parent !== ROOT) this.due.push(parent)
    for (let i = steps.length - 1; i >= 0; i--) this.toLookAt.push(steps[i] as number)
  }

  private settle(): void {
    for (let index = this.toLookAt.pop(); index !== undefined; index = this.toLookAt.pop()) this.consider(index)
  }

  /** Lets the step go ahead, passes it over, or leaves it waiting. */
  private consider(index: number): void {
    if (this.result(index).state !== 'waiting') return
    const { links, join, routesFrom } = this.step(index)
    const taken = this.taken[index] as number
    const decided = this.decided[index] as number
    const may = links.length === 0 ? routesFrom.length === 0 : join === 'all' ? taken === links.length : taken > 0
    if (may || this.isRouteTaken[index] === 1) return this.goAhead(index)
    const cannot = links.length === 0 || (join === 'all' ? taken < decided : decided === links.length)
    if (cannot && this.routesDecided[index] === routesFrom.length) this.finish(index, 'skipped', 'passed-over')
  }

  private goAhead(index: number): void {
    const step = this.step(index)
    const met = this.look(step)
    if (met !== 'open') return this.finish(index, 'skipped', met)
    this.aheadSince.push(index)
    this.results[index] = { state: step.flow === null ? 'ready' : 'running' }
    if (step.flow !== null) this.begin(index, step.children)
  }

  private finish(index: number, state: Outcome | 'skipped', reason?: SkipReason): void {
    const step = this.step(index)
    const isTolerated = state === 'failed' && step.onFailure === 'carryOn'
    const result: StepResult = {
      state,
      ...(reason ? { reason } : {}),
      ...(isTolerated ? { tolerated: true as const } : {}),
    }
    this.results[index] = result
    this.count(step, result)
  }

  /** Tells the steps that come after, and the flow around, that this one has ended. */
  private count(step: PlanStep, result: StepResult): void {
    for (const { to, link } of step.next) {
      this.decided[to] = (this.decided[to] as number) + 1
      if (isTaken(result, this.step(to).links[link]?.when ?? 'succeeded'))
        this.taken[to] = (this.taken[to] as number) + 1
      this.toLookAt.push(to)
    }
    if (step.routeTo >= 0) {
      this.routesDecided[step.routeTo] = (this.routesDecided[step.routeTo] as number) + 1
      if (result.state === 'failed') this.isRouteTaken[step.routeTo] = 1
      this.toLookAt.push(step.routeTo)
    }
    const inside = this.inside.get(step.parent)
    if (!inside) return
    inside.open--
    if (result.state === 'failed' && !result.tolerated) inside.failed++
    if (result.state === 'cancelled') inside.cancelled++
    if (inside.open === 0 && step.parent !== ROOT) this.due.push(step.parent)
  }

  /** Where a step that ends its flow has failed: what of that flow has neither started nor ended is cancelled, before anything more is decided. */
  private endFlowsOf(ended: readonly number[]): void {
    for (const index of ended) {
      const step = this.step(index)
      if (step.onFailure !== 'endFlow' || this.result(index).state !== 'failed') continue
      for (const other of step.parent === ROOT ? this.plan.roots : this.step(step.parent).children) {
        const { state } = this.result(other)
        if (state === 'waiting' || state === 'ready') this.finish(other, 'cancelled')
      }
    }
  }

  /** Of a flow all of whose steps have ended: the first that holds. */
  private outcomeOf(parent: number): Outcome {
    const { failed, cancelled } = this.inside.get(parent) as Inside
    return failed > 0 ? 'failed' : cancelled > 0 ? 'cancelled' : 'succeeded'
  }
}

export const isEnd = ({ state }: StepResult): boolean =>
  state === 'succeeded' || state === 'failed' || state === 'skipped' || state === 'cancelled'

/** Whether a link from a step that ended so is taken. */
export function isTaken({ state, reason, tolerated }: StepResult, when: When): boolean {
  if (when === 'over') return true
  if (state === 'succeeded' || tolerated || (state === 'skipped' && reason !== 'passed-over')) return when !== 'failed'
  return state === 'failed' && when !== 'succeeded'
}
