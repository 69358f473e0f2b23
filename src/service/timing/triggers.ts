import { levelOn, requireOn, type HasLevel } from '@/service/base/area-rights'
import { z } from 'zod'
import { PRIORITIES } from '@/core/dispatch'
import { isTimed, kindOf } from '@/core/events/kinds'
import { plainValues } from '@/core/events/values'
import { slugOf } from '@/core/schema/slug'
import { MAKE_UP, OVERLAPS } from '@/core/bundle/schema'
import { config } from '@/store/config'
import { execute, many, maybeOne, transaction, type Tx } from '@/store/db'
import { likeText } from '@/store/like'
import { notify } from '@/store/listen'
import { ENGINE, requireSomewhere, type Actor } from '@/service/base/actor'
import { difference, record, recordAll } from '@/service/base/audit'
import { insertRuns, workToStart, type WorkToStart } from '@/service/runs/new-run'
import { type FieldFault, notFound, Problem, refuse } from '@/service/base/problem'
import { SharedValues } from '@/service/work/shared-values'
import { daysAroundNow } from '@/service/work/run-days'
import { newRunFor } from '@/service/runs/start'
import { machinesFor, machinesOf } from '@/service/fleet/targets'
import { timingState } from '@/service/base/timing-cache'
import { ringFaults, sourceFaults } from './event-sources'
import { askFirst, jobOf, scheduleFacts, startFaults, timingFaults } from './trigger-check'
import { freeSlugs } from '@/service/base/slugs'
import {
  triggerDefinitionSchema,
  triggerSchema,
  type TriggerContent,
  type TriggerDefinition,
} from '@/core/work/trigger'
import { holdCalendars, recompute, settleBeforeChange } from './trigger-next'

/** `sure`: the warnings were read. */
export const newTriggerSchema = triggerSchema.extend({ sure: z.boolean().default(false) })
/** The version that was read before the change; another one now means that somebody else saved first. */
export const triggerSaveSchema = newTriggerSchema.omit({ slug: true }).extend({ version: z.int().positive() })
export const manyTriggersSchema = z.strictObject({
  ids: z.array(z.int().positive()).min(1, 'Choose at least one trigger.').max(5000),
  change: z
    .strictObject({
      enabled: z.boolean(),
      priority: z.enum(PRIORITIES),
      overlap: z.enum(OVERLAPS),
      makeUp: z.enum(MAKE_UP),
      lateStart: triggerDefinitionSchema.shape.lateStart,
      remove: z.literal(true),
    })
    .partial()
    .refine((change) => Object.values(change).some((value) => value !== undefined), 'Say what is to change.'),
})
/** On or off and nothing else: what an operator may do in the night, as to everything at once. */
const onlySwitches = (change: z.output<typeof manyTriggersSchema>['change']): boolean =>
  Object.entries(change).every(([key, value]) => key === 'enabled' || value === undefined)
export const handStartSchema = z.strictObject({ requestKey: z.string().min(8).max(100).nullable().default(null) })

export interface TriggerFull extends Omit<TriggerContent, 'slug'> {
  readonly id: number
  readonly slug: string
  readonly jobTitle: string
  readonly jobActive: boolean
  readonly version: number
  readonly says: string
  readonly nextAt: string | null
  readonly runsPerDay: number
  readonly savedBy: string
  readonly savedAt: string
}

export async function oneTrigger(actor: Actor, id: number): Promise<TriggerFull & HasLevel> {
  requireSomewhere(actor, 'see')
  return { ...(await readTrigger(null, id)), may: await levelOn(actor, 'trigger', id) }
}

async function readTrigger(tx: Tx | null, id: number, lock = ''): Promise<TriggerFull> {
  const row = await maybeOne<TriggerFull>(
    tx,
    `SELECT t.id, t.slug, t.title, t.notes, t.job_id AS "jobId", j.title AS "jobTitle", j.active AS "jobActive", t.enabled, t.version, t.definition, t.says,
            t.next_at AS "nextAt", t.runs_per_day AS "runsPerDay", t.saved_by AS "savedBy", t.saved_at AS "savedAt"
       FROM triggers t JOIN jobs j ON j.id = t.job_id WHERE t.id = $1 AND t.deleted_at IS NULL ${lock}`,
    [id],
  )
  if (!row) throw notFound('trigger', id)
  return { ...row, definition: triggerDefinitionSchema.parse(row.definition) }
}

export async function addTrigger(actor: Actor, trigger: z.output<typeof newTriggerSchema>): Promise<{ id: number }> {
  return transaction((tx) => insertTrigger(tx, actor, trigger))
}

type NewTrigger = z.output<typeof newTriggerSchema>

async function insertTrigger(tx: Tx, actor: Actor, trigger: NewTrigger): Promise<{ id: number }> {
  const [id] = await insertTriggers(tx, actor, [trigger])
  return { id: id as number }
}

/** Makes all of these or, with a fault in any, none; ids in their order. */
export async function insertTriggers(tx: Tx, actor: Actor, triggers: readonly NewTrigger[]): Promise<number[]> {
  if (triggers.length === 0) return []
  await requireOn(tx, actor, 'design', 'job', ...new Set(triggers.map(({ jobId }) => jobId)))
  await holdCalendars(tx)
  const nowMs = Date.now()
  const jobs = await workToStart(tx, [...new Set(triggers.map(({ jobId }) => jobId))])
  const definitions = await checked(
    tx,
    actor,
    triggers.map(({ title, jobId, definition, sure }) => ({ id: null, title, job: jobs.get(jobId), definition, sure })),
    nowMs,
  )
  const made = await freeSlugs(
    tx,
    'triggers',
    triggers.filter(({ slug }) => slug === undefined).map(({ title }) => slugOf(title)),
  )
  const slugs = triggers.map(({ slug }) => slug ?? (made.shift() as string))
  const taken = await many<{ slug: string }>(
    tx,
    'SELECT slug FROM triggers WHERE slug = ANY($1) AND deleted_at IS NULL',
    [slugs],
  )
  if (taken[0]) refuse([{ path: 'slug', message: `There is a trigger ${taken[0].slug} already.` }])
  const rows = await many<{ id: number; slug: string }>(
    tx,
    `INSERT INTO triggers (slug, title, notes, job_id, enabled, definition, saved_by)
     SELECT u.slug, u.title, u.notes, u.job, u.enabled, u.definition, $7
       FROM unnest($1::text[], $2::text[], $3::text[], $4::bigint[], $5::bool[], $6::jsonb[]) WITH ORDINALITY
         AS u(slug, title, notes, job, enabled, definition, n) ORDER BY u.n
     RETURNING id, slug`,
    [
      slugs,
      triggers.map(({ title }) => title),
      triggers.map(({ notes }) => notes),
      triggers.map(({ jobId }) => jobId),
      triggers.map(({ enabled }) => enabled),
      definitions.map((definition) => JSON.stringify(definition)),
      actor.name,
    ],
  )
  const idOf = new Map(rows.map(({ id, slug }) => [slug, id]))
  const ids = slugs.map((slug) => idOf.get(slug) as number)
  await writeVersions(
    tx,
    actor,
    triggers.map(({ jobId }, i) => ({
      id: ids[i] as number,
      version: 1,
      jobId,
      definition: definitions[i] as TriggerDefinition,
    })),
  )
  await recompute(tx, ids, nowMs)
  await recordAll(
    tx,
    actor,
    'added',
    triggers.map(({ title, jobId }, i) => ({
      object: { type: 'trigger', id: ids[i] as number, title },
      changes: { job: jobId, definition: definitions[i] },
    })),
  )
  await notify(tx, { timing: true })
  return ids
}

interface DefinitionRequest {
  /** null: it is new. */
  readonly id: number | null
  readonly title: string
  readonly job: WorkToStart | undefined
  readonly definition: TriggerDefinition
  readonly sure: boolean
}

/** The definitions with their zones filled in; refused with every fault, or asked about once. */
async function checked(
  tx: Tx,
  actor: Actor,
  requests: readonly DefinitionRequest[],
  nowMs: number,
): Promise<TriggerDefinition[]> {
  const definitions = requests.map(({ definition }) => ({ ...definition, zone: definition.zone ?? config().zone }))
  const state = await timingState(tx)
  const shared = await SharedValues.read(tx)
  const faults = timingFaults(definitions, state)
  for (const [i, { job, sure }] of requests.entries()) {
    const definition = definitions[i] as TriggerDefinition
    refuse([
      ...(faults[i] as FieldFault[]),
      ...startFaults(definition, job, shared, state),
      ...(await sourceFaults(tx, actor, definition)),
    ])
    if (job && !sure && isTimed(definition))
      askFirst(await scheduleFacts(tx, state.timings.schedule(definition), definition, job, nowMs))
  }
  const rings = await ringFaults(
    tx,
    requests.map(({ id, title, job }, i) => ({ id, title, jobId: job?.id ?? 0, after: definitions[i]?.after })),
  )
  refuse(rings)
  return definitions
}

/** Saves a change made to the version that was read. What was due before is decided by the rule before; the new one holds from now on. */
export async function saveTrigger(
  actor: Actor,
  id: number,
  trigger: z.output<typeof triggerSaveSchema>,
): Promise<{ version: number }> {
  return transaction((tx) => saveTriggerIn(tx, actor, id, trigger))
}

export async function saveTriggerIn(
  tx: Tx,
  actor: Actor,
  id: number,
  { sure, ...trigger }: z.output<typeof triggerSaveSchema>,
): Promise<{ version: number }> {
  await requireOn(tx, actor, 'design', 'trigger', id)
  await requireOn(tx, actor, 'design', 'job', trigger.jobId)
  await holdCalendars(tx)
  const nowMs = Date.now()
  const current = await readTrigger(tx, id, 'FOR UPDATE OF t')
  if (current.version !== trigger.version) {
    throw new Problem(
      'conflict',
      `${current.savedBy} saved this trigger while you were changing it. Nothing of yours is lost: compare the two and decide.`,
      [],
      { theirs: current },
    )
  }
  const request = {
    id,
    title: trigger.title,
    job: await jobOf(tx, trigger.jobId),
    definition: trigger.definition,
    sure,
  }
  const definition = (await checked(tx, actor, [request], nowMs))[0] as TriggerDefinition
  await settleBeforeChange(tx, [id], nowMs)
  const version = current.version + 1
  await execute(
    tx,
    `UPDATE triggers SET title = $2, notes = $3, job_id = $4, enabled = $5, definition = $6, version = $7, saved_by = $8, saved_at = now(),
            counted_from = CASE WHEN $5 AND NOT enabled OR definition->'file' IS DISTINCT FROM $6::jsonb->'file' OR definition->'measure' IS DISTINCT FROM $6::jsonb->'measure' THEN now() ELSE counted_from END WHERE id = $1`,
    [id, trigger.title, trigger.notes, trigger.jobId, trigger.enabled, JSON.stringify(definition), version, actor.name],
  )
  await writeVersions(tx, actor, [{ id, version, jobId: trigger.jobId, definition }])
  await recompute(tx, [id], nowMs)
  const { title, notes, jobId, enabled } = trigger
  await record(
    tx,
    actor,
    'changed',
    { type: 'trigger', id, title },
    { ...difference(current, { title, notes, jobId, enabled }), ...difference(current.definition, definition) },
  )
  await notify(tx, { timing: true })
  return { version }
}

/** What of a change to many means something for one of them: only what goes by the clock can be late, and a backlog says itself how many go on at once. */
function fittingChange(definition: TriggerDefinition, change: Readonly<Record<string, unknown>>): typeof change {
  const kind = kindOf(definition)
  const not = kind === 'time' ? [] : kind === 'backlog' ? ['lateStart', 'makeUp', 'overlap'] : ['lateStart', 'makeUp']
  return Object.fromEntries(Object.entries(change).filter(([key]) => !not.includes(key)))
}

/** One change to many triggers; all or none. */
export async function changeTriggers(
  actor: Actor,
  { ids, change }: z.output<typeof manyTriggersSchema>,
): Promise<{ changed: number }> {
  return transaction(async (tx) => {
    await requireOn(tx, actor, onlySwitches(change) ? 'operate' : 'design', 'trigger', ...ids)
    await holdCalendars(tx)
    const nowMs = Date.now()
    const rows = await many<{
      id: number
      title: string
      version: number
      jobId: number
      enabled: boolean
      definition: TriggerDefinition
    }>(
      tx,
      `SELECT id, title, version, job_id AS "jobId", enabled, definition FROM triggers WHERE id = ANY($1) AND deleted_at IS NULL ORDER BY id FOR UPDATE`,
      [ids],
    )
    const missing = ids.find((id) => !rows.some((row) => row.id === id))
    if (missing !== undefined) throw notFound('trigger', missing)
    await settleBeforeChange(tx, ids, nowMs)
    const { enabled, remove, ...rest } = change
    const inDefinition = Object.fromEntries(Object.entries(rest).filter(([, value]) => value !== undefined))
    for (const row of rows) {
      // What cannot be read can still be taken away.
      const fitting = fittingChange(row.definition, inDefinition)
      const definition = remove ? row.definition : triggerDefinitionSchema.parse({ ...row.definition, ...fitting })
      const version = row.version + 1
      await execute(
        tx,
        `UPDATE triggers SET enabled = $2, definition = $3, version = $4, saved_by = $5, saved_at = now(),
                deleted_at = CASE WHEN $6 THEN now() END, counted_from = CASE WHEN $2 AND NOT enabled THEN now() ELSE counted_from END WHERE id = $1`,
        [
          row.id,
          remove ? false : (enabled ?? row.enabled),
          JSON.stringify(definition),
          version,
          actor.name,
          remove === true,
        ],
      )
      await writeVersions(tx, actor, [{ id: row.id, version, jobId: row.jobId, definition }])
      const title = { type: 'trigger', id: row.id, title: row.title }
      if (remove) await record(tx, actor, 'removed', title)
      else
        await record(tx, actor, 'changed', title, {
          ...difference(row, enabled === undefined ? {} : { enabled }),
          ...difference(row.definition, fitting),
        })
    }
    await recompute(tx, ids, nowMs)
    await notify(tx, { timing: true })
    return { changed: rows.length }
  })
}

/** Switches a trigger off because of what its runs do, unless it is off already; true: it did. */
export async function switchOffByItself(tx: Tx, id: number, why: string): Promise<boolean> {
  const row = await maybeOne<{ title: string; version: number; jobId: number; definition: TriggerDefinition }>(
    tx,
    `UPDATE triggers SET enabled = false, next_at = NULL, next_day = NULL, version = version + 1, saved_by = $2, saved_at = now()
      WHERE id = $1 AND enabled AND deleted_at IS NULL RETURNING title, version, job_id AS "jobId", definition`,
    [id, ENGINE.name],
  )
  if (!row) return false
  await writeVersions(tx, ENGINE, [{ id, ...row }])
  await record(
    tx,
    ENGINE,
    'changed',
    { type: 'trigger', id, title: row.title },
    { enabled: { from: true, to: false }, why },
  )
  await notify(tx, { timing: true, matters: true })
  return true
}

/** Takes the trigger off the lists; its runs and their history stay. */
export async function removeTrigger(actor: Actor, id: number): Promise<void> {
  await changeTriggers(actor, { ids: [id], change: { remove: true } })
}

async function writeVersions(
  tx: Tx,
  actor: Actor,
  versions: readonly {
    readonly id: number
    readonly version: number
    readonly jobId: number
    readonly definition: TriggerDefinition
  }[],
): Promise<void> {
  await execute(
    tx,
    `INSERT INTO trigger_versions (trigger_id, version, job_id, definition, saved_by)
     SELECT u.id, u.version, u.job, u.definition, $5 FROM unnest($1::bigint[], $2::int[], $3::bigint[], $4::jsonb[]) AS u(id, version, job, definition)`,
    [
      versions.map(({ id }) => id),
      versions.map(({ version }) => version),
      versions.map(({ jobId }) => jobId),
      versions.map(({ definition }) => JSON.stringify(definition)),
      actor.name,
    ],
  )
}

/** Starts what the trigger starts, now, with its inputs: one run, or one on every machine of its target. It counts as started by the person. */
export async function startByHand(
  actor: Actor,
  id: number,
  request: z.output<typeof handStartSchema>,
): Promise<{ ids: number[] }> {
  return transaction(async (tx) => {
    await requireOn(tx, actor, 'operate', 'trigger', id)
    // FOR UPDATE: a repeated request waits, and finds what the first one made.
    const trigger = await readTrigger(tx, id, 'FOR UPDATE OF t')
    if (request.requestKey !== null) {
      const made = await many<{ id: number }>(
        tx,
        'SELECT id FROM runs WHERE trigger_id = $1 AND request_key LIKE $2 ORDER BY id',
        [id, `${likeText(request.requestKey)} %`],
      )
      if (made.length > 0) return { ids: made.map((row) => row.id) }
    }
    const job = await jobOf(tx, trigger.jobId)
    if (!job) throw notFound('job', trigger.jobId)
    const run = newRunFor(
      actor,
      job,
      plainValues(trigger.definition.with),
      actor.via === 'token' ? 'token' : 'person',
      await SharedValues.read(tx),
      await daysAroundNow(tx),
    )
    const machines = trigger.definition.spread === 'each' ? machinesFor(await machinesOf(tx), job.definition) : [null]
    if (machines.length === 0) throw new Problem('not-now', 'No machine of its target is there and switched on.')
    const calendarVersions = (await timingState(tx)).calendarsOf([trigger.definition.on, trigger.definition.notOn])
    const ids = await insertRuns(
      tx,
      machines.map((machine, i) => ({
        ...run,
        requestKey: request.requestKey === null ? null : `${request.requestKey} ${i}`,
        target: machine ? { agent: machine.name } : null,
        priority: trigger.definition.priority ?? null,
        trigger: { id, version: trigger.version, calendarVersions, occurrence: null, forAgentId: machine?.id ?? null },
      })),
    )
    const made = ids.filter((each): each is number => each !== null)
    for (const runId of made)
      await record(tx, actor, 'started', { type: 'run', id: runId, title: job.title }, { trigger: trigger.title })
    await notify(tx, { runs: made, place: true, timing: true })
    return { ids: made }
  })
}
