import { z } from 'zod'
import { someOf } from '@/core/phrase/some-of'
import { slugOf } from '@/core/schema/slug'
import { jobDefinitionSchema, type JobDefinition } from '@/core/work/job'
import { onSystem, ringOf, systemFault, systemSchema, type SystemContent, type SystemSays } from '@/core/work/systems'
import { db, execute, many, maybeOne, transaction, type Tx } from '@/store/db'
import { notify } from '@/store/listen'
import { beyondWalls } from '@/store/walls'
import { connectionFaultsOf } from '@/service/fleet/accounts'
import { requireRight, type Actor } from '@/service/base/actor'
import { difference, record, recordAll } from '@/service/base/audit'
import { invalid, notFound, Problem } from '@/service/base/problem'
import { freeSlug } from '@/service/base/slugs'

export const systemSaveSchema = systemSchema.safeExtend({ version: z.int().positive() })

export interface SystemFull extends SystemContent {
  readonly id: number
  readonly slug: string
  readonly version: number
  readonly savedBy: string
  readonly savedAt: Date
}

/** What a system `s` says, as columns. */
export const SAYS = `s.kind, s.host, s.port, s.database, s.tls, s.host_key AS "hostKey", s.account, s.pool`

export async function readSystem(tx: Tx | null, id: number): Promise<SystemFull> {
  const row = await maybeOne<SystemFull>(
    tx,
    `SELECT s.id, s.slug, s.title, s.notes, ${SAYS}, s.version, s.saved_by AS "savedBy", s.saved_at AS "savedAt",
            coalesce((SELECT jsonb_agg(b.slug ORDER BY b.slug) FROM system_on o JOIN systems b ON b.id = o.on_id WHERE o.system_id = s.id), '[]') AS on
       FROM systems s WHERE s.id = $1`,
    [id],
  )
  if (!row) throw notFound('system', id)
  return row
}

export function addSystem(actor: Actor, content: SystemContent): Promise<{ id: number; slug: string }> {
  return transaction((tx) => addSystemIn(tx, actor, content))
}

/** `slug`: the name that jobs and files call it by; made from its title where none is given. */
export async function addSystemIn(
  tx: Tx,
  actor: Actor,
  { on, ...content }: SystemContent,
  slug?: string,
): Promise<{ id: number; slug: string }> {
  requireRight(actor, 'administer')
  await requireNamed(tx, content)
  const name = slug ?? (await freeSlug(tx, 'systems', slugOf(content.title)))
  const { id } = await db().systems.create({ ...content, slug: name, savedBy: actor.name }, { transaction: tx })
  await setOn(tx, id, on)
  await record(tx, actor, 'added', { type: 'system', id, title: content.title }, { ...content, on })
  await notify(tx, { fleet: true })
  return { id, slug: name }
}

export async function saveSystem(
  actor: Actor,
  id: number,
  content: z.output<typeof systemSaveSchema>,
): Promise<{ version: number; jobs: number }> {
  return transaction((tx) => saveSystemIn(tx, actor, id, content))
}

/**
 * Saves a system, and in the same transaction every job that is done on it: `jobs` is how many of them say something else from now on. Runs that there are already keep what they were made with.
 * If one of the jobs could not be done any more, nothing is saved.
 */
export async function saveSystemIn(
  tx: Tx,
  actor: Actor,
  id: number,
  { version, on, ...content }: z.output<typeof systemSaveSchema>,
): Promise<{ version: number; jobs: number }> {
  requireRight(actor, 'administer')
  await maybeOne(tx, 'SELECT id FROM systems WHERE id = $1 FOR UPDATE', [id])
  const before = await readSystem(tx, id)
  if (before.version !== version)
    throw new Problem(
      'conflict',
      `${before.savedBy} saved this system while you were changing it. Nothing of yours is lost: compare the two and decide.`,
      [],
      { theirs: before },
    )
  await requireNamed(tx, content)
  await db().systems.update(
    { ...content, version: version + 1, savedBy: actor.name, savedAt: new Date() },
    { where: { id }, transaction: tx },
  )
  await setOn(tx, id, on)
  await record(
    tx,
    actor,
    'changed',
    { type: 'system', id, title: content.title },
    difference(before, { ...content, on }),
  )
  const jobs = await carryToJobs(tx, actor, { id, slug: before.slug, title: content.title, says: content })
  await notify(tx, { fleet: true, jobs: true, place: true })
  return { version: version + 1, jobs }
}

/** Only one that nothing names. */
export async function removeSystem(actor: Actor, id: number): Promise<void> {
  requireRight(actor, 'administer')
  await transaction(async (tx) => {
    const row = await maybeOne<{ title: string }>(tx, 'SELECT title FROM systems WHERE id = $1 FOR UPDATE', [id])
    if (!row) throw notFound('system', id)
    const above = await many<{ title: string }>(
      tx,
      'SELECT s.title FROM system_on o JOIN systems s ON s.id = o.system_id WHERE o.on_id = $1 ORDER BY s.title',
      [id],
    )
    const jobs = await many<{ title: string }>(
      tx,
      'SELECT title FROM jobs WHERE system_id = $1 AND deleted_at IS NULL ORDER BY title',
      [id],
    )
    const named = (rows: readonly { title: string }[]): string => someOf(rows.map(({ title }) => title))
    if (jobs.length > 0)
      throw new Problem('not-now', `${named(jobs)} ${jobs.length === 1 ? 'is' : 'are'} done on it. Change them first.`)
    if (above.length > 0)
      throw new Problem('not-now', `${named(above)} ${above.length === 1 ? 'runs' : 'run'} on it. Change them first.`)
    // Jobs that were taken off the lists do not keep it.
    await execute(tx, 'UPDATE jobs SET system_id = NULL WHERE system_id = $1', [id])
    await execute(tx, 'DELETE FROM systems WHERE id = $1', [id])
    await record(tx, actor, 'removed', { type: 'system', id, title: row.title })
    await notify(tx, { fleet: true })
  })
}

/** What a system names is there, and stays while this is saved. */
async function requireNamed(tx: Tx, { account, pool }: SystemSays): Promise<void> {
  if (
    account !== null &&
    !(await maybeOne(tx, 'SELECT 1 AS one FROM accounts WHERE name = $1 FOR KEY SHARE', [account]))
  )
    throw invalid('account', `There is no account ${account}.`)
  if (pool !== null && !(await maybeOne(tx, 'SELECT 1 AS one FROM pools WHERE name = $1 FOR KEY SHARE', [pool])))
    throw invalid('pool', `There is no pool ${pool}.`)
}

/** One at a time: two that are saved at once could close a ring together. */
async function setOn(tx: Tx, id: number, on: readonly string[]): Promise<void> {
  await execute(tx, 'LOCK TABLE system_on IN SHARE ROW EXCLUSIVE MODE')
  const rows = await many<{ id: number; slug: string }>(tx, 'SELECT id, slug FROM systems WHERE slug = ANY($1)', [on])
  const missing = on.filter((name) => !rows.some((row) => row.slug === name))
  if (missing.length > 0) throw invalid('on', `There is no system ${missing.join(', ')}.`)
  await execute(tx, 'DELETE FROM system_on WHERE system_id = $1', [id])
  await execute(tx, 'INSERT INTO system_on SELECT $1, unnest($2::bigint[])', [id, rows.map((row) => row.id)])
  const links = await many<{ slug: string; on: string[] }>(
    tx,
    'SELECT s.slug, array_agg(b.slug) AS on FROM system_on o JOIN systems s ON s.id = o.system_id JOIN systems b ON b.id = o.on_id GROUP BY s.slug ORDER BY s.slug',
  )
  const ring = ringOf(new Map(links.map((link) => [link.slug, link.on])))
  if (ring?.length === 1) throw invalid('on', 'It cannot run on itself.')
  if (ring) throw invalid('on', `These would run on each other in a ring: ${ring.join(', ')}.`)
}

interface SystemNow {
  readonly id: number
  readonly slug: string
  readonly title: string
  readonly says: SystemSays
}

/** The system that a job names, held until the transaction is over: one that is being changed is waited for. */
async function systemNamed(tx: Tx, slug: string): Promise<SystemNow | undefined> {
  const row = await maybeOne<SystemSays & { id: number; title: string }>(
    tx,
    `SELECT s.id, s.title, ${SAYS} FROM systems s WHERE s.slug = $1 FOR SHARE`,
    [slug],
  )
  if (!row) return undefined
  const { id, title, ...says } = row
  return { id, slug, title, says }
}

/** A job as it is done on the system that it names, and that system; a job that names none is as it was. */
export async function placedOn(
  tx: Tx,
  definition: JobDefinition,
): Promise<{ readonly definition: JobDefinition; readonly systemId: number | null }> {
  if (definition.system === null) return { definition, systemId: null }
  const system = await systemNamed(tx, definition.system)
  if (!system) throw invalid('definition.system', `There is no system ${definition.system}.`)
  const fault = systemFault(definition.action, system.title, system.says)
  if (fault !== null) throw invalid('definition.system', fault)
  return { definition: checked(onSystem(definition, system.says), ''), systemId: system.id }
}

/** What a system says may be what a job of that kind cannot have. */
function checked(definition: JobDefinition, title: string): JobDefinition {
  const parsed = jobDefinitionSchema.safeParse(definition)
  if (parsed.success) return parsed.data
  const says = parsed.error.issues.map(({ message }) => message).join(' ')
  throw invalid(title === '' ? 'definition.system' : 'kind', title === '' ? says : `${title}: ${says}`)
}

/** New versions of the jobs that are done on a system, where it says something else than before. Whoever may change the system changes them all, whatever areas they lie in. */
async function carryToJobs(tx: Tx, actor: Actor, system: SystemNow): Promise<number> {
  return beyondWalls(async () => {
    const jobs = await many<{ id: number; title: string; areaId: number; version: number; definition: unknown }>(
      tx,
      `SELECT j.id, j.title, j.area_id AS "areaId", j.version, v.definition FROM jobs j JOIN job_versions v ON v.job_id = j.id AND v.version = j.version
        WHERE j.system_id = $1 AND j.deleted_at IS NULL ORDER BY j.id FOR UPDATE OF j`,
      [system.id],
    )
    const changed = []
    for (const job of jobs) {
      const before = jobDefinitionSchema.parse(job.definition)
      const fault = systemFault(before.action, system.title, system.says)
      if (fault !== null) throw invalid('kind', `${job.title} could not be done on it any more: ${fault}`)
      const after = checked(onSystem(before, system.says), job.title)
      if (JSON.stringify(after) === JSON.stringify(before)) continue
      const [first] = await connectionFaultsOf(tx, { areaId: job.areaId, definition: after })
      if (first) throw invalid('account', `${job.title}: ${first.message}`)
      changed.push({ ...job, before, after })
    }
    if (changed.length === 0) return 0
    const ids = changed.map(({ id }) => id)
    await execute(
      tx,
      `INSERT INTO job_versions (job_id, version, definition, saved_by, saved_at)
       SELECT u.id, u.version, u.definition, $4, now() FROM unnest($1::bigint[], $2::int[], $3::jsonb[]) AS u(id, version, definition)`,
      [ids, changed.map(({ version }) => version + 1), changed.map(({ after }) => JSON.stringify(after)), actor.name],
    )
    await execute(tx, 'UPDATE jobs SET version = version + 1, saved_by = $2, saved_at = now() WHERE id = ANY($1)', [
      ids,
      actor.name,
    ])
    await recordAll(
      tx,
      actor,
      'changed',
      changed.map(({ id, title, before, after }) => ({
        object: { type: 'job', id, title },
        changes: { ...difference(before, after), because: `the system ${system.title} changed` },
      })),
    )
    return changed.length
  })
}
