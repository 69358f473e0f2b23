import { afterTake, type ItemLife, type TakeEnd } from '@/core/events/item'
import { execute, many, maybeOne, transaction, type Tx } from '@/store/db'
import { notify } from '@/store/listen'

/** An item as whoever takes it gets it. */
export interface TakenItem {
  readonly item: number
  readonly key: string | null
  readonly data: unknown
  readonly try: number
}

/** Whose attempt takes. */
export interface Taker {
  readonly attemptId: number
  readonly runId: number
  readonly agent: string
  readonly robot: string | null
}

/** The next item of the queue, taken by this attempt in one statement, so that two never get one; null: there is none now, or the queue is off. */
export async function takeNext(tx: Tx, queueId: number, taker: Taker): Promise<TakenItem | null> {
  const taken = await maybeOne<TakenItem>(
    tx,
    `WITH next AS (
       SELECT i.id FROM items i
        WHERE i.queue_id = $1 AND i.state = 'waiting' AND i.not_before IS NULL AND EXISTS (SELECT FROM queues q WHERE q.id = $1 AND q.active AND q.deleted_at IS NULL)
        ORDER BY i.priority, coalesce(i.due, 'infinity'), i.id LIMIT 1 FOR UPDATE SKIP LOCKED),
     taken AS (UPDATE items i SET state = 'taken', version = i.version + 1 FROM next WHERE i.id = next.id RETURNING i.id, i.key, i.data, i.tries),
     noted AS (INSERT INTO item_takes (item_id, attempt_id, run_id, agent, robot) SELECT id, $2, $3, $4, $5 FROM taken)
     SELECT id AS item, key, data, tries + 1 AS try FROM taken`,
    [queueId, taker.attemptId, taker.runId, taker.agent, taker.robot],
  )
  if (taken) await notify(tx, { items: true })
  return taken ?? null
}

interface OpenTake extends ItemLife {
  readonly token: number
  readonly id: number
  readonly key: string | null
  readonly queueId: number
  readonly keys: string
  readonly queueTries: number
  readonly delayMs: number
}

const OPEN = `
  SELECT t.token, i.id, i.key, i.queue_id AS "queueId", q.keys, q.tries AS "queueTries", q.delay_ms AS "delayMs", i.state, i.tries, i.laters,
         NULL AS "notBeforeMs"
    FROM item_takes t JOIN items i ON i.id = t.item_id JOIN queues q ON q.id = i.queue_id
   WHERE t.ended_at IS NULL`

/** Ends the take that this attempt has of an item. Refused, in a sentence, when it has none, or may not put it off any more; null: it has ended. */
export async function endTake(
  tx: Tx,
  attemptId: number,
  itemId: number,
  end: TakeEnd,
  { reason = '', result }: { reason?: string; result?: unknown } = {},
): Promise<string | null> {
  const take = await maybeOne<OpenTake>(tx, `${OPEN} AND t.attempt_id = $1 AND t.item_id = $2 FOR UPDATE OF i, t`, [
    attemptId,
    itemId,
  ])
  if (!take) return `This run does not hold item ${itemId}.`
  const after = afterTake(take, end, { tries: take.queueTries, delayMs: take.delayMs }, Date.now())
  if (!after) return `Item ${itemId} was put back for later too often: end it in another way.`
  await write(tx, [{ take, after, how: end.how, reason, result }])
  return null
}

/** These attempts have ended, in whatever way: what they still had is given back, with a try counted. Called in the transaction that ends them. */
export async function endTakesOf(tx: Tx, runIds: readonly number[]): Promise<void> {
  if (runIds.length === 0) return
  const takes = await many<OpenTake>(tx, `${OPEN} AND t.run_id = ANY($1) ORDER BY i.id FOR UPDATE OF i, t`, [runIds])
  if (takes.length === 0) return
  const nowMs = Date.now()
  await write(
    tx,
    takes.flatMap((take) => {
      const after = afterTake(take, { how: 'lost' }, { tries: take.queueTries, delayMs: take.delayMs }, nowMs)
      return after
        ? [{ take, after, how: 'lost' as const, reason: 'Its run ended without a word about it.', result: undefined }]
        : []
    }),
  )
}

interface Ended {
  readonly take: OpenTake
  readonly after: ItemLife
  readonly how: TakeEnd['how']
  readonly reason: string
  readonly result: unknown
}

async function write(tx: Tx, all: readonly Ended[]): Promise<void> {
  await execute(
    tx,
    `UPDATE items i SET state = u.state, tries = u.tries, laters = u.laters, not_before = u.not_before, version = i.version + 1, reason = u.reason,
            result = coalesce(u.result, i.result), ended_at = CASE WHEN u.state = 'waiting' THEN NULL ELSE now() END
       FROM unnest($1::bigint[], $2::text[], $3::int[], $4::int[], $5::timestamptz[], $6::text[], $7::jsonb[])
         AS u(id, state, tries, laters, not_before, reason, result) WHERE i.id = u.id`,
    [
      all.map(({ take }) => take.id),
      all.map(({ after }) => after.state),
      all.map(({ after }) => after.tries),
      all.map(({ after }) => after.laters),
      all.map(({ after }) => (after.notBeforeMs === null ? null : new Date(after.notBeforeMs))),
      all.map(({ reason }) => reason),
      all.map(({ result }) => (result === undefined ? null : JSON.stringify(result))),
    ],
  )
  await execute(
    tx,
    `UPDATE item_takes t SET ended_at = now(), outcome = u.how, reason = u.reason
       FROM unnest($1::bigint[], $2::text[], $3::text[]) AS u(token, how, reason) WHERE t.token = u.token`,
    [all.map(({ take }) => take.token), all.map(({ how }) => how), all.map(({ reason }) => reason)],
  )
  const over = all
    .filter(({ take, after }) => take.keys === 'open' && after.state !== 'waiting')
    .map(({ take }) => take.id)
  if (over.length > 0) await execute(tx, 'DELETE FROM item_keys WHERE item_id = ANY($1)', [over])
  await notify(tx, { items: true })
}

/** Items whose time has come may be taken. At most some thousands in one go; true: there are more. */
export async function releaseItems(): Promise<boolean> {
  const most = 5000
  const released = await transaction((tx) =>
    execute(
      tx,
      `UPDATE items i SET not_before = NULL FROM (SELECT id FROM items WHERE state = 'waiting' AND not_before <= now() ORDER BY id LIMIT ${most} FOR UPDATE SKIP LOCKED) l WHERE i.id = l.id`,
    ),
  )
  if (released > 0) await notify(null, { items: true })
  return released >= most
}

/** Removes what is over and was kept long enough, with its story. Returns how many items. */
export async function purgeItems(): Promise<number> {
  await execute(null, `DELETE FROM item_arrivals WHERE at < now() - interval '7 days'`)
  return execute(
    null,
    `DELETE FROM items WHERE id IN (SELECT i.id FROM queues q JOIN items i ON i.queue_id = q.id AND i.ended_at < now() - make_interval(days => q.keep_days) LIMIT 2000)`,
  )
}
