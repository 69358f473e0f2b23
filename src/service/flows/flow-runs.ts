import { requireOn } from '@/service/base/area-rights'
import { z } from 'zod'
import { undecidedBy, runAgain as takeUpAgain } from '@/core/flow/again'
import type { Plan } from '@/core/flow/plan'
import { isEnd } from '@/core/flow/state'
import { db, execute, transaction, type Tx } from '@/store/db'
import { notify } from '@/store/listen'
import type { Actor } from '@/service/base/actor'
import { beyondWalls } from '@/store/walls'
import { record } from '@/service/base/audit'
import { moveOn } from './flow-advance'
import { partSecrets } from './flow-plans'
import { FlowWorld, lockFlows, resultOf, starterOf, stepRows, type FlowRow, type StepRow } from './flow-state'
import { inputsFor, workToStart } from '@/service/runs/new-run'
import { notFound, Problem } from '@/service/base/problem'
import { changeFor, lockRuns, wakeFlows, writeLives } from '@/service/runs/run-life'
import { sealInputs, unsealInputs } from '@/service/base/secrets'
import { dayAt, daysAround } from '@/service/work/run-days'
import { timingState } from '@/service/base/timing-cache'
import { SharedValues } from '@/service/work/shared-values'

const path = z.string().min(1).max(2000)
export const stepSchema = z.strictObject({ step: path })
export const markSchema = z.strictObject({
  step: path,
  as: z.enum(['succeeded', 'failed']),
  why: z.string().trim().min(1, 'Say why.').max(500),
})
export const stepsAgainSchema = z.strictObject({
  steps: z.array(path).min(1, 'Choose at least one step.').max(1000),
  inputs: z.record(z.string(), z.string()).default({}),
})
export const againPreviewSchema = z.strictObject({ steps: z.array(path).min(1).max(1000) })

async function flowRow(tx: Tx, id: number): Promise<FlowRow> {
  const [row] = await lockFlows(tx, [id], 'wait')
  if (!row) throw notFound('flow run', id)
  if (row.planId === null) throw new Problem('not-now', `#${id} has not begun yet.`)
  return row
}

interface Open {
  readonly row: FlowRow
  readonly plan: Plan
  /** What its steps are called, by index. */
  readonly titles: () => readonly string[]
  readonly steps: readonly StepRow[]
  readonly stepAt: (path: string) => StepRow
}

async function open(tx: Tx, id: number): Promise<Open> {
  const row = await flowRow(tx, id)
  const planId = row.planId as number
  const world = await FlowWorld.read(tx, [planId])
  const plan = world.plan(row)
  const steps = (await stepRows(tx, [id])).get(id) ?? []
  return {
    row,
    plan,
    titles: () => world.titles(planId, plan),
    steps,
    stepAt: (wanted) => {
      const step = steps[plan.byPath.get(wanted) ?? -1]
      if (!step) throw notFound('step', wanted)
      return step
    },
  }
}

async function tell(tx: Tx, actor: Actor, row: FlowRow, step: string | null, did: string, what: string): Promise<void> {
  await db().flowEvents.create({ runId: row.id, byName: actor.name, what, step }, { transaction: tx })
  await record(tx, actor, did, { type: 'run', id: row.id, title: row.title }, step === null ? { what } : { step, what })
}

/** A step that has not started does not start until it is released. */
export async function holdStep(actor: Actor, id: number, request: z.output<typeof stepSchema>): Promise<void> {
  await requireOn(null, actor, 'operate', 'run', id)
  await transaction(async (tx) => {
    const { row, plan, stepAt } = await open(tx, id)
    const step = stepAt(request.step)
    if (plan.steps[step.step]?.flow !== null)
      throw new Problem('not-now', `${request.step} is a flow: hold the steps in it.`)
    if (isEnd(resultOf(step)) || step.attempts > 0)
      throw new Problem('not-now', `${request.step} has started already: only what has not can be held.`)
    await execute(tx, 'UPDATE flow_steps SET held_by = $3 WHERE run_id = $1 AND step = $2', [id, step.step, actor.name])
    if (step.stepRunId !== null) {
      const run = (await lockRuns(tx, [step.stepRunId])).get(step.stepRunId)
      const change = run && changeFor(run, { type: 'held' }, Date.now())
      if (!change) throw new Problem('not-now', `${request.step} is held already, or has just started.`)
      await execute(tx, 'UPDATE runs SET held_by = $2, version = version + 1 WHERE id = $1', [
        step.stepRunId,
        actor.name,
      ])
    }
    await tell(tx, actor, row, request.step, 'held', 'held')
    await notify(tx, { runs: [id], place: true })
  })
}

export async function releaseStep(actor: Actor, id: number, request: z.output<typeof stepSchema>): Promise<void> {
  await requireOn(null, actor, 'operate', 'run', id)
  await transaction(async (tx) => {
    const { row, stepAt } = await open(tx, id)
    const step = stepAt(request.step)
    const isHeld = await execute(
      tx,
      'UPDATE flow_steps SET held_by = NULL WHERE run_id = $1 AND step = $2 AND held_by IS NOT NULL',
      [id, step.step],
    )
    if (isHeld === 0) throw new Problem('not-now', `${request.step} is not held.`)
    if (step.stepRunId !== null)
      await execute(tx, 'UPDATE runs SET held_by = NULL, version = version + 1 WHERE id = $1 AND held_by IS NOT NULL', [
        step.stepRunId,
      ])
    await tell(tx, actor, row, request.step, 'released', 'released')
    await notify(tx, { runs: [id], place: true })
  })
}

/** A person says how a step ended: one that waits for its start or its next try, or one that failed and was dealt with by hand. */
export async function markStep(actor: Actor, id: number, request: z.output<typeof markSchema>): Promise<void> {
  await requireOn(null, actor, 'operate', 'run', id)
  const said = `Marked as ${request.as === 'succeeded' ? 'done' : 'failed'} by ${actor.name}: ${request.why}`
  await transaction(async (tx) => {
    const nowMs = Date.now()
    const { row, plan, steps, stepAt } = await open(tx, id)
    const step = stepAt(request.step)
    const isFlow = plan.steps[step.step]?.flow !== null
    if (!isFlow && step.stepRunId !== null && (step.runState === 'ready' || step.runState === 'waiting')) {
      const run = (await lockRuns(tx, [step.stepRunId])).get(step.stepRunId)
      const change = run && changeFor(run, { type: 'decided', outcome: request.as, reason: said }, nowMs)
      if (!change) throw new Problem('not-now', `${request.step} has just started. Stop it first.`)
      await writeLives(tx, [change])
      await wakeFlows(tx, [id])
    } else if (!isFlow && step.state === 'failed' && request.as === 'succeeded') {
      mayBeUndecided(plan, steps, [step.step])
      await reopen(tx, id)
      await moveOn(tx, [{ ...row, state: 'running', stopAskedBy: null }], nowMs, (laid, look, results, stood) => {
        const run = takeUpAgain(laid, look, results, [step.step], hasStarted(stood))
        run.end(step.step, 'succeeded')
        return run
      })
    } else
      throw new Problem(
        'not-now',
        `${request.step} can be marked while it waits for its start or next try, or as done once it has failed.`,
      )
    await execute(tx, 'UPDATE flow_steps SET marked_by = $3, marked_why = $4 WHERE run_id = $1 AND step = $2', [
      id,
      step.step,
      actor.name,
      request.why,
    ])
    await tell(tx, actor, row, request.step, 'marked', said)
    await notify(tx, { runs: [id], place: true, matters: true })
  })
}

const hasStarted =
  (steps: readonly StepRow[]) =>
  (index: number): boolean =>
    (steps[index]?.attempts ?? 0) > 0

export interface AgainPreview {
  /** Paths of what is decided again, in the order of the flow. */
  readonly again: readonly string[]
  readonly kept: readonly string[]
  readonly inTheWay: readonly string[]
}

/** What running again from these steps would forget and what it would keep. */
export async function previewAgain(
  actor: Actor,
  id: number,
  { steps: paths }: z.output<typeof againPreviewSchema>,
): Promise<AgainPreview> {
  await requireOn(null, actor, 'see', 'run', id)
  // It looks as what runs again does, under the flow's lock: behind walls nothing can be locked.
  return beyondWalls(() => wouldRunAgain(id, paths))
}

function wouldRunAgain(id: number, paths: readonly string[]): Promise<AgainPreview> {
  return transaction(async (tx) => {
    const { plan, steps, stepAt } = await open(tx, id)
    const chosen = paths.map((each) => stepAt(each).step)
    const { undecided, inTheWay } = undecidedBy(plan, steps.map(resultNow), chosen, hasStarted(steps))
    const again = new Set(undecided)
    const pathAt = (index: number): string => plan.steps[index]?.path ?? ''
    return {
      again: undecided.map(pathAt),
      kept: steps.filter((step) => !again.has(step.step) && isEnd(resultOf(step))).map((step) => pathAt(step.step)),
      inTheWay,
    }
  })
}

/** As the step is at this moment: started as soon as its first try was handed out. */
const resultNow = (row: StepRow): ReturnType<typeof resultOf> =>
  row.state === 'ready' && row.attempts > 0 ? { state: 'running' } : resultOf(row)

function mayBeUndecided(plan: Plan, steps: readonly StepRow[], chosen: readonly number[]): void {
  const { inTheWay } = undecidedBy(plan, steps.map(resultNow), chosen, hasStarted(steps))
  if (inTheWay.length > 0)
    throw new Problem(
      'not-now',
      `${inTheWay.slice(0, 3).join(', ')} ${inTheWay.length === 1 ? 'has' : 'have'} not ended yet. Wait for that, or stop the flow first.`,
    )
}

/** The flow run goes on, whether it has ended or not; what it ended with is over. */
async function reopen(tx: Tx, id: number): Promise<void> {
  const run = (await lockRuns(tx, [id])).get(id)
  const change = run && changeFor(run, { type: 'reopened' }, Date.now())
  if (change) await writeLives(tx, [change])
  await execute(
    tx,
    `UPDATE runs SET ended_at = NULL, duration_ms = NULL, reason = '', cleared_at = NULL WHERE id = $1`,
    [id],
  )
}

/** Runs a flow again from these steps; everything that does not follow from them keeps its result. Inputs may be changed. */
export async function runStepsAgain(
  actor: Actor,
  id: number,
  request: z.output<typeof stepsAgainSchema>,
): Promise<{ again: number }> {
  await requireOn(null, actor, 'operate', 'run', id)
  return transaction(async (tx) => {
    const { row, plan, titles, steps, stepAt } = await open(tx, id)
    const chosen = request.steps.map((each) => stepAt(each).step)
    mayBeUndecided(plan, steps, chosen)
    const { undecided } = undecidedBy(plan, steps.map(resultNow), chosen, hasStarted(steps))
    const changed = await changedInputs(tx, row, request.inputs)
    await reopen(tx, id)
    await execute(
      tx,
      'UPDATE flow_steps SET marked_by = NULL, marked_why = NULL WHERE run_id = $1 AND step = ANY($2)',
      [id, undecided],
    )
    await moveOn(
      tx,
      [{ ...row, ...changed, state: 'running', stopAskedBy: null }],
      Date.now(),
      (laid, look, results, stood) => takeUpAgain(laid, look, results, chosen, hasStarted(stood)),
    )
    const names = titles()
    await tell(tx, actor, row, null, 'ran again', `ran again from ${chosen.map((step) => names[step]).join(', ')}`)
    await notify(tx, { runs: [id], place: true, matters: true })
    return { again: undecided.length }
  })
}

async function changedInputs(
  tx: Tx,
  row: FlowRow,
  given: Readonly<Record<string, string>>,
): Promise<Pick<FlowRow, 'inputs' | 'secrets'>> {
  if (Object.keys(given).length === 0) return row
  const work = (await workToStart(tx, [row.jobId])).get(row.jobId)
  if (!work) throw notFound('flow', row.jobId)
  const { own, within } = partSecrets(unsealInputs(row.secrets, row.id))
  const days = daysAround(await timingState(tx), row.day ?? dayAt(Date.now(), row.zone))
  const known = (await SharedValues.read(tx)).known(starterOf(row), days)
  const stillSecret = new Set(Object.keys(own).filter((name) => !(name in given)))
  const { inputs, faults } = inputsFor(work.definition, { ...row.inputs, ...own, ...given }, known, stillSecret)
  if (faults.length > 0)
    throw new Problem(
      'invalid-input',
      faults.map((fault) => fault.message).join(' '),
      faults.map((fault) => ({ path: `inputs.${fault.name}`, message: fault.message })),
    )
  const secrets = sealInputs({ ...inputs.secrets, ...within }, row.id)
  await execute(tx, 'UPDATE runs SET inputs = $2, secrets = $3 WHERE id = $1', [
    row.id,
    JSON.stringify(inputs.open),
    secrets,
  ])
  return { inputs: inputs.open, secrets }
}
