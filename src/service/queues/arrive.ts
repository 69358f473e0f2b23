import { z } from 'zod'
import { MOST_DATA_BYTES, MOST_KEY } from '@/core/events/item'
import { PRIORITIES } from '@/core/dispatch/types'
import { unstorablePath } from '@/core/schema/text'
import { execute, many, maybeOne, transaction, type Tx } from '@/store/db'
import { notify } from '@/store/listen'
import { requireSomewhere, type Actor } from '@/service/base/actor'
import { requireOn } from '@/service/base/area-rights'
import { record } from '@/service/base/audit'
import { notFound, Problem, type FieldFault } from '@/service/base/problem'
import { dataFaults } from './schema-check'

const MOST_AT_ONCE = 1000

const instant = z.iso.datetime({ offset: true }).transform((text) => new Date(text))
export const newItemSchema = z.strictObject({
  key: z
    .string()
    .trim()
    .min(1, 'A key is not empty.')
    .max(MOST_KEY, `A key has at most ${MOST_KEY} characters.`)
    .nullable()
    .default(null),
  data: z.json().default(null),
  priority: z.enum(PRIORITIES).default('normal'),
  due: instant.nullable().default(null),
  notBefore: instant.nullable().default(null),
})
export type NewItem = z.output<typeof newItemSchema>
export const arriveSchema = z.strictObject({
  items: z
    .array(newItemSchema)
    .min(1, 'Give at least one item.')
    .max(MOST_AT_ONCE, `At most ${MOST_AT_ONCE} items at once.`),
  /** Asked for again with the same, it adds nothing and answers the same. */
  requestKey: z.string().min(1).max(200).optional(),
})

interface Into {
  readonly id: number
  readonly keys: 'none' | 'open' | 'ever'
  readonly schema: object | null
}

/** JSON that goes into the database: of a bounded size, without what PostgreSQL cannot keep. */
export function jsonFault(value: unknown, what: string): string | null {
  if (unstorablePath(value) !== undefined) return `${what} has characters that cannot be stored.`
  const bytes = Buffer.byteLength(JSON.stringify(value))
  return bytes > MOST_DATA_BYTES
    ? `${what} has ${Math.ceil(bytes / 1024)} KiB; at most ${MOST_DATA_BYTES / 1024} are kept.`
    : null
}

/** What is wrong with each of these, by its place; a key that is held is found where they are added. */
export function faultsOf(queue: Into, items: readonly NewItem[]): FieldFault[] {
  const faults: FieldFault[] = []
  const seen = new Map<string, number>()
  items.forEach(({ key, data }, i) => {
    const tooMuch = jsonFault({ key, data }, 'The data')
    if (tooMuch) faults.push({ path: `items[${i}].data`, message: tooMuch })
    else
      for (const { path, message } of dataFaults(queue.schema, data))
        faults.push({ path: `items[${i}].data${path ? `.${path}` : ''}`, message })
    if (queue.keys === 'none' || key === null) return
    const before = seen.get(key)
    if (before !== undefined) faults.push({ path: `items[${i}].key`, message: `The key ${key} stands there twice.` })
    seen.set(key, i)
  })
  return faults
}

/**
 * Adds items to a queue that is locked for it, if nothing is wrong with any: all or none.
 *
 * @param cameBy what brought them, in words
 * @returns their numbers, in the order in which they were given
 */
export async function addItemsIn(tx: Tx, queue: Into, items: readonly NewItem[], cameBy: string): Promise<number[]> {
  const faults = faultsOf(queue, items)
  if (faults.length > 0) throw new Problem('invalid-input', faults[0]?.message ?? '', faults.slice(0, 1000))
  return insertItems(tx, queue, items, cameBy)
}

/** The same of items in which no fault was found. */
export async function insertItems(tx: Tx, queue: Into, items: readonly NewItem[], cameBy: string): Promise<number[]> {
  const rows = await many<{ id: number }>(
    tx,
    `INSERT INTO items (queue_id, key, data, priority, due, not_before, came_by)
     SELECT $1, u.key, u.data, u.priority, u.due, CASE WHEN u.not_before > now() THEN u.not_before END, $2
       FROM unnest($3::text[], $4::jsonb[], $5::smallint[], $6::timestamptz[], $7::timestamptz[]) WITH ORDINALITY AS u(key, data, priority, due, not_before, n)
      ORDER BY u.n RETURNING id`,
    [
      queue.id,
      cameBy,
      items.map(({ key }) => key),
      items.map(({ data }) => JSON.stringify(data)),
      items.map(({ priority }) => PRIORITIES.indexOf(priority)),
      items.map(({ due }) => due),
      items.map(({ notBefore }) => notBefore),
    ],
  )
  const ids = rows.map(({ id }) => id)
  if (queue.keys !== 'none') {
    const keyed = items.flatMap(({ key }, i) => (key === null ? [] : [{ key, id: ids[i] as number, i }]))
    await holdKeysOf(tx, queue.id, keyed)
  }
  await notify(tx, { items: true })
  return ids
}

/** Takes these keys for these items; refused where another item holds one. */
export async function holdKeysOf(
  tx: Tx,
  queueId: number,
  keyed: readonly { readonly key: string; readonly id: number; readonly i: number }[],
): Promise<void> {
  if (keyed.length === 0) return
  // By item, not by key: two of these may ask for one.
  const holders = new Set(
    (
      await many<{ id: number }>(
        tx,
        `INSERT INTO item_keys SELECT $1, u.key, u.id FROM unnest($2::text[], $3::bigint[]) AS u(key, id) ORDER BY u.key, u.id ON CONFLICT DO NOTHING RETURNING item_id AS id`,
        [queueId, keyed.map(({ key }) => key), keyed.map(({ id }) => id)],
      )
    ).map(({ id }) => id),
  )
  const faults = keyed
    .filter(({ id }) => !holders.has(id))
    .map(({ key, i }) => ({ path: `items[${i}].key`, message: `An item with the key ${key} is there already.` }))
  if (faults.length > 0) throw new Problem('conflict', faults[0]?.message ?? '', faults)
}

/** By hand or by a program: one or up to a thousand. */
export async function addItems(
  actor: Actor,
  queueId: number,
  { items, requestKey }: z.output<typeof arriveSchema>,
  /** The key of the request where the body has none. */
  keyBeside: () => string | undefined = () => undefined,
): Promise<{ items: number[] }> {
  requireSomewhere(actor, 'operate')
  return transaction(async (tx) => {
    await requireOn(tx, actor, 'operate', 'queue', queueId)
    const queue = await lockedQueue(tx, queueId)
    // Of whoever asks: somebody else's key is another one.
    const given = requestKey ?? keyBeside()
    const key = given && `${queueId} ${actor.id ?? actor.name} ${given}`
    if (key !== undefined) {
      const before = await maybeOne<{ answer: { items: number[] } }>(
        tx,
        'SELECT answer FROM item_arrivals WHERE request_key = $1',
        [key],
      )
      if (before) return before.answer
    }
    const answer = { items: await addItemsIn(tx, queue, items, actor.name) }
    if (key !== undefined)
      await execute(tx, 'INSERT INTO item_arrivals (request_key, queue_id, answer) VALUES ($1, $2, $3)', [
        key,
        queueId,
        JSON.stringify(answer),
      ])
    await record(
      tx,
      actor,
      'added items to',
      { type: 'queue', id: queueId, title: queue.title },
      { count: items.length },
    )
    return answer
  })
}

/** The queue, kept as it is until the transaction is over; two that add with one key of a request wait for each other. */
export async function lockedQueue(tx: Tx, id: number): Promise<Into & { readonly title: string }> {
  const row = await maybeOne<Into & { title: string }>(
    tx,
    'SELECT id, title, keys, schema FROM queues WHERE id = $1 AND deleted_at IS NULL FOR SHARE',
    [id],
  )
  if (!row) throw notFound('queue', id)
  return row
}
