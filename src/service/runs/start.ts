import { requireOn } from '@/service/base/area-rights'
import { z } from 'zod'
import { PRIORITIES } from '@/core/dispatch'
import { isFlowDefinition } from '@/core/work/flow'
import { filledDefault, isDayDefault, type Input } from '@/core/work/inputs'
import { targetSchema, type JobDefinition } from '@/core/work/job'
import { many, maybeOne, one, sqlState, transaction, UNIQUE_VIOLATION, type Tx } from '@/store/db'
import { notify } from '@/store/listen'
import { requireSomewhere, type Actor } from '@/service/base/actor'
import { record } from '@/service/base/audit'
import { limit } from '@/store/limits'
import { countAttempts } from '@/service/people/attempts'
import { insertRuns, inputsFor, workToStart, type WorkToStart, type NewRun } from './new-run'
import { invalid, notFound, Problem } from '@/service/base/problem'
import { daysAroundNow, type DayOf } from '@/service/work/run-days'
import { applyLives } from './effects'
import { changeFor, lockRuns } from './run-life'
import { unsealInputs } from '@/service/base/secrets'
import { byTrigger, SharedValues } from '@/service/work/shared-values'

export const startSchema = z.strictObject({
  jobId: z.int().positive(),
  inputs: z.record(z.string(), z.string()).default({}),
  /** Not before this instant. */
  at: z.iso.datetime({ offset: true }).nullable().default(null),
  /** Somewhere else than the job says. */
  target: targetSchema.nullable().default(null),
  priority: z.enum(PRIORITIES).nullable().default(null),
  /** The same key twice makes one run: send it again when an answer was lost. */
  requestKey: z.string().min(8).max(100).nullable().default(null),
})
export type StartRequest = z.output<typeof startSchema>
export const againSchema = z.strictObject({
  inputs: z.record(z.string(), z.string()).default({}),
  requestKey: z.string().min(8).max(100).nullable().default(null),
})

async function jobToStart(tx: Tx | null, id: number): Promise<WorkToStart> {
  const job = (await workToStart(tx, [id])).get(id)
  if (!job) throw notFound('job', id)
  return job
}

/** What the start of a job or flow asks for. */
export interface Startable {
  readonly id: number
  readonly title: string
  readonly isFlow: boolean
  readonly active: boolean
  readonly version: number
  readonly usualMs: number | null
  /** With the defaults that a start by this person, or by a trigger, would have; only a shared secret stays a name. */
  readonly inputs: readonly Input[]
  /** null: of a flow, whose steps go to their own places. */
  readonly target: JobDefinition['target'] | null
  readonly command: string | null
}

export const startableQuery = z.strictObject({ starter: z.enum(['me', 'trigger']).default('me') })

export async function startable(actor: Actor, id: number, starter: 'me' | 'trigger' = 'me'): Promise<Startable> {
  requireSomewhere(actor, 'see')
  const { definition, ...work } = await jobToStart(null, id)
  const { title, isFlow, active, version, usualMs } = work
  const known = (await SharedValues.read(null)).known(starter === 'me' ? actor : byTrigger(), await daysAroundNow(null))
  // A day is another one each time that a trigger starts it.
  const stays = (input: Input): boolean =>
    input.type === 'secret' || (starter === 'trigger' && isDayDefault(input.default))
  const inputs = definition.inputs.map((input) =>
    stays(input) ? input : { ...input, default: filledDefault(input, known) ?? null },
  )
  const facts = { id, title, isFlow, active, version, usualMs, inputs }
  if (isFlowDefinition(definition)) return { ...facts, target: null, command: null }
  const command = definition.action.kind === 'command' ? definition.action.command : null
  return { ...facts, target: definition.target, command }
}

/** Makes a run of a job or flow: ready now, or waiting for its time. */
export async function startRun(actor: Actor, request: StartRequest): Promise<{ id: number }> {
  await requireOn(null, actor, 'operate', 'job', request.jobId)
  await requireRoomFor(actor)
  return once(actor, request.requestKey, request.jobId, () =>
    transaction(async (tx) => {
      const job = await jobToStart(tx, request.jobId)
      if (job.isFlow && request.target !== null) throw invalid('target', 'A flow’s steps go to their own machines.')
      return makeRun(tx, actor, job, request, actor.via === 'token' ? 'token' : 'person', null)
    }),
  )
}

/** A new run of the same job as it is now, with the earlier run's inputs where no others are given. */
export async function runAgain(
  actor: Actor,
  runId: number,
  request: z.output<typeof againSchema>,
): Promise<{ id: number }> {
  await requireOn(null, actor, 'operate', 'run', runId)
  await requireRoomFor(actor)
  return once(
    actor,
    request.requestKey,
    () => jobOfRun(runId),
    () =>
      transaction(async (tx) => {
        const old = await maybeOne<{ jobId: number; inputs: Record<string, string>; secrets: Buffer | null }>(
          tx,
          'SELECT job_id AS "jobId", inputs, secrets FROM runs WHERE id = $1',
          [runId],
        )
        if (!old) throw notFound('run', runId)
        const job = await jobToStart(tx, old.jobId)
        const secrets = unsealInputs(old.secrets, runId)
        // Inputs that the job no longer has are left behind.
        const known = new Set(job.definition.inputs.map((input) => input.name))
        const before = Object.entries({ ...old.inputs, ...secrets }).filter(([name]) => known.has(name))
        const inputs = { ...Object.fromEntries(before), ...request.inputs }
        // What was secret stays secret, also if the job takes it openly by now.
        const stillSecret = new Set(Object.keys(secrets).filter((name) => !(name in request.inputs)))
        return makeRun(
          tx,
          actor,
          job,
          { inputs, at: null, target: null, priority: null, requestKey: request.requestKey },
          'again',
          runId,
          stillSecret,
        )
      }),
  )
}

async function jobOfRun(id: number): Promise<number> {
  return (await one<{ jobId: number }>(null, 'SELECT job_id AS "jobId" FROM runs WHERE id = $1', [id])).jobId
}

/** One person's share of starts: a script that runs wild must not fill everybody's night. */
async function requireRoomFor(actor: Actor): Promise<void> {
  if (actor.id === null) return
  const most = limit('api_runs_per_minute')
  const [times = 0] = await countAttempts([{ kind: 'runs', key: String(actor.id) }], 60)
  if (times > most)
    throw new Problem('too-many', `You may start ${most} runs a minute. Wait a little, or let a trigger do it.`)
}

/** A repeated request finds the run that the first one made. The key belongs to whoever asks, and to one job. */
async function once(
  actor: Actor,
  requestKey: string | null,
  jobId: (() => Promise<number>) | number,
  work: () => Promise<{ id: number }>,
): Promise<{ id: number }> {
  try {
    return await work()
  } catch (error) {
    if (requestKey === null || sqlState(error) !== UNIQUE_VIOLATION) throw error
    const made = await one<{ id: number; jobId: number }>(
      null,
      'SELECT id, job_id AS "jobId" FROM runs WHERE request_key = $1 AND coalesce(started_by, 0) = $2',
      [requestKey, actor.id ?? 0],
    )
    if (made.jobId !== (typeof jobId === 'number' ? jobId : await jobId()))
      throw new Problem('conflict', `This request key was used for another job: it made #${made.id}. Take a new one.`)
    return { id: made.id }
  }
}

async function makeRun(
  tx: Tx,
  actor: Actor,
  job: WorkToStart,
  request: Omit<StartRequest, 'jobId'>,
  cause: 'person' | 'token' | 'again',
  againOf: number | null,
  stillSecret: ReadonlySet<string> = new Set(),
): Promise<{ id: number }> {
  const run = newRunFor(
    actor,
    job,
    request.inputs,
    cause,
    await SharedValues.read(tx),
    await daysAroundNow(tx),
    stillSecret,
  )
  const [id] = await insertRuns(tx, [
    {
      ...run,
      target: request.target,
      priority: request.priority,
      againOf,
      requestKey: request.requestKey,
      startAfterMs: request.at === null ? null : new Date(request.at).getTime(),
    },
  ])
  await record(
    tx,
    actor,
    againOf === null ? 'started' : 'started again',
    { type: 'run', id: id as number, title: job.title },
    againOf === null ? {} : { again: againOf },
  )
  await notify(tx, { runs: [id as number], place: true })
  return { id: id as number }
}

/** A run of the job that a person starts, with its inputs checked; refused if the job is switched off. */
export function newRunFor(
  actor: Actor,
  job: WorkToStart,
  given: Readonly<Record<string, string>>,
  cause: 'person' | 'token' | 'again',
  shared: SharedValues,
  dayOf: DayOf,
  stillSecret: ReadonlySet<string> = new Set(),
): NewRun {
  if (!job.active) throw new Problem('not-now', `${job.title} is switched off. Switch it on to start it.`)
  const { inputs, faults } = inputsFor(job.definition, given, shared.known(actor, dayOf), stillSecret)
  if (faults.length > 0) {
    throw new Problem(
      'invalid-input',
      faults.map((f) => f.message).join(' '),
      faults.map((f) => ({ path: `inputs.${f.name}`, message: f.message })),
    )
  }
  return { work: job, inputs, cause, starter: { id: actor.id, name: actor.name }, createdAtMs: Date.now() }
}

/** Stops a run: at once if it has not started, else by asking its agent to. Asking twice is no fault. */
export async function stopRun(actor: Actor, runId: number): Promise<{ state: string }> {
  await requireOn(null, actor, 'operate', 'run', runId)
  return transaction(async (tx) => {
    const run = (await lockRuns(tx, [runId])).get(runId)
    if (!run) throw notFound('run', runId)
    const atMs = Date.now()
    const change = changeFor(run, { type: 'stopAsked', atMs, by: actor.name }, atMs)
    if (!change) throw new Problem('not-now', `#${runId} has ended already: it is ${run.life.state}.`)
    await applyLives(tx, [change])
    const [job] = await many<{ title: string }>(tx, 'SELECT title FROM jobs WHERE id = $1', [run.jobId])
    await record(tx, actor, 'stopped', { type: 'run', id: runId, title: job?.title ?? '' })
    return { state: change.life.state }
  })
}

/** Takes a finished run off the board. Its history stays. */
export async function clearRun(actor: Actor, runId: number): Promise<void> {
  await requireOn(null, actor, 'operate', 'run', runId)
  await transaction(async (tx) => {
    const rows = await many<{ id: number }>(
      tx,
      'UPDATE runs SET cleared_at = now() WHERE id = $1 AND ended_at IS NOT NULL AND cleared_at IS NULL RETURNING id',
      [runId],
    )
    if (rows.length === 0) throw new Problem('not-now', `#${runId} is not a finished run on the board.`)
    await record(tx, actor, 'cleared', { type: 'run', id: runId, title: `#${runId}` })
    await notify(tx, { runs: [runId] })
  })
}
