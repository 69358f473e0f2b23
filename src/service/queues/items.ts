import { z } from 'zod'
import { ITEM_STATES, type ItemState } from '@/core/events/item'
import { PRIORITIES, type Priority } from '@/core/dispatch/types'
import { many, maybeOne, one } from '@/store/db'
import { likeText } from '@/store/like'
import { requireSomewhere, type Actor } from '@/service/base/actor'
import { levelOn, type HasLevel } from '@/service/base/area-rights'
import { notFound } from '@/service/base/problem'
import { readQueue } from './queues'

const listOf = <T extends z.ZodType>(of: T) =>
  z.preprocess((value) => (typeof value === 'string' ? value.split(',').filter(Boolean) : value), z.array(of).max(50))

/** Filters of a list of items, as they stand in an address. */
export const itemFilterSchema = z.strictObject({
  state: listOf(z.enum(ITEM_STATES)).optional(),
  priority: listOf(z.enum(PRIORITIES)).optional(),
  /** What its key begins with; a number alone: the item of that number too. */
  key: z.string().max(200).optional(),
  /** Past their due, and not over. */
  overdue: z.literal('yes').optional(),
  run: z.coerce.number().int().positive().optional(),
  /** Came, or ended, in a stretch. */
  cameFrom: z.iso.datetime({ offset: true }).optional(),
  cameTo: z.iso.datetime({ offset: true }).optional(),
  endedFrom: z.iso.datetime({ offset: true }).optional(),
  endedTo: z.iso.datetime({ offset: true }).optional(),
})
export type ItemFilter = z.output<typeof itemFilterSchema>
export const itemPageSchema = itemFilterSchema.extend({
  after: z.coerce.number().int().positive().optional(),
  limit: z.coerce.number().int().min(1).max(200).default(60),
})

export interface ItemRow {
  readonly id: number
  readonly key: string | null
  readonly state: ItemState
  readonly priority: Priority
  readonly due: Date | null
  readonly notBefore: Date | null
  readonly tries: number
  readonly reason: string
  readonly createdAt: Date
  readonly endedAt: Date | null
  /** null: longer than a list shows; `dataBytes` says how long. */
  readonly data: unknown
  readonly dataBytes: number
  /** Of its last take. */
  readonly takenAt: Date | null
  readonly takeEndedAt: Date | null
  readonly runId: number | null
  readonly robot: string | null
  readonly agent: string | null
}

/** Data of more bytes is not sent with a list. */
const MOST_LISTED = 2000

const row = (
  data: string,
): string => `i.id, i.key, i.state, i.priority, i.due, i.not_before AS "notBefore", i.tries, i.reason, i.created_at AS "createdAt", i.ended_at AS "endedAt",
  ${data} AS data, pg_column_size(i.data) AS "dataBytes",
  t.taken_at AS "takenAt", t.ended_at AS "takeEndedAt", t.run_id AS "runId", t.robot, t.agent`
const ROW = row(`CASE WHEN pg_column_size(i.data) <= ${MOST_LISTED} THEN i.data END`)
const WHOLE_ROW = row('i.data')
const LAST_TAKE = `LEFT JOIN LATERAL (SELECT taken_at, ended_at, run_id, robot, agent FROM item_takes WHERE item_id = i.id ORDER BY token DESC LIMIT 1) t ON true`

/** What items of a queue a filter means. */
export function itemCondition(queueId: number, filter: ItemFilter): { where: string; bind: unknown[] } {
  const bind: unknown[] = [queueId]
  const param = (value: unknown): string => `$${bind.push(value)}`
  const where = ['i.queue_id = $1']
  if (filter.state)
    where.push(
      filter.state.length === 1
        ? `i.state = ${param(filter.state[0])}`
        : `i.state = ANY(${param(filter.state)}::text[])`,
    )
  if (filter.priority)
    where.push(`i.priority = ANY(${param(filter.priority.map((each) => PRIORITIES.indexOf(each)))}::smallint[])`)
  if (filter.key !== undefined && filter.key.trim() !== '') {
    const text = filter.key.trim()
    const begins = `i.key LIKE ${param(`${likeText(text)}%`)}`
    where.push(/^\d{1,15}$/.test(text) ? `(${begins} OR i.id = ${param(Number(text))})` : begins)
  }
  if (filter.overdue) where.push(`i.state IN ('waiting','taken') AND i.due < now()`)
  if (filter.run !== undefined)
    where.push(`i.id IN (SELECT item_id FROM item_takes WHERE run_id = ${param(filter.run)})`)
  if (filter.cameFrom) where.push(`i.created_at >= ${param(filter.cameFrom)}::timestamptz`)
  if (filter.cameTo) where.push(`i.created_at < ${param(filter.cameTo)}::timestamptz`)
  if (filter.endedFrom) where.push(`i.ended_at >= ${param(filter.endedFrom)}::timestamptz`)
  if (filter.endedTo) where.push(`i.ended_at < ${param(filter.endedTo)}::timestamptz`)
  return { where: where.join(' AND '), bind }
}

/** A page of a queue's items, the newest first. */
export async function listItems(
  actor: Actor,
  queueId: number,
  { after, limit, ...filter }: z.output<typeof itemPageSchema>,
): Promise<{ rows: ItemRow[]; after: number | null }> {
  requireSomewhere(actor, 'see')
  await readQueue(null, queueId)
  return itemsFrom(ROW, queueId, filter, after, limit)
}

async function itemsFrom(
  columns: string,
  queueId: number,
  filter: ItemFilter,
  after: number | undefined,
  limit: number,
): Promise<{ rows: ItemRow[]; after: number | null }> {
  const { where, bind } = itemCondition(queueId, filter)
  const from = after === undefined ? '' : `AND i.id < $${bind.push(after)}`
  const rows = await many<Omit<ItemRow, 'priority'> & { priority: number }>(
    null,
    `SELECT ${columns} FROM (SELECT * FROM items i WHERE ${where} ${from} ORDER BY i.id DESC LIMIT $${bind.push(limit + 1)}) i ${LAST_TAKE} ORDER BY i.id DESC`,
    bind,
  )
  const page = rows.slice(0, limit).map(named)
  return { rows: page, after: rows.length > limit ? (page.at(-1)?.id ?? null) : null }
}

/** Of one page's data at most this much is held at a time: an item's may have 64 KiB. */
const WHOLE_PAGE = 100

/** All that fit, with all of their data, page by page. */
export async function* allItems(actor: Actor, queueId: number, filter: ItemFilter): AsyncGenerator<ItemRow[]> {
  requireSomewhere(actor, 'see')
  await readQueue(null, queueId)
  let after: number | null = null
  do {
    const page: { rows: ItemRow[]; after: number | null } = await itemsFrom(
      WHOLE_ROW,
      queueId,
      filter,
      after ?? undefined,
      WHOLE_PAGE,
    )
    yield page.rows
    after = page.after
  } while (after !== null)
}

export async function countItems(actor: Actor, queueId: number, filter: ItemFilter): Promise<number> {
  requireSomewhere(actor, 'see')
  const { where, bind } = itemCondition(queueId, filter)
  return (await one<{ n: number }>(null, `SELECT count(*)::int AS n FROM items i WHERE ${where}`, bind)).n
}

const named = <R extends { readonly priority: number }>(row: R): Omit<R, 'priority'> & { priority: Priority } => ({
  ...row,
  priority: PRIORITIES[row.priority] ?? 'normal',
})

/** One thing that happened to an item. */
export interface StoryLine {
  readonly at: Date
  readonly kind: 'came' | 'take' | 'event'
  readonly words: string
  readonly runId: number | null
  readonly outcome: string | null
  readonly until: Date | null
}

export interface ItemFull extends Omit<ItemRow, 'data' | 'dataBytes'>, HasLevel {
  readonly queueId: number
  readonly version: number
  readonly data: unknown
  readonly result: unknown
  readonly cameBy: string
  readonly laters: number
  readonly story: StoryLine[]
  /** Others of the same key, the newest first. */
  readonly sameKey: readonly {
    readonly id: number
    readonly state: ItemState
    readonly createdAt: Date
    readonly endedAt: Date | null
  }[]
}

/** An item with its story. */
export async function oneItem(actor: Actor, id: number): Promise<ItemFull> {
  requireSomewhere(actor, 'see')
  const row = await maybeOne<Omit<ItemFull, 'story' | 'sameKey' | 'priority' | 'may'> & { priority: number }>(
    null,
    `SELECT ${ROW}, i.data, i.queue_id AS "queueId", i.version, i.result, i.came_by AS "cameBy", i.laters FROM items i JOIN queues q ON q.id = i.queue_id ${LAST_TAKE} WHERE i.id = $1 AND q.deleted_at IS NULL`,
    [id],
  )
  if (!row) throw notFound('item', id)
  const [takes, events, sameKey] = await Promise.all([
    many<{
      at: Date
      until: Date | null
      runId: number | null
      agent: string
      robot: string | null
      outcome: string | null
      reason: string
    }>(
      null,
      `SELECT taken_at AS at, ended_at AS until, run_id AS "runId", agent, robot, outcome, reason FROM item_takes WHERE item_id = $1 ORDER BY token LIMIT 200`,
      [id],
    ),
    many<{ at: Date; kind: string; who: string; detail: string }>(
      null,
      'SELECT at, kind, who, detail FROM item_events WHERE item_id = $1 ORDER BY id LIMIT 500',
      [id],
    ),
    row.key === null
      ? []
      : many<ItemFull['sameKey'][number]>(
          null,
          `SELECT id, state, created_at AS "createdAt", ended_at AS "endedAt" FROM items WHERE queue_id = $1 AND key = $2 AND id <> $3 ORDER BY id DESC LIMIT 10`,
          [row.queueId, row.key, id],
        ),
  ])
  const story = [
    {
      at: row.createdAt,
      kind: 'came' as const,
      words: `came by ${row.cameBy}`,
      runId: null,
      outcome: null,
      until: null,
    },
    ...takes.map(({ at, until, runId, agent, robot, outcome, reason }) => ({
      at,
      kind: 'take' as const,
      words: `taken by ${robot ?? agent}${reason ? `: ${reason}` : ''}`,
      runId,
      outcome,
      until,
    })),
    ...events.map(({ at, kind, who, detail }) => ({
      at,
      kind: 'event' as const,
      words: `${kind} by ${who}${detail ? `: ${detail}` : ''}`,
      runId: null,
      outcome: null,
      until: null,
    })),
  ].sort((a, b) => a.at.getTime() - b.at.getTime())
  return { ...named(row), story, sameKey, may: await levelOn(actor, 'queue', row.queueId) }
}
