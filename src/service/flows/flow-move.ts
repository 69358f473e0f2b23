import { PRIORITIES, priorityOfStep } from '@/core/dispatch'
import { chainsToTheEnd, idleSteps } from '@/core/flow/critical'
import { sayEnding } from '@/core/flow/ending'
import { FlowFault, givenSecrets } from '@/core/flow/inputs'
import type { Plan, PlanStep } from '@/core/flow/plan'
import type { HandedOn } from '@/core/flow/rehearse'
import { FlowRun, isEnd, type Look, type Outcome, type StepResult } from '@/core/flow/state'
import { stepsReferredTo, stepValues } from '@/core/flow/step-values'
import { parseDuration } from '@/core/timing/duration'
import { wordsOf } from '@/service/base/each-alone'
import type { FlowWorld } from './flow-state'
import { resultOf, starterOf, type FlowRow, type StepChange, type StepRow } from './flow-state'
import { DEFAULT_USUAL_MS } from '@/service/runs/dispatch-input'
import { inputsFor, type NewRun, type WorkToStart } from '@/service/runs/new-run'
import { changeFor, type LifeChange, type LockedRun } from '@/service/runs/run-life'
import type { SharedValues } from '@/service/work/shared-values'

/** Takes a run up as a person wants it, instead of as it stood. */
export type TakeUp = (plan: Plan, look: Look, results: readonly StepResult[], stood: readonly StepRow[]) => FlowRun
export const fromResults: TakeUp = (plan, look, results) => new FlowRun(plan, look, results)

/** Named values that runs handed on, by run. */
export type Outputs = ReadonlyMap<number, Readonly<Record<string, string>>>

/** One flow run on its way from how it stood to how it stands. */
export class Move {
  readonly run: FlowRun | null
  readonly plan: Plan | null
  readonly newRuns: { readonly step: number; readonly run: NewRun; readonly fault: string | null }[] = []
  /** Changes to open runs of steps: cancelled before they started, or asked to stop. */
  readonly stops: LifeChange[] = []
  /** Why it cannot go on at all. */
  fault: string | null = null
  /** Steps that failed now, and for which that matters. */
  readonly failed: number[] = []

  constructor(
    readonly row: FlowRow,
    readonly stood: readonly StepRow[],
    private readonly lives: ReadonlyMap<number, LockedRun>,
    private readonly world: FlowWorld,
    private readonly nowMs: number,
    private readonly build: TakeUp,
    /** What its steps handed on until now, where gates look at it. */
    private readonly handed: Outputs,
  ) {
    let plan: Plan | null = null
    let run: FlowRun | null = null
    try {
      plan = world.plan(row)
      run = this.takeUp(plan)
    } catch (error) {
      this.fault = wordsOf(error)
    }
    this.plan = plan
    this.run = run
  }

  /** The run as it stood, and everything that ended since, in the order in which it did. */
  private takeUp(plan: Plan): FlowRun {
    const results = this.stood.map(resultOf)
    for (const row of this.stood)
      if (row.state === 'ready' && row.attempts > 0) results[row.step] = { state: 'running' }
    // Whoever is asked about has ended, if it ran: what it did not hand on is empty.
    const handedOn: HandedOn = (path, name) => this.handed.get(this.runAt(plan, path) ?? 0)?.[name] ?? ''
    const look = this.world.look(this.row.planId as number, this.row.day as string, handedOn)
    const run = this.build(plan, look, results, this.stood)
    run.endDueFlows()
    const ends: { step: number; atMs: number; outcome: Outcome }[] = []
    for (const row of this.stood) {
      if ((row.state !== 'ready' && row.state !== 'running') || row.stepRunId === null) continue
      if (row.endedAt) ends.push({ step: row.step, atMs: row.endedAt.getTime(), outcome: outcomeOf(row.runState) })
      else if (this.row.stopAskedBy !== null && row.attempts > 0) {
        const change = this.stop(row.stepRunId, this.row.stopAskedBy)
        if (change?.finished) ends.push({ step: row.step, atMs: this.nowMs, outcome: 'cancelled' })
      }
    }
    ends.sort((a, b) => a.atMs - b.atMs || a.step - b.step)
    for (const { step, outcome } of ends) run.end(step, outcome)
    if (this.row.stopAskedBy !== null) run.stop()
    return run
  }

  private stop(stepRunId: number, by: string): LifeChange | null {
    const life = this.lives.get(stepRunId)
    const change = life && changeFor(life, { type: 'stopAsked', atMs: this.nowMs, by }, this.nowMs)
    if (change) this.stops.push(change)
    return change ?? null
  }

  /** Jobs of which runs may be made: of everything that is not over. */
  jobsNeeded(): number[] {
    const { plan, run } = this
    if (!plan || !run) return []
    return plan.steps.flatMap((step) => {
      const { state } = run.result(step.index)
      const isOver = state !== 'waiting' && state !== 'ready'
      return isOver || step.job === null ? [] : (this.world.jobOf(this.row.planId as number, step)?.id ?? [])
    })
  }

  /** Runs of steps whose outputs may be asked for by what has not gone ahead yet. */
  runsReferredTo(): number[] {
    const { plan, run } = this
    if (!plan || !run) return []
    return plan.steps.flatMap((step) =>
      run.result(step.index).state === 'waiting' || run.result(step.index).state === 'ready'
        ? stepsReferredTo(step.definition.with ?? {}).flatMap((name) => this.runBeside(step, name) ?? [])
        : [],
    )
  }

  /** The newest run of a step of the same flow. */
  private runBeside({ path, definition }: PlanStep, name: string): number | null {
    return this.plan && this.runAt(this.plan, path.slice(0, path.length - definition.id.length) + name)
  }

  private runAt(plan: Plan, path: string): number | null {
    const index = plan.byPath.get(path)
    return index === undefined ? null : (this.stood[index]?.stepRunId ?? null)
  }

  /** Makes runs of what goes ahead, and works out what follows at once. */
  work(work: ReadonlyMap<number, WorkToStart>, outputs: Outputs, shared: SharedValues): void {
    const { plan, run } = this
    if (!plan || !run) return
    const hasRun = new Set(
      this.stood.filter((row) => row.state === 'ready' || row.state === 'running').map((row) => row.step),
    )
    let chains: readonly number[] | null = null
    try {
      for (let ahead = run.takeAhead(); ahead.length > 0; ahead = run.takeAhead())
        for (const index of ahead) {
          const step = plan.steps[index] as PlanStep
          if (step.flow !== null || hasRun.has(index)) continue
          chains ??= this.chains(plan, run)
          const made = this.newRun(step, work, chains[index] as number, outputs, shared)
          this.newRuns.push({ step: index, ...made })
          if (made.fault !== null) run.end(index, 'failed')
        }
      run.endDueFlows()
    } catch (error) {
      this.fault = wordsOf(error)
    }
    if (this.fault !== null)
      for (const row of this.stood)
        if (row.stepRunId !== null && !row.endedAt) this.stop(row.stepRunId, 'the end of its flow')
    // Runs of steps that were cancelled before they started.
    for (const row of this.stood)
      if (row.stepRunId !== null && row.state === 'ready' && run.result(row.step).state === 'cancelled')
        this.stop(row.stepRunId, this.row.stopAskedBy ?? 'the end of its flow')
    for (const row of this.stood) {
      const { state, tolerated } = run.result(row.step)
      const isNew = row.state !== 'failed' && state === 'failed' && !tolerated
      if (isNew && plan.steps[row.step]?.flow === null) this.failed.push(row.step)
    }
  }

  /** How long what begins with each step usually takes to the end of the flow, milliseconds; what does nothing as things stand takes none. */
  private chains(plan: Plan, run: FlowRun): readonly number[] {
    const known = (index: number): { isSure: true } | null =>
      run.result(index).state === 'waiting' ? null : { isSure: true }
    // What nobody has handed on yet may open a gate or close it: it counts as open.
    const idle = idleSteps(plan, this.world.look(this.row.planId as number, this.row.day as string), known)
    return chainsToTheEnd(plan, (step) => (idle.has(step.index) ? 0 : this.lengthMs(step)))
  }

  private lengthMs(step: PlanStep): number {
    return this.world.jobOf(this.row.planId as number, step)?.usualMs ?? ((step.expect ?? 0) * 1000 || DEFAULT_USUAL_MS)
  }

  private newRun(
    step: PlanStep,
    works: ReadonlyMap<number, WorkToStart>,
    chainMs: number,
    outputs: Outputs,
    shared: SharedValues,
  ): { run: NewRun; fault: string | null } {
    const work = works.get(this.world.jobOf(this.row.planId as number, step)?.id ?? 0)
    if (!work) throw new FlowFault(`The job of ${step.path} was removed.`, 'flow')
    const handedOn = (of: string, name: string): string => outputs.get(this.runBeside(step, of) ?? 0)?.[name] ?? ''
    const given = step.definition.with ?? {}
    const { inputs, faults } = inputsFor(
      work.definition,
      stepValues(given, step.inputs, handedOn),
      shared.known(starterOf(this.row), this.world.daysAround(this.row.day as string)),
      new Set(givenSecrets(given, step.secrets)),
    )
    const { retry } = step.definition
    const held = this.stood[step.index]?.heldBy ?? null
    return {
      fault: faults.length > 0 ? faults.map((each) => each.message).join(' ') : null,
      run: {
        work,
        inputs,
        cause: 'flow',
        starter: { id: this.row.startedBy, name: this.row.starterName },
        createdAtMs: this.nowMs,
        priority: priorityOfStep(PRIORITIES[this.row.priority] ?? 'normal', work.definition.priority),
        dueAtMs: this.row.dueAt?.getTime() ?? null,
        step: {
          flowRunId: this.row.id,
          index: step.index,
          path: step.path,
          chainMs,
          retry: retry ? { times: retry.times, delayMs: (parseDuration(retry.delay) ?? 0) * 1000 } : null,
          heldBy: held,
        },
      },
    }
  }

  /** What is different from how it stood. */
  changes(newIds: ReadonlyMap<number, number>): StepChange[] {
    const { run } = this
    if (!run) return []
    return this.stood.flatMap((row): StepChange[] => {
      const result = run.result(row.step)
      const stepRunId = newIds.get(row.step) ?? null
      if (stepRunId === null && isSame(resultOf(row), result)) return []
      const isOver = isEnd(result)
      return [
        {
          runId: this.row.id,
          step: row.step,
          result,
          stepRunId,
          startedAtMs:
            stepRunId !== null || (row.state === 'waiting' && result.state !== 'skipped') ? this.nowMs : null,
          endedAtMs: isOver ? (row.endedAt?.getTime() ?? this.nowMs) : null,
        },
      ]
    })
  }

  /** How the flow ends; null: it goes on. */
  get end(): { outcome: 'succeeded' | 'failed' | 'stopped'; reason: string } | null {
    if (this.fault !== null) return { outcome: 'failed', reason: this.fault }
    if (!this.run || !this.plan || this.run.state === 'running') return null
    const { state } = this.run
    return {
      outcome: state === 'cancelled' ? 'stopped' : state,
      reason: sayEnding(
        this.plan,
        this.run,
        this.world.titles(this.row.planId as number, this.plan),
        this.row.stopAskedBy,
      ),
    }
  }
}

const outcomeOf = (state: string | null): Outcome =>
  state === 'succeeded' ? 'succeeded' : state === 'cancelled' ? 'cancelled' : 'failed'

const isSame = (a: StepResult, b: StepResult): boolean =>
  a.state === b.state && a.reason === b.reason && a.tolerated === b.tolerated
