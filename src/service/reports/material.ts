import type { ReportFilter } from '@/core/reports/definition'
import type { RunFact } from '@/core/reports/facts'
import type { ItemFact } from '@/core/reports/queues'
import { createdWithin, triedBy } from '@/service/runs/within'
import { many, one } from '@/store/db'

/** So many rows are read at a time: memory stays the same however many there are. */
const PAGE = 5000
interface Stretch {
  readonly fromMs: number
  readonly toMs: number
}

interface Where {
  readonly sql: string
  readonly bind: unknown[]
}

/** Runs that were created in a stretch, steps too, as far as the filter means them. Flows around them count by their own. */
async function whereOf(
  { fromMs, toMs }: Stretch,
  { job, area, trigger, person, cause, agent, robot, kind }: ReportFilter,
): Promise<Where> {
  const bind: unknown[] = []
  const param = (value: unknown): string => `$${bind.push(value)}`
  const where = createdWithin({ from: new Date(fromMs), to: new Date(toMs) }, param)
  if (job) where.push(`r.job_id = ANY(${param(job)}::bigint[])`)
  if (area) {
    const { ids } = await one<{ ids: number[] }>(null, 'SELECT areas_below($1::bigint[]) AS ids', [area])
    where.push(`r.area_id = ANY(${param(ids)}::bigint[])`)
  }
  if (trigger) where.push(`r.trigger_id = ANY(${param(trigger)}::bigint[])`)
  if (person) where.push(`r.started_by = ANY(${param(person)}::bigint[])`)
  if (robot) where.push(`r.robot_id = ANY(${param(robot)}::bigint[])`)
  if (kind) where.push(`r.kind = ANY(${param(kind)}::text[])`)
  if (agent) {
    const tried = triedBy(param(agent), agent.length === 1)
    where.push(`(${tried.map((part) => `(${part.join(' AND ')})`).join(' OR ')})`)
  }
  if (cause) where.push(`r.cause = ANY(${param(cause)}::text[])`)
  return { sql: where.join(' AND '), bind }
}

const ms = (column: string): string => `round(extract(epoch FROM ${column}) * 1000)::float8`

/**
 * Pages of what follows a number, until one is not full. Of what a page has, some may not be seen by whoever it is read for: a page that is full is not the last, however much of it is left out.
 * @param page rows behind a number, in its order; what is not to be seen is there with `isSeen` false
 */
async function* pagesOf<Row extends { readonly id: number; readonly isSeen: boolean }>(
  page: (after: number) => Promise<Row[]>,
): AsyncGenerator<Row[]> {
  for (let after = 0; ;) {
    const rows = await page(after)
    yield rows.filter(({ isSeen }) => isSeen)
    if (rows.length < PAGE) return
    after = rows.at(-1)?.id ?? after
  }
}

/** Runs in the order of their numbers, page by page. Steps of a flow in a flow are steps of the outermost: that alone has a run. */
export async function* runFacts(stretch: Stretch, filter: ReportFilter): AsyncGenerator<RunFact[]> {
  const { sql, bind } = await whereOf(stretch, filter)
  yield* pagesOf((after) =>
    many<RunFact & { isSeen: boolean }>(
      null,
      `SELECT r.id, r.job_id AS "jobId", j.title, r.area_id AS "areaId", ar.path AS area, j.id IS NOT NULL AND ar.id IS NOT NULL AS "isSeen", r.kind = 'flow' AS "isFlow", r.flow_run_id AS "flowRunId",
              array_remove(ARRAY[f.job_id], NULL) AS within, r.state, a.name AS agent,
              coalesce(r.target->>'pool', r.target->>'robotPool') AS pool, r.slots,
              ${ms('r.created_at')} AS "createdAtMs", ${ms('r.ready_at')} AS "readyAtMs", ${ms('r.started_at')} AS "startedAtMs", ${ms('r.ended_at')} AS "endedAtMs",
              r.duration_ms AS "durationMs", ${ms('r.due_at')} AS "dueAtMs", ${ms('r.foreseen_at')} AS "foreseenAtMs", r.reason
         FROM (SELECT * FROM runs r WHERE ${sql} AND r.id > $${bind.length + 1} ORDER BY r.id LIMIT ${PAGE}) r
         LEFT JOIN jobs j ON j.id = r.job_id LEFT JOIN areas ar ON ar.id = r.area_id LEFT JOIN agents a ON a.id = r.agent_id LEFT JOIN runs f ON f.id = r.flow_run_id
        ORDER BY r.id`,
      [...bind, after],
    ),
  )
}

/** How many there will be. */
export async function countFacts(stretch: Stretch, filter: ReportFilter): Promise<number> {
  const { sql, bind } = await whereOf(stretch, filter)
  return (await one<{ n: number }>(null, `SELECT count(*)::int AS n FROM runs r WHERE ${sql}`, bind)).n
}

/** Items that came or ended in a stretch. */
export async function* itemFacts({ fromMs, toMs }: Stretch, { area }: ReportFilter): AsyncGenerator<ItemFact[]> {
  const areas = area
    ? (await one<{ ids: number[] }>(null, 'SELECT areas_below($1::bigint[]) AS ids', [area])).ids
    : null
  yield* pagesOf((after) =>
    many<ItemFact & { id: number; isSeen: boolean }>(
      null,
      `SELECT i.id, i.queue_id AS "queueId", q.title AS queue, q.id IS NOT NULL AS "isSeen", i.state, ${ms('i.created_at')} AS "cameAtMs", ${ms('i.ended_at')} AS "endedAtMs",
              ${ms('t.ended_at')} - ${ms('t.taken_at')} AS "handledMs", ${ms('t.taken_at')} - ${ms('i.created_at')} AS "waitedMs"
         FROM (SELECT * FROM items i
                WHERE i.id > $3 AND (i.created_at >= $1 AND i.created_at < $2 OR i.ended_at >= $1 AND i.ended_at < $2) ORDER BY i.id LIMIT ${PAGE}) i
         LEFT JOIN queues q ON q.id = i.queue_id AND ($4::bigint[] IS NULL OR q.area_id = ANY($4))
         LEFT JOIN LATERAL (SELECT taken_at, ended_at FROM item_takes WHERE item_id = i.id ORDER BY token DESC LIMIT 1) t ON true
        ORDER BY i.id`,
      [new Date(fromMs), new Date(toMs), after, areas],
    ),
  )
}
