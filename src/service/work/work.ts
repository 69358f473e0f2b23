import { levelOn, requireOn, titlesFor, whereMay, type HasLevel } from '@/service/base/area-rights'
import { z } from 'zod'
import { slugOf } from '@/core/schema/slug'
import { someOf } from '@/core/phrase/some-of'
import type { WorkDefinition } from '@/core/work/flow'
import { jobDefinitionSchema, jobSchema, type JobContent, type JobDefinition } from '@/core/work/job'
import { db, execute, many, maybeOne, sqlState, transaction, UNIQUE_VIOLATION, type Tx } from '@/store/db'
import { notify } from '@/store/listen'
import { connectionFaultsOf } from '@/service/fleet/accounts'
import { requireSomewhere, type Actor } from '@/service/base/actor'
import { difference, record } from '@/service/base/audit'
import { invalid, notFound, Problem } from '@/service/base/problem'
import { dayFaultsOf } from './run-days'
import { SharedValues } from './shared-values'
import { freeSlug } from '@/service/base/slugs'
import { timingState } from '@/service/base/timing-cache'
import { placedOn } from './systems'

export const newJobSchema = jobSchema
/** The version that was read before the change; another one now means that somebody else saved first. */
export const jobSaveSchema = jobSchema.extend({ version: z.int().positive() })

export interface JobRow {
  readonly id: number
  /** What files call it. */
  readonly slug: string
  readonly title: string
  readonly areaId: number
  readonly area: string
  readonly active: boolean
  readonly isFlow: boolean
  readonly kind: string
  /** null: of a flow, whose steps go to their own places. */
  readonly target: JobDefinition['target'] | null
  readonly steps: number
  readonly usualMs: number | null
  readonly savedBy: string
  readonly savedAt: string
  readonly lastRun: { id: number; state: string; at: string } | null
}

/** All jobs and flows. */
export async function listJobs(actor: Actor): Promise<JobRow[]> {
  requireSomewhere(actor, 'see')
  return many<JobRow>(
    null,
    `SELECT j.id, j.slug, j.title, j.area_id AS "areaId", a.path AS area, j.active, j.is_flow AS "isFlow",
            coalesce(v.definition->'action'->>'kind', 'flow') AS kind, v.definition->'target' AS target,
            CASE WHEN j.is_flow THEN jsonb_array_length(v.definition->'steps') ELSE 0 END AS steps, j.usual_ms AS "usualMs", j.saved_by AS "savedBy", j.saved_at AS "savedAt",
            (SELECT jsonb_build_object('id', r.id, 'state', r.state, 'at', coalesce(r.ended_at, r.started_at, r.created_at))
               FROM runs r WHERE r.job_id = j.id ORDER BY r.id DESC LIMIT 1) AS "lastRun"
       FROM jobs j JOIN areas a ON a.id = j.area_id JOIN job_versions v ON v.job_id = j.id AND v.version = j.version
      WHERE j.deleted_at IS NULL ORDER BY lower(a.path), lower(j.title)`,
  )
}

export interface JobFull extends JobContent {
  readonly id: number
  /** What files and forecasts call it. */
  readonly slug: string
  readonly area: string
  readonly version: number
  readonly usualMs: number | null
  readonly savedBy: string
  readonly savedAt: string
}

export async function oneJob(actor: Actor, id: number): Promise<JobFull & HasLevel> {
  requireSomewhere(actor, 'see')
  return { ...(await readJob(null, id)), may: await levelOn(actor, 'job', id) }
}

async function readJob(tx: Tx | null, id: number): Promise<JobFull> {
  const row = await maybeOne<JobFull>(
    tx,
    `SELECT j.id, j.slug, j.title, j.notes, j.area_id AS "areaId", a.path AS area, j.active, j.version, j.usual_ms AS "usualMs",
            j.saved_by AS "savedBy", j.saved_at AS "savedAt", v.definition
       FROM jobs j JOIN areas a ON a.id = j.area_id JOIN job_versions v ON v.job_id = j.id AND v.version = j.version
      WHERE j.id = $1 AND NOT j.is_flow AND j.deleted_at IS NULL`,
    [id],
  )
  if (!row) throw notFound('job', id)
  // A definition saved by an older Bugle gains the defaults of what came since.
  return { ...row, definition: jobDefinitionSchema.parse(row.definition) }
}

export async function addJob(actor: Actor, job: JobContent): Promise<{ id: number }> {
  return transaction((tx) => insertJob(tx, actor, job))
}

/** `slug`: the name that files call it by; made from its title where none is given. */
export async function insertJob(tx: Tx, actor: Actor, given: JobContent, slug?: string): Promise<{ id: number }> {
  await requireOn(tx, actor, 'design', 'area', given.areaId)
  const { definition, systemId } = await placedOn(tx, given.definition)
  const job = { ...given, definition }
  await requireThere(tx, actor, job)
  const name = slug ?? (await freeSlug(tx, 'jobs', slugOf(job.title)))
  const { id } = await guardTitle(async () => {
    const made = await db().jobs.create(
      {
        slug: name,
        title: job.title,
        notes: job.notes,
        areaId: job.areaId,
        active: job.active,
        savedBy: actor.name,
        systemId,
      },
      { transaction: tx },
    )
    await writeVersion(tx, actor, made.id, 1, job.definition)
    return made
  })
  await record(tx, actor, 'added', { type: 'job', id, title: job.title }, { definition: job.definition })
  await notify(tx, { jobs: true })
  return { id }
}

/** Saves a change made to the version that was read. If somebody saved in between, both versions are in the answer, and nothing is saved. */
export async function saveJob(
  actor: Actor,
  id: number,
  job: z.output<typeof jobSaveSchema>,
): Promise<{ version: number }> {
  return transaction((tx) => saveJobIn(tx, actor, id, job))
}

export async function saveJobIn(
  tx: Tx,
  actor: Actor,
  id: number,
  given: z.output<typeof jobSaveSchema>,
): Promise<{ version: number }> {
  await requireOn(tx, actor, 'design', 'job', id)
  await requireOn(tx, actor, 'design', 'area', given.areaId)
  const { definition, systemId } = await placedOn(tx, given.definition)
  const job = { ...given, definition }
  const found = await maybeOne(
    tx,
    'SELECT id FROM jobs WHERE id = $1 AND NOT is_flow AND deleted_at IS NULL FOR UPDATE',
    [id],
  )
  if (!found) throw notFound('job', id)
  const current = await readJob(tx, id)
  if (current.version !== job.version) {
    throw new Problem(
      'conflict',
      `${current.savedBy} saved this job while you were changing it. Nothing of yours is lost: compare the two and decide.`,
      [],
      {
        theirs: current,
      },
    )
  }
  await requireThere(tx, actor, job)
  const version = current.version + 1
  await guardTitle(() =>
    execute(
      tx,
      'UPDATE jobs SET title = $2, notes = $3, area_id = $4, active = $5, version = $6, saved_by = $7, saved_at = now(), system_id = $8 WHERE id = $1',
      [id, job.title, job.notes, job.areaId, job.active, version, actor.name, systemId],
    ),
  )
  await writeVersion(tx, actor, id, version, job.definition)
  const { version: _, ...after } = job
  await record(
    tx,
    actor,
    'changed',
    { type: 'job', id, title: job.title },
    {
      ...difference(current, { title: after.title, notes: after.notes, areaId: after.areaId, active: after.active }),
      ...difference(current.definition, after.definition),
    },
  )
  await notify(tx, { jobs: true, place: true })
  return { version }
}

async function requireThere(tx: Tx, actor: Actor, job: JobContent): Promise<void> {
  const faults = [
    ...(await connectionFaultsOf(tx, job)),
    ...(await SharedValues.read(tx)).faultsOf(job.definition.inputs),
    ...dayFaultsOf(job.definition.inputs, await timingState(tx)),
    ...(await queueFaultsOf(tx, actor, job.definition)),
    ...(await reportFaultsOf(tx, job.definition)),
  ]
  if (faults.length > 0) throw new Problem('invalid-input', faults.map(({ message }) => message).join(' '), faults)
}

/** A job makes only a report that there is. Whoever may read it is told what comes of it, whoever saved the job. */
async function reportFaultsOf(
  tx: Tx,
  { action }: JobContent['definition'],
): Promise<{ path: string; message: string }[]> {
  if (action.kind !== 'report') return []
  const found = await maybeOne(tx, 'SELECT id FROM reports WHERE slug = $1', [action.report])
  return found ? [] : [{ path: 'definition.action.report', message: `There is no report ${action.report}.` }]
}

/** A job names only work queues that there are, and whose items whoever saves it may work on. */
async function queueFaultsOf(
  tx: Tx,
  actor: Actor,
  { queues }: JobContent['definition'],
): Promise<{ path: string; message: string }[]> {
  const named = (['take', 'add'] as const).flatMap((what) => queues[what].map((slug, i) => ({ what, slug, i })))
  if (named.length === 0) return []
  const rows = await many<{ id: number; slug: string }>(
    tx,
    'SELECT id, slug FROM queues WHERE slug = ANY($1) AND deleted_at IS NULL',
    [named.map(({ slug }) => slug)],
  )
  const mine = await whereMay(
    tx,
    actor,
    'operate',
    'queue',
    rows.map(({ id }) => id),
  )
  const known = new Set(rows.filter(({ id }) => mine.has(id)).map(({ slug }) => slug))
  return named
    .filter(({ slug }) => !known.has(slug))
    .map(({ what, slug, i }) => ({
      path: `definition.queues.${what}[${i}]`,
      message: `There is no work queue ${slug} that you may use.`,
    }))
}

/** Takes a job or flow off the lists; its runs and their output stay until their time is up. */
export async function removeJob(actor: Actor, id: number): Promise<void> {
  await removeWork(actor, id, 'job')
}

export async function removeWork(actor: Actor, id: number, what: 'job' | 'flow'): Promise<void> {
  await transaction(async (tx) => {
    await requireOn(tx, actor, 'design', what, id)
    const users = await many<{ id: number; title: string; isFlow: boolean }>(
      tx,
      `SELECT id, title, false AS "isFlow" FROM triggers WHERE job_id = $1 AND deleted_at IS NULL
       UNION ALL
       SELECT f.id, f.title, true FROM jobs w JOIN jobs f ON f.is_flow AND f.deleted_at IS NULL JOIN job_versions v ON v.job_id = f.id AND v.version = f.version
        WHERE w.id = $1 AND v.definition->'steps' @> jsonb_build_array(jsonb_build_object(CASE WHEN w.is_flow THEN 'flow' ELSE 'job' END, w.slug))
        ORDER BY 3, 2`,
      [id],
    )
    const triggers = users.filter((user) => !user.isFlow)
    const flows = users.filter((user) => user.isFlow)
    if (triggers.length > 0)
      throw new Problem(
        'not-now',
        `It is started by ${someOf(triggers.map(({ title }) => title))}. Remove these triggers first, or give them another job.`,
      )
    if (flows.length > 0)
      throw new Problem(
        'not-now',
        `It is a step of ${someOf(await titlesFor(tx, actor, 'flow', flows))}. Take it out of these flows first.`,
      )
    const [row] = await many<{ title: string }>(
      tx,
      `UPDATE jobs SET deleted_at = now(), active = false WHERE id = $1 AND is_flow = $2 AND deleted_at IS NULL RETURNING title`,
      [id, what === 'flow'],
    )
    if (!row) throw notFound(what, id)
    await record(tx, actor, 'removed', { type: what, id, title: row.title })
    await notify(tx, { jobs: true, place: true })
  })
}

export async function writeVersion(
  tx: Tx,
  actor: Actor,
  jobId: number,
  version: number,
  definition: WorkDefinition,
): Promise<void> {
  await execute(
    tx,
    'INSERT INTO job_versions (job_id, version, definition, saved_by, saved_at) VALUES ($1, $2, $3, $4, now())',
    [jobId, version, JSON.stringify(definition), actor.name],
  )
}

export async function guardTitle<T>(work: () => Promise<T>, what: 'job' | 'flow' = 'job'): Promise<T> {
  try {
    return await work()
  } catch (error) {
    if (sqlState(error) === UNIQUE_VIOLATION)
      throw invalid('title', `There is a ${what} with this title in this area already.`)
    if (sqlState(error) === '23503') throw invalid('areaId', 'This area does not exist.')
    throw error
  }
}
