import { z } from 'zod'
import { OVER, type ItemState } from '@/core/events/item'
import { PRIORITIES } from '@/core/dispatch/types'
import { execute, many, maybeOne, one, transaction, type Tx } from '@/store/db'
import { notify } from '@/store/listen'
import { requireSomewhere, type Actor } from '@/service/base/actor'
import { requireOn } from '@/service/base/area-rights'
import { record } from '@/service/base/audit'
import { notFound, Problem, type FieldFault } from '@/service/base/problem'
import { faultsOf, holdKeysOf, lockedQueue, newItemSchema } from './arrive'
import { itemCondition, itemFilterSchema } from './items'

const instant = z.iso.datetime({ offset: true }).transform((text) => new Date(text))
/** What of an item a person may set. What is missing stays. */
const contentSchema = z
  .strictObject({
    data: newItemSchema.shape.data.unwrap(),
    priority: z.enum(PRIORITIES),
    due: instant.nullable(),
    key: newItemSchema.shape.key.unwrap(),
  })
  .partial()
export const againSchema = contentSchema
export const changeItemSchema = contentSchema.extend({
  /** The version that was read. */
  version: z.int().positive(),
})
export const postponeSchema = z.strictObject({ notBefore: instant.nullable() })
export const withdrawSchema = z.strictObject({ why: z.string().max(500).default('') })

/** What is done with all that a filter shows, or with those chosen. */
export const manySchema = z.strictObject({
  ids: z.array(z.int().positive()).max(10_000).optional(),
  filter: itemFilterSchema.optional(),
  act: z.discriminatedUnion('do', [
    z.strictObject({ do: z.literal('again') }),
    z.strictObject({ do: z.literal('withdraw'), why: z.string().max(500).default('') }),
    z.strictObject({ do: z.literal('postpone'), notBefore: instant.nullable() }),
    z.strictObject({ do: z.literal('priority'), priority: z.enum(PRIORITIES) }),
  ]),
  dryRun: z.boolean().default(false),
})
const MOST_AT_ONCE = 10_000

interface Locked {
  readonly id: number
  readonly queueId: number
  readonly key: string | null
  readonly data: unknown
  readonly state: ItemState
  readonly version: number
}

async function lockItem(tx: Tx, actor: Actor, id: number): Promise<Locked> {
  await requireOn(tx, actor, 'operate', 'item', id)
  const item = await maybeOne<Locked>(
    tx,
    'SELECT id, queue_id AS "queueId", key, data, state, version FROM items WHERE id = $1 FOR UPDATE',
    [id],
  )
  if (!item) throw notFound('item', id)
  return item
}

const tell = (tx: Tx, actor: Actor, ids: readonly number[], kind: string, detail = ''): Promise<number> =>
  execute(tx, 'INSERT INTO item_events (item_id, kind, who, detail) SELECT unnest($1::bigint[]), $2, $3, $4', [
    ids,
    kind,
    actor.name,
    detail,
  ])

const cannot = (state: ItemState, what: string): Problem => new Problem('not-now', `It is ${state}: ${what}.`)

/** Puts back what is over, mended if wanted, with its tries from nought. */
export async function putBack(actor: Actor, id: number, content: z.output<typeof againSchema>): Promise<void> {
  requireSomewhere(actor, 'operate')
  await transaction(async (tx) => {
    const item = await lockItem(tx, actor, id)
    if (!OVER.has(item.state)) throw cannot(item.state, 'only what is over is put back')
    const queue = await lockedQueue(tx, item.queueId)
    const key = await write(tx, queue, item, content)
    await back(tx, queue, [{ id, key }])
    const mended = Object.keys(content)
    await tell(tx, actor, [id], 'put back', mended.length > 0 ? `${mended.join(', ')} mended` : `it was ${item.state}`)
    await notify(tx, { items: true })
  })
}

/** Changes what waits; checked by its queue's schema. */
export async function changeItem(
  actor: Actor,
  id: number,
  { version, ...content }: z.output<typeof changeItemSchema>,
): Promise<void> {
  requireSomewhere(actor, 'operate')
  await transaction(async (tx) => {
    const item = await lockItem(tx, actor, id)
    if (item.version !== version) throw new Problem('conflict', 'It changed while you were at it. Look at it again.')
    if (item.state !== 'waiting') throw cannot(item.state, 'only what waits is changed')
    const queue = await lockedQueue(tx, item.queueId)
    const key = await write(tx, queue, item, content)
    if (key !== item.key) await holdAnew(tx, queue, [{ id, key }])
    await execute(tx, 'UPDATE items SET version = version + 1 WHERE id = $1', [id])
    await tell(tx, actor, [id], 'changed', Object.keys(content).join(', '))
    await notify(tx, { items: true })
  })
}

/** Returns the key that it has now; null as a key takes it away. */
async function write(
  tx: Tx,
  queue: Awaited<ReturnType<typeof lockedQueue>>,
  item: Locked,
  content: z.output<typeof contentSchema>,
): Promise<string | null> {
  const after = newItemSchema.parse({
    key: content.key === undefined ? item.key : content.key,
    data: content.data === undefined ? item.data : content.data,
  })
  const faults: FieldFault[] = faultsOf(queue, [after]).map(({ path, message }) => ({
    path: path.replace(/^items\[0\]\.?/, ''),
    message,
  }))
  if (faults.length > 0) throw new Problem('invalid-input', faults.map(({ message }) => message).join(' '), faults)
  await execute(
    tx,
    `UPDATE items SET key = $2, data = $3, priority = coalesce($4, priority), due = CASE WHEN $5 THEN $6::timestamptz ELSE due END WHERE id = $1`,
    [
      item.id,
      after.key,
      JSON.stringify(after.data),
      content.priority === undefined ? null : PRIORITIES.indexOf(content.priority),
      content.due !== undefined,
      content.due ?? null,
    ],
  )
  return after.key
}

/** Takes it out: nobody works on it any more. What a run has just now is its own. */
export async function withdrawItem(actor: Actor, id: number, { why }: z.output<typeof withdrawSchema>): Promise<void> {
  requireSomewhere(actor, 'operate')
  await transaction(async (tx) => {
    const item = await lockItem(tx, actor, id)
    if (!['waiting', 'rejected', 'failed'].includes(item.state)) throw cannot(item.state, 'it cannot be withdrawn')
    await withdraw(tx, actor, [id], why)
  })
}

async function withdraw(tx: Tx, actor: Actor, ids: readonly number[], why: string): Promise<void> {
  await execute(
    tx,
    `UPDATE items SET state = 'withdrawn', not_before = NULL, ended_at = now(), reason = $2, version = version + 1 WHERE id = ANY($1)`,
    [ids, why],
  )
  await execute(
    tx,
    `DELETE FROM item_keys k USING queues q WHERE q.id = k.queue_id AND q.keys = 'open' AND k.item_id = ANY($1)`,
    [ids],
  )
  await tell(tx, actor, ids, 'withdrawn', why)
  await notify(tx, { items: true })
}

/** Not before an instant; null: from now on. */
export async function postponeItem(
  actor: Actor,
  id: number,
  { notBefore }: z.output<typeof postponeSchema>,
): Promise<void> {
  requireSomewhere(actor, 'operate')
  await transaction(async (tx) => {
    const item = await lockItem(tx, actor, id)
    if (item.state !== 'waiting') throw cannot(item.state, 'only what waits is postponed')
    await postpone(tx, actor, [id], notBefore)
  })
}

async function postpone(tx: Tx, actor: Actor, ids: readonly number[], notBefore: Date | null): Promise<void> {
  await execute(
    tx,
    `UPDATE items SET not_before = CASE WHEN $2::timestamptz > now() THEN $2::timestamptz END, version = version + 1 WHERE id = ANY($1)`,
    [ids, notBefore],
  )
  await tell(
    tx,
    actor,
    ids,
    notBefore ? 'postponed' : 'let go',
    notBefore ? `not before ${notBefore.toISOString()}` : '',
  )
  await notify(tx, { items: true })
}

/** States in which each act means something. */
const MAY: Record<z.output<typeof manySchema>['act']['do'], readonly ItemState[]> = {
  again: [...OVER],
  withdraw: ['waiting', 'rejected', 'failed'],
  postpone: ['waiting'],
  priority: ['waiting'],
}

/** Those of these that would hold their key if they came back: nobody else has it, and of two with one key the first. */
async function withFreeKey(tx: Tx, queueId: number, items: readonly Keyed[]): Promise<Keyed[]> {
  const rows = await many<{ id: number }>(
    tx,
    `SELECT DISTINCT ON (u.key) u.id FROM unnest($2::bigint[], $3::text[]) AS u(id, key)
      WHERE NOT EXISTS (SELECT FROM item_keys k WHERE k.queue_id = $1 AND k.key = u.key AND k.item_id <> u.id) ORDER BY u.key, u.id`,
    [queueId, items.map(({ id }) => id), items.map(({ key }) => key)],
  )
  const free = new Set(rows.map(({ id }) => id))
  return items.filter(({ id, key }) => key === null || free.has(id))
}

/**
 * The same with many: of those that are meant, on those for which it means something. What would be put back under a key that another one holds stays as it is.
 *
 * @returns how many are meant, with how many of them it is done, and how many stay because of their key; a dry run says the same and does nothing
 */
export async function actOnMany(
  actor: Actor,
  queueId: number,
  { ids, filter, act, dryRun }: z.output<typeof manySchema>,
): Promise<{ meant: number; done: number; held: number }> {
  requireSomewhere(actor, 'operate')
  if ((ids === undefined) === (filter === undefined))
    throw new Problem('invalid-input', 'Say which: those chosen, or all that a filter shows.')
  return transaction(async (tx) => {
    await requireOn(tx, actor, 'operate', 'queue', queueId)
    const queue = await lockedQueue(tx, queueId)
    const { where, bind } = itemCondition(queueId, filter ?? {})
    const chosen = ids === undefined ? where : `${where} AND i.id = ANY($${bind.push(ids)})`
    const { n: meant } = await one<{ n: number }>(
      tx,
      `SELECT count(*)::int AS n FROM (SELECT 1 FROM items i WHERE ${chosen} LIMIT ${MOST_AT_ONCE + 1}) c`,
      bind,
    )
    if (meant > MOST_AT_ONCE)
      throw new Problem(
        'too-large',
        `That is more than ${MOST_AT_ONCE.toLocaleString('en')} items at once: narrow the filter.`,
      )
    const chance = await many<Keyed>(
      tx,
      `SELECT i.id, i.key FROM items i WHERE ${chosen} AND i.state = ANY($${bind.push(MAY[act.do])}::text[]) ORDER BY i.id ${dryRun ? '' : 'FOR UPDATE'}`,
      bind,
    )
    const fit = act.do === 'again' && queue.keys !== 'none' ? await withFreeKey(tx, queueId, chance) : chance
    const answer = { meant, done: fit.length, held: chance.length - fit.length }
    if (dryRun || fit.length === 0) return answer
    const these = fit.map(({ id }) => id)
    if (act.do === 'withdraw') await withdraw(tx, actor, these, act.why)
    else if (act.do === 'postpone') await postpone(tx, actor, these, act.notBefore)
    else if (act.do === 'priority') {
      await execute(tx, 'UPDATE items SET priority = $2, version = version + 1 WHERE id = ANY($1)', [
        these,
        PRIORITIES.indexOf(act.priority),
      ])
      await tell(tx, actor, these, 'changed', `priority ${act.priority}`)
    } else {
      await back(tx, queue, fit)
      await tell(tx, actor, these, 'put back')
    }
    await record(
      tx,
      actor,
      `${act.do}: items of`,
      { type: 'queue', id: queueId, title: queue.title },
      { count: these.length },
    )
    await notify(tx, { items: true })
    return answer
  })
}

interface Keyed {
  readonly id: number
  readonly key: string | null
}

/** Each holds the key that it has now, and none that it had. */
async function holdAnew(
  tx: Tx,
  queue: Awaited<ReturnType<typeof lockedQueue>>,
  items: readonly Keyed[],
): Promise<void> {
  if (queue.keys === 'none') return
  await execute(tx, 'DELETE FROM item_keys WHERE item_id = ANY($1)', [items.map(({ id }) => id)])
  await holdKeysOf(
    tx,
    queue.id,
    items.flatMap(({ id, key }, i) => (key === null ? [] : [{ key, id, i }])),
  )
}

/** They wait again, with their tries from nought. */
async function back(tx: Tx, queue: Awaited<ReturnType<typeof lockedQueue>>, items: readonly Keyed[]): Promise<void> {
  await holdAnew(tx, queue, items)
  await execute(
    tx,
    `UPDATE items SET state = 'waiting', tries = 0, laters = 0, not_before = NULL, ended_at = NULL, result = NULL, version = version + 1 WHERE id = ANY($1)`,
    [items.map(({ id }) => id)],
  )
}
