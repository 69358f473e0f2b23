import { isoDay } from '@/core/calendar/days'
import { PRIORITIES } from '@/core/dispatch'
import { chainsToTheEnd, idleSteps } from '@/core/flow/critical'
import { FlowFault } from '@/core/flow/inputs'
import type { Plan, PlanStep } from '@/core/flow/plan'
import { FlowRun, isEnd, type Look, type Outcome, type StepResult } from '@/core/flow/state'
import { stepsReferredTo, stepValues } from '@/core/flow/step-values'
import { someOf } from '@/core/phrase/some-of'
import { parseDuration } from '@/core/timing/duration'
import { zoneOf } from '@/core/timing/zone'
import { config } from '@/store/config'
import { execute, many, transaction, type Tx } from '@/store/db'
import { notify } from '@/store/listen'
import { asKnown, keepPlans, presentPlans, secretsWithin } from './flow-plans'
import {
  FlowWorld,
  lockFlows,
  resultOf,
  starterOf,
  stepRows,
  writeSteps,
  type FlowRow,
  type StepChange,
  type StepRow,
} from './flow-state'
import { DEFAULT_USUAL_MS } from './leases'
import { closeMattersOf, openFlowMatters, openMatters } from './matters'
import { inputsFor, insertRuns, workToStart, type NewRun, type WorkToStart } from './new-run'
import { changeFor, lockRuns, noteStop, writeLives, type LifeChange, type LockedRun } from './run-life'
import { sealInputs, unsealInputs } from './secrets'
import { SharedValues } from './shared-values'
import { timingState } from './timing-cache'

/** Flow runs moved on in one transaction. */
const MOST_FLOWS = 60

/**
 * Moves flow runs on: begins those that are ready, and looks at those in which a step ended or a person did something. Any engine may do it: a flow run that
 * another one is at is left to it. All of it follows from the database, so it goes on after any kill. Returns how many were moved, and whether more may wait.
 */
export async function advanceFlows(nowMs: number): Promise<Advance> {
  await timingState(null)
  try {
    return await advanceSome(nowMs, null)
  } catch (error) {
    // One flow run that cannot be moved must not keep the others: each by itself, and the fault is told at the end.
    const ids = await many<{ runId: number }>(
      null,
      `SELECT DISTINCT run_id AS "runId" FROM flow_wakes UNION SELECT id FROM runs WHERE kind = 'flow' AND state = 'ready' LIMIT 1000`,
    )
    let moved = 0
    for (const { runId } of ids)
      moved += await advanceSome(nowMs, runId).then(
        (done) => done.moved,
        () => 0,
      )
    if (moved === 0) throw error
    return { moved, more: false }
  }
}

interface Advance {
  readonly moved: number
  readonly more: boolean
}

async function advanceSome(nowMs: number, only: number | null): Promise<Advance> {
  return transaction(async (tx) => {
    const wakes = await many<{ id: number; runId: number }>(
      tx,
      'SELECT id, run_id AS "runId" FROM flow_wakes WHERE $1::bigint IS NULL OR run_id = $1 ORDER BY id LIMIT 500',
      [only],
    )
    const ready = await many<{ id: number }>(
      tx,
      `SELECT r.id FROM runs r JOIN jobs j ON j.id = r.job_id WHERE r.kind = 'flow' AND r.state = 'ready' AND r.held_by IS NULL AND j.active AND ($1::bigint IS NULL OR r.id = $1)
        ORDER BY r.priority, r.id LIMIT ${MOST_FLOWS}`,
      [only],
    )
    const wanted = [...new Set([...wakes.map((wake) => wake.runId), ...ready.map((row) => row.id)])].slice(
      0,
      MOST_FLOWS,
    )
    if (wanted.length === 0) return { moved: 0, more: false }
    const rows = await lockFlows(tx, wanted, 'if free')
    const locked = new Set(rows.map((row) => row.id))
    await execute(tx, 'DELETE FROM flow_wakes WHERE id = ANY($1)', [
      wakes.filter((wake) => locked.has(wake.runId)).map((wake) => wake.id),
    ])
    const moved = await moveOn(
      tx,
      rows.filter((row) => row.state === 'ready' || row.state === 'running'),
      nowMs,
    )
    return {
      moved,
      more: moved > 0 && (wakes.length === 500 || ready.length === MOST_FLOWS || wanted.length === MOST_FLOWS),
    }
  })
}

/** Takes a run up as a person wants it, instead of as it stood. */
export type TakeUp = (plan: Plan, look: Look, results: readonly StepResult[], stood: readonly StepRow[]) => FlowRun
const asItStood: TakeUp = (plan, look, results) => new FlowRun(plan, look, results)

/** Works these locked flow runs out from what has happened. */
export async function moveOn(
  tx: Tx,
  rows: readonly FlowRow[],
  nowMs: number,
  takeUp: TakeUp = asItStood,
): Promise<number> {
  if (rows.length === 0) return 0
  const shared = await SharedValues.read(tx)
  const begun = await begin(
    tx,
    rows.filter((row) => row.state === 'ready'),
    shared,
    nowMs,
  )
  const all = [...rows.filter((row) => row.state === 'running'), ...begun]
  const steps = await stepRows(
    tx,
    all.map((row) => row.id),
  )
  const open = [...steps.values()].flatMap((list) =>
    list.flatMap(({ state, stepRunId }) =>
      (state === 'ready' || state === 'running') && stepRunId !== null ? [stepRunId] : [],
    ),
  )
  // What is open is locked before it is read for good: no hand-out and no report comes in between.
  const lives = await lockRuns(tx, [...all.map((row) => row.id), ...open])
  const fresh =
    open.length > 0
      ? await stepRows(
          tx,
          all.map((row) => row.id),
        )
      : steps
  const world = await FlowWorld.read(tx, [...new Set(all.map((row) => row.planId as number))])
  const moves = all.map((row) => new Move(row, fresh.get(row.id) ?? [], lives, world, nowMs, takeUp))
  const work = await workToStart(tx, [...new Set(moves.flatMap((move) => move.jobsNeeded()))])
  const outputs = await outputsOf(
    tx,
    moves.flatMap((move) => move.runsReferredTo()),
  )
  for (const move of moves) move.work(work, outputs, shared)
  await write(tx, moves, lives, nowMs)
  return moves.length
}

/** Named values that runs handed on, by run. */
type Outputs = ReadonlyMap<number, Readonly<Record<string, string>>>

async function outputsOf(tx: Tx, runIds: readonly number[]): Promise<Outputs> {
  if (runIds.length === 0) return new Map()
  const rows = await many<{ id: number; outputs: Record<string, string> }>(
    tx,
    'SELECT r.id, a.outputs FROM runs r JOIN attempts a ON a.run_id = r.id AND a.number = r.attempts WHERE r.id = ANY($1)',
    [runIds],
  )
  return new Map(rows.map((row) => [row.id, row.outputs]))
}

/** Fixes what these flow runs carry out and their day, and writes their steps. */
async function begin(tx: Tx, rows: readonly FlowRow[], shared: SharedValues, nowMs: number): Promise<FlowRow[]> {
  if (rows.length === 0) return []
  const lives = await lockRuns(
    tx,
    rows.map((row) => row.id),
  )
  const changes = rows.flatMap((row): LifeChange[] => {
    const run = lives.get(row.id)
    const change = run && changeFor(run, { type: 'handedOut', atMs: nowMs }, nowMs)
    return change && !('ok' in change) ? [change] : []
  })
  const done = await writeLives(tx, changes)
  const going = rows.filter((row) => done.has(row.id))
  const present = await presentPlans(tx, [...new Set(going.map((row) => row.jobId))])
  const knownPlans = new Map(
    going.flatMap((row) => {
      const plan = present.get(row.jobId)
      return plan ? [[row.id, asKnown(plan, shared.known(starterOf(row)))] as const] : []
    }),
  )
  const plans = await keepPlans(tx, knownPlans)
  const begun = going.map((row) => {
    const within = secretsWithin(present.get(row.jobId), shared)
    return {
      ...row,
      state: 'running',
      planId: plans.get(row.id) ?? null,
      secrets: Object.keys(within).length > 0 ? sealInputs({ ...unsealInputs(row.secrets), ...within }) : row.secrets,
      day: row.day ?? row.occurrenceDay ?? dayAt(nowMs, row.zone),
    }
  })
  await execute(
    tx,
    `UPDATE runs r SET plan_id = u.plan, flow_day = u.day, secrets = u.secrets
       FROM unnest($1::bigint[], $2::bigint[], $3::date[], $4::bytea[]) AS u(id, plan, day, secrets) WHERE r.id = u.id`,
    [
      begun.map((row) => row.id),
      begun.map((row) => row.planId),
      begun.map((row) => row.day),
      begun.map((row) => row.secrets),
    ],
  )
  const world = await FlowWorld.read(tx, [...new Set(begun.flatMap((row) => row.planId ?? []))])
  const places = begun.flatMap((row) => {
    try {
      return world.plan(row).steps.map(({ index }) => ({ runId: row.id, step: index }))
    } catch (error) {
      // Inputs that its flow no longer takes: told when it is worked out.
      if (error instanceof FlowFault) return []
      throw error
    }
  })
  await execute(
    tx,
    `INSERT INTO flow_steps (run_id, step, state) SELECT u.run, u.step, 'waiting' FROM unnest($1::bigint[], $2::int[]) AS u(run, step) ON CONFLICT DO NOTHING`,
    [places.map((each) => each.runId), places.map((each) => each.step)],
  )
  return begun
}

function dayAt(nowMs: number, zone: string | null): string {
  const local = (zoneOf(zone ?? config().zone) ?? zoneOf('UTC'))?.localAt(Math.floor(nowMs / 1000)) ?? nowMs / 1000
  return isoDay(Math.floor(local / 86_400))
}

/** One flow run on its way from how it stood to how it stands. */
class Move {
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
  ) {
    let plan: Plan | null = null
    let run: FlowRun | null = null
    try {
      plan = world.plan(row)
      run = this.takeUp(plan)
    } catch (error) {
      if (!(error instanceof FlowFault)) throw error
      this.fault = error.message
    }
    this.plan = plan
    this.run = run
  }

  /** The run as it stood, and everything that ended since, in the order in which it did. */
  private takeUp(plan: Plan): FlowRun {
    const results = this.stood.map(resultOf)
    for (const row of this.stood)
      if (row.state === 'ready' && row.attempts > 0) results[row.step] = { state: 'running' }
    const run = this.build(plan, this.look(), results, this.stood)
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
    if (!change || 'ok' in change) return null
    this.stops.push(change)
    return change
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
    const index = this.plan?.byPath.get(path.slice(0, path.length - definition.id.length) + name)
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
      if (!(error instanceof FlowFault)) throw error
      this.fault = error.message
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
    const idle = idleSteps(plan, this.look(), known)
    return chainsToTheEnd(plan, (step) => (idle.has(step.index) ? 0 : this.lengthMs(step)))
  }

  private look(): ReturnType<FlowWorld['look']> {
    return this.world.look(this.row.planId as number, this.row.day as string)
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
    const { inputs, faults } = inputsFor(
      work.definition,
      stepValues(step.definition.with ?? {}, step.inputs, handedOn),
      shared.known(starterOf(this.row)),
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
        priority: PRIORITIES[Math.min(this.row.priority, PRIORITIES.indexOf(work.definition.priority))] ?? null,
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
    const { run, plan } = this
    const of = (state: StepResult['state']): PlanStep[] =>
      plan.steps.filter((step) => step.flow === null && run.result(step.index).state === state)
    const failed = of('failed').filter((step) => !run.result(step.index).tolerated)
    const names = (steps: readonly PlanStep[]): string => someOf(steps.map(({ path }) => path))
    if (run.state === 'failed')
      return { outcome: 'failed', reason: `${failed.length === 1 ? 'Step' : 'Steps'} ${names(failed)} failed.` }
    if (run.state === 'cancelled')
      return {
        outcome: 'stopped',
        reason:
          this.row.stopAskedBy !== null
            ? `Stopped by ${this.row.stopAskedBy}.`
            : `Cancelled: ${names(of('cancelled'))}.`,
      }
    const skipped = of('skipped').length
    return {
      outcome: 'succeeded',
      reason: skipped > 0 ? `All that was to be done succeeded; ${skipped} skipped.` : 'Every step succeeded.',
    }
  }
}

const outcomeOf = (state: string | null): Outcome =>
  state === 'succeeded' ? 'succeeded' : state === 'cancelled' ? 'cancelled' : 'failed'

const isSame = (a: StepResult, b: StepResult): boolean =>
  a.state === b.state && a.reason === b.reason && a.tolerated === b.tolerated

async function write(tx: Tx, moves: readonly Move[], lives: Map<number, LockedRun>, nowMs: number): Promise<void> {
  const stops = moves.flatMap((move) => move.stops)
  await writeLives(tx, stops)
  for (const { run, life } of stops) if (life.state === 'running') await noteStop(tx, run.id, 'its flow’s stop')
  const wanted = moves.flatMap((move) => move.newRuns.map((each) => ({ move, ...each })))
  const ids = await insertRuns(
    tx,
    wanted.map((each) => each.run),
  )
  const faulty = wanted.flatMap(({ fault }, i) => (fault === null ? [] : [{ id: ids[i] as number, fault }]))
  const failing = await lockRuns(
    tx,
    faulty.map((each) => each.id),
  )
  await writeLives(
    tx,
    faulty.flatMap(({ id, fault }): LifeChange[] => {
      const run = failing.get(id)
      const change = run && changeFor(run, { type: 'decided', outcome: 'failed', reason: fault }, nowMs)
      return change && !('ok' in change) ? [change] : []
    }),
  )
  const idsOf = new Map<Move, Map<number, number>>(moves.map((move) => [move, new Map()]))
  wanted.forEach(({ move, step }, i) => idsOf.get(move)?.set(step, ids[i] as number))
  await writeSteps(
    tx,
    moves.flatMap((move) => move.changes(idsOf.get(move) ?? new Map())),
  )
  await openFlowMatters(
    tx,
    moves
      .filter((move) => move.failed.length > 0)
      .map((move) => ({ flowRunId: move.row.id, step: move.failed[0] as number })),
  )
  const ends = moves.flatMap((move): LifeChange[] => {
    const { end } = move
    const run = lives.get(move.row.id)
    if (!end || !run) return []
    const change = changeFor(run, { type: 'ended', atMs: nowMs, ...end }, nowMs)
    return 'ok' in change ? [] : [change]
  })
  const done = await writeLives(tx, ends)
  await openMatters(
    tx,
    ends.filter(
      (change) =>
        done.has(change.run.id) &&
        change.life.state === 'failed' &&
        moves.some((move) => move.row.id === change.run.id && move.fault !== null),
    ),
  )
  await closeMattersOf(
    tx,
    ends
      .filter((change) => done.has(change.run.id) && change.life.state === 'succeeded')
      .map((change) => change.run.id),
  )
  const touched = [
    ...moves.map((move) => move.row.id),
    ...ids.filter((id): id is number => id !== null),
    ...stops.map((stop) => stop.run.id),
  ]
  await notify(tx, {
    runs: touched,
    ...(wanted.length > 0 ? { place: true as const } : {}),
    ...(stops.length > 0 ? { deliver: true as const } : {}),
    ...(ends.some((change) => change.life.state !== 'succeeded') || moves.some((move) => move.failed.length > 0)
      ? { matters: true as const }
      : {}),
  })
}
