import { z } from 'zod'
import { keysSchema, type QueueKeys } from '@/core/events/item'
import { slugOf } from '@/core/schema/slug'
import { titleSchema } from '@/core/schema/text'
import { db, execute, many, maybeOne, sqlState, transaction, UNIQUE_VIOLATION, type Tx } from '@/store/db'
import { notify } from '@/store/listen'
import { requireSomewhere, type Actor } from '@/service/base/actor'
import { levelOn, requireOn, type HasLevel } from '@/service/base/area-rights'
import { difference, record } from '@/service/base/audit'
import { invalid, notFound, Problem } from '@/service/base/problem'
import { freeSlug } from '@/service/base/slugs'
import { schemaFault } from './schema-check'

export const queueSchema = z.strictObject({
  title: titleSchema('A queue needs a title.', 120),
  notes: z.string().max(10_000).default(''),
  areaId: z.int().positive('Choose an area.'),
  /** Takes that may come to nothing before an item has failed. */
  tries: z.int().min(1, 'From 1 to 20.').max(20, 'From 1 to 20.').default(3),
  /** Seconds before the next try. */
  delaySeconds: z
    .int()
    .min(0)
    .max(7 * 86_400)
    .default(60),
  keys: keysSchema.default('none'),
  /** JSON Schema 2020-12 of an item's data; null: any. */
  schema: z.record(z.string(), z.unknown()).nullable().default(null),
  keepDays: z.int().min(1, 'From 1 to 3650.').max(3650, 'From 1 to 3650.').default(90),
  /** Beyond so many rejected and failed ones that nobody has looked at a person is told. */
  mostRejected: z.int().min(0).max(1_000_000).default(10),
  active: z.boolean().default(true),
})
export const queueSaveSchema = queueSchema.extend({ version: z.int().positive() })
type QueueContent = z.output<typeof queueSchema>

export interface QueueFull extends QueueContent, HasLevel {
  readonly id: number
  readonly slug: string
  readonly area: string
  readonly version: number
  readonly savedBy: string
  readonly savedAt: Date
}

export interface QueueRow {
  readonly id: number
  readonly slug: string
  readonly title: string
  readonly areaId: number
  readonly area: string
  readonly active: boolean
  readonly keys: QueueKeys
  readonly tries: number
  readonly delaySeconds: number
}

const COLUMNS = `q.id, q.slug, q.title, q.area_id AS "areaId", a.path AS area, q.active, q.keys, q.tries, (q.delay_ms / 1000)::int AS "delaySeconds"`
const FROM = 'queues q JOIN areas a ON a.id = q.area_id'

/** All queues that the actor may see. */
export async function queueRows(actor: Actor): Promise<QueueRow[]> {
  requireSomewhere(actor, 'see')
  return many<QueueRow>(
    null,
    `SELECT ${COLUMNS} FROM ${FROM} WHERE q.deleted_at IS NULL ORDER BY lower(a.path), lower(q.title)`,
  )
}

export async function oneQueue(actor: Actor, id: number): Promise<QueueFull> {
  requireSomewhere(actor, 'see')
  return { ...(await readQueue(null, id)), may: await levelOn(actor, 'queue', id) }
}

/** A queue of this number, or by its name. */
export async function readQueue(tx: Tx | null, id: number): Promise<Omit<QueueFull, 'may'>> {
  const row = await maybeOne<Omit<QueueFull, 'may'>>(
    tx,
    `SELECT ${COLUMNS}, q.notes, q.schema, q.keep_days AS "keepDays", q.most_rejected AS "mostRejected", q.version, q.saved_by AS "savedBy", q.saved_at AS "savedAt"
       FROM ${FROM} WHERE q.id = $1 AND q.deleted_at IS NULL`,
    [id],
  )
  if (!row) throw notFound('queue', id)
  return row
}

export async function addQueue(actor: Actor, content: QueueContent): Promise<{ id: number; slug: string }> {
  return transaction((tx) => addQueueIn(tx, actor, content))
}

export async function addQueueIn(
  tx: Tx,
  actor: Actor,
  content: QueueContent,
  slug?: string,
): Promise<{ id: number; slug: string }> {
  await requireOn(tx, actor, 'design', 'area', content.areaId)
  requireSchema(content.schema)
  const name = slug ?? (await freeSlug(tx, 'queues', slugOf(content.title)))
  const { delaySeconds, ...rest } = content
  try {
    const { id } = await db().queues.create(
      { ...rest, slug: name, delayMs: delaySeconds * 1000, savedBy: actor.name },
      { transaction: tx },
    )
    await record(tx, actor, 'added', { type: 'queue', id, title: content.title }, content)
    await notify(tx, { jobs: true, items: true })
    return { id, slug: name }
  } catch (error) {
    if (sqlState(error) === UNIQUE_VIOLATION) throw invalid('title', `There is a queue called ${name} already.`)
    throw error
  }
}

function requireSchema(schema: QueueContent['schema']): void {
  const fault = schema && schemaFault(schema)
  if (fault) throw invalid('schema', fault)
}

/** Saves a change made to the version that was read; if somebody saved in between, nothing is saved, and theirs is in the answer. */
export async function saveQueue(
  actor: Actor,
  id: number,
  { version, ...content }: z.output<typeof queueSaveSchema>,
): Promise<{ version: number }> {
  return transaction((tx) => saveQueueIn(tx, actor, id, { version, ...content }))
}

export async function saveQueueIn(
  tx: Tx,
  actor: Actor,
  id: number,
  { version, ...content }: z.output<typeof queueSaveSchema>,
): Promise<{ version: number }> {
  await requireOn(tx, actor, 'design', 'queue', id)
  await requireOn(tx, actor, 'design', 'area', content.areaId)
  const found = await maybeOne(tx, 'SELECT id FROM queues WHERE id = $1 AND deleted_at IS NULL FOR UPDATE', [id])
  if (!found) throw notFound('queue', id)
  const before = await readQueue(tx, id)
  if (before.version !== version)
    throw new Problem(
      'conflict',
      `${before.savedBy} saved this queue while you were changing it. Nothing of yours is lost: compare the two and decide.`,
      [],
      { theirs: before },
    )
  requireSchema(content.schema)
  const { delaySeconds, ...rest } = content
  await db().queues.update(
    { ...rest, delayMs: delaySeconds * 1000, version: version + 1, savedBy: actor.name, savedAt: new Date() },
    { where: { id }, transaction: tx },
  )
  if (content.keys !== before.keys) await holdKeys(tx, id, content.keys)
  await record(tx, actor, 'changed', { type: 'queue', id, title: content.title }, difference(before, content))
  await notify(tx, { jobs: true, items: true })
  return { version: version + 1 }
}

/** By the new rule: who holds which key from now on. Refused where two would hold one. */
async function holdKeys(tx: Tx, id: number, keys: QueueKeys): Promise<void> {
  await execute(tx, 'DELETE FROM item_keys WHERE queue_id = $1', [id])
  if (keys === 'none') return
  const held = `queue_id = $1 AND key IS NOT NULL ${keys === 'open' ? `AND state IN ('waiting','taken')` : ''}`
  const twice = await maybeOne<{ key: string }>(
    tx,
    `SELECT key FROM items WHERE ${held} GROUP BY key HAVING count(*) > 1 LIMIT 1`,
    [id],
  )
  if (twice) throw invalid('keys', `More than one item has the key ${twice.key}: they could not all be kept.`)
  await execute(tx, `INSERT INTO item_keys SELECT queue_id, key, id FROM items WHERE ${held}`, [id])
}

/** Only an empty one: items are never thrown away by the way. */
export async function removeQueue(actor: Actor, id: number): Promise<void> {
  await transaction(async (tx) => {
    await requireOn(tx, actor, 'design', 'queue', id)
    const queue = await maybeOne<{ title: string; slug: string }>(
      tx,
      'SELECT title, slug FROM queues WHERE id = $1 AND deleted_at IS NULL FOR UPDATE',
      [id],
    )
    if (!queue) throw notFound('queue', id)
    const open = await maybeOne(
      tx,
      `SELECT 1 FROM items WHERE queue_id = $1 AND state IN ('waiting','taken') LIMIT 1`,
      [id],
    )
    if (open) throw new Problem('not-now', 'Items wait in it, or are being worked on. Withdraw them first.')
    const job = await maybeOne<{ title: string }>(
      tx,
      `SELECT j.title FROM jobs j JOIN job_versions v ON v.job_id = j.id AND v.version = j.version
        WHERE j.deleted_at IS NULL AND (v.definition->'queues'->'take' ? $1 OR v.definition->'queues'->'add' ? $1) LIMIT 1`,
      [queue.slug],
    )
    if (job) throw new Problem('not-now', `The job ${job.title} names it. Change that first.`)
    await execute(tx, `UPDATE queues SET deleted_at = now(), slug = slug || ' ' || id, active = false WHERE id = $1`, [
      id,
    ])
    await record(tx, actor, 'removed', { type: 'queue', id, title: queue.title })
    await notify(tx, { jobs: true, items: true })
  })
}
