import { z } from 'zod'
import { emptyAtMs } from '@/core/events/item'
import { config } from '@/store/config'
import { many } from '@/store/db'
import { requireSomewhere, type Actor } from '@/service/base/actor'
import { queueRows, readQueue, type QueueRow } from './queues'

export interface QueueFigures {
  readonly waiting: number
  /** Of those waiting: may be taken now. */
  readonly ready: number
  readonly taken: number
  readonly rejected: number
  readonly failed: number
  readonly doneToday: number
  /** When today began. */
  readonly todayAt: Date
  readonly overdue: number
  readonly oldestAt: Date | null
  /** Over the last hour. */
  readonly arrivedPerHour: number
  readonly endedPerHour: number
  /** How long one takes, of the last hundred that were brought to an end; null: none yet. */
  readonly meanMs: number | null
  readonly emptyAt: Date | null
  /** Robots, or agents, that have one now. */
  readonly takers: readonly string[]
}
export interface QueueListed extends QueueRow, QueueFigures {}

/** Figures of these queues, by number. What waits and what is open is counted; what is over only by index. */
export async function figuresOf(ids: readonly number[]): Promise<Map<number, QueueFigures>> {
  if (ids.length === 0) return new Map()
  const rows = await many<Omit<QueueFigures, 'emptyAt' | 'takers'> & { id: number; takers: string[] | null }>(
    null,
    `SELECT q.id,
            (SELECT count(*) FROM items i WHERE i.queue_id = q.id AND i.state = 'waiting')::int AS waiting,
            (SELECT count(*) FROM items i WHERE i.queue_id = q.id AND i.state = 'waiting' AND i.not_before IS NULL)::int AS ready,
            (SELECT count(*) FROM items i WHERE i.queue_id = q.id AND i.state = 'taken')::int AS taken,
            (SELECT count(*) FROM items i WHERE i.queue_id = q.id AND i.state = 'rejected')::int AS rejected,
            (SELECT count(*) FROM items i WHERE i.queue_id = q.id AND i.state = 'failed')::int AS failed,
            (SELECT count(*) FROM items i WHERE i.queue_id = q.id AND i.state = 'done' AND i.ended_at >= date_trunc('day', now() AT TIME ZONE $2) AT TIME ZONE $2)::int AS "doneToday",
            date_trunc('day', now() AT TIME ZONE $2) AT TIME ZONE $2 AS "todayAt",
            (SELECT count(*) FROM items i WHERE i.queue_id = q.id AND i.state IN ('waiting','taken') AND i.due < now())::int AS overdue,
            (SELECT i.created_at FROM items i WHERE i.queue_id = q.id AND i.state = 'waiting' ORDER BY i.id LIMIT 1) AS "oldestAt",
            (SELECT count(*) FROM items i WHERE i.queue_id = q.id AND i.created_at >= now() - interval '1 hour')::int AS "arrivedPerHour",
            (SELECT count(*) FROM items i WHERE i.queue_id = q.id AND i.ended_at >= now() - interval '1 hour')::int AS "endedPerHour",
            (SELECT avg(extract(epoch FROM t.ended_at - t.taken_at) * 1000)::float
               FROM (SELECT i.id FROM items i WHERE i.queue_id = q.id AND i.ended_at IS NOT NULL AND i.state IN ('done','rejected') ORDER BY i.ended_at DESC LIMIT 100) l
               JOIN LATERAL (SELECT taken_at, ended_at FROM item_takes WHERE item_id = l.id ORDER BY token DESC LIMIT 1) t ON true) AS "meanMs",
            (SELECT array_agg(DISTINCT coalesce(t.robot, t.agent)) FROM items i JOIN item_takes t ON t.item_id = i.id AND t.ended_at IS NULL WHERE i.queue_id = q.id AND i.state = 'taken') AS takers
       FROM unnest($1::bigint[]) AS q(id)`,
    [ids, config().zone],
  )
  const nowMs = Date.now()
  return new Map(
    rows.map(({ id, takers, ...row }) => {
      const empty = emptyAtMs(row.waiting, row.arrivedPerHour, row.endedPerHour, nowMs)
      return [id, { ...row, takers: takers ?? [], emptyAt: empty === null ? null : new Date(empty) }]
    }),
  )
}

/** All queues with their figures. */
export async function listQueues(actor: Actor): Promise<QueueListed[]> {
  const rows = await queueRows(actor)
  const figures = await figuresOf(rows.map(({ id }) => id))
  return rows.flatMap((row) => {
    const its = figures.get(row.id)
    return its ? [{ ...row, ...its }] : []
  })
}

const STRETCHES = { hour: [60, 60], day: [48, 1800], week: [84, 7200] } as const
export const tideSchema = z.strictObject({ over: z.enum(['hour', 'day', 'week']).default('day') })

/** What came and what ended in one stretch of the chart, and what waited at its end. */
export interface TideBucket {
  readonly at: Date
  readonly came: number
  readonly done: number
  readonly bad: number
  readonly open: number
}

/** Arrivals, endings and what is open over the last hour, day or week. */
export async function tideOf(
  actor: Actor,
  id: number,
  { over }: z.output<typeof tideSchema>,
): Promise<{ seconds: number; buckets: TideBucket[] }> {
  requireSomewhere(actor, 'see')
  await readQueue(null, id)
  const [count, seconds] = STRETCHES[over]
  const rows = await many<{ at: Date; came: number; done: number; bad: number; gone: number; now: number }>(
    null,
    `WITH b AS (SELECT generate_series(date_bin(make_interval(secs => $3), now(), 'epoch') - make_interval(secs => $3 * ($2 - 1)), now(), make_interval(secs => $3)) AS at),
          came AS (SELECT date_bin(make_interval(secs => $3), created_at, 'epoch') AS at, count(*)::int AS n FROM items
                    WHERE queue_id = $1 AND created_at >= (SELECT min(at) FROM b) GROUP BY 1),
          went AS (SELECT date_bin(make_interval(secs => $3), ended_at, 'epoch') AS at, count(*) FILTER (WHERE state = 'done')::int AS done,
                          count(*) FILTER (WHERE state IN ('rejected','failed'))::int AS bad, count(*)::int AS gone FROM items
                    WHERE queue_id = $1 AND ended_at >= (SELECT min(at) FROM b) GROUP BY 1)
     SELECT b.at, coalesce(came.n, 0) AS came, coalesce(went.done, 0) AS done, coalesce(went.bad, 0) AS bad, coalesce(went.gone, 0) AS gone,
            (SELECT count(*) FROM items WHERE queue_id = $1 AND state IN ('waiting','taken'))::int AS now
       FROM b LEFT JOIN came ON came.at = b.at LEFT JOIN went ON went.at = b.at ORDER BY b.at`,
    [id, count, seconds],
  )
  // What is open now is known; what was open before follows from what came and went since.
  let open = rows[0]?.now ?? 0
  const buckets = [...rows].reverse().map(({ at, came, done, bad, gone }): TideBucket => {
    const bucket = { at, came, done, bad, open }
    open = Math.max(0, open - came + gone)
    return bucket
  })
  return { seconds, buckets: buckets.reverse() }
}
