import { z } from 'zod'
import { ALLOWED } from '@/core/fleet/allowance'
import { CAUSES, RUN_STATES, type RunState } from '@/core/run/lifecycle'
import { ACTION_KINDS } from '@/core/work/job'
import { many, one } from '@/store/db'
import { isoText } from '@/store/iso'
import { likeText } from '@/store/like'
import { requireSomewhere, type Actor } from '@/service/base/actor'
import { invalid } from '@/service/base/problem'
import { createdWithin, endedWithin, heldNow, heldWithin, saysHolding, triedBy } from './within'

const SORTS = ['number', 'started', 'ended', 'duration'] as const

const listOf = <T extends z.ZodType>(item: T) =>
  z.preprocess(
    (value) => (typeof value === 'string' ? value.split(',').filter(Boolean) : value),
    z.array(item).min(1).max(50),
  )
const idOf = z.coerce.number().int().positive()
const instant = z.iso.datetime({ offset: true })

/** The Runs screen's address, read. Every part narrows; a list means any of them. */
export const runFilterSchema = z.strictObject({
  state: listOf(z.enum(RUN_STATES)).optional(),
  job: listOf(idOf).optional(),
  area: listOf(idOf).optional(),
  agent: listOf(idOf).optional(),
  robot: listOf(idOf).optional(),
  person: listOf(idOf).optional(),
  trigger: listOf(idOf).optional(),
  cause: listOf(z.enum(CAUSES)).optional(),
  kind: listOf(z.enum([...ACTION_KINDS, 'flow'])).optional(),
  /** Those that take units of this lock, by its name. */
  lock: z.string().max(100).optional(),
  /** Runs of the steps of this flow run. */
  flow: idOf.optional(),
  from: instant.optional(),
  to: instant.optional(),
  endedFrom: instant.optional(),
  endedTo: instant.optional(),
  /** In hand at any moment between these: with `agent`, on that machine then. */
  ranFrom: instant.optional(),
  ranTo: instant.optional(),
  /** In hand now: with `agent`, on that machine. */
  holds: z.enum(['yes']).optional(),
  /** What it took where it was in hand: slots of the agent, or a robot of this kind. */
  took: z.enum(ALLOWED).optional(),
  /** Part of a job's title, or a run's number. */
  text: z.string().max(100).optional(),
  board: z.enum(['yes']).optional(),
  /** Runs of flows' steps stand in their flow; `yes` lists them too. A run's number finds it either way. */
  steps: z.enum(['yes']).optional(),
  sort: z.enum(SORTS).default('number'),
  dir: z.enum(['asc', 'desc']).default('desc'),
  after: z.string().max(200).optional(),
  limit: z.coerce.number().int().min(1).max(200).default(60),
})
export type RunFilter = z.output<typeof runFilterSchema>

export interface RunRow {
  readonly id: number
  readonly jobId: number
  readonly title: string
  readonly area: string
  readonly kind: string
  readonly state: RunState
  readonly stopAsked: boolean
  readonly cause: string
  readonly starter: string
  readonly triggerId: number | null
  readonly occurrence: string | null
  readonly againOf: number | null
  readonly agentId: number | null
  readonly agent: string | null
  /** The robot on that machine that has or had it; null: the agent itself. */
  readonly robotId: number | null
  readonly robot: string | null
  readonly attempts: number
  readonly maxAttempts: number
  readonly priority: number
  /** Slots of its machine that it takes. */
  readonly slots: number
  readonly createdAt: string
  readonly startAfter: string | null
  readonly startedAt: string | null
  readonly endedAt: string | null
  readonly durationMs: number | null
  readonly usualMs: number | null
  readonly exitCode: number | null
  readonly reason: string
  /** Of what failed: the line of its last try's output that tells most. */
  readonly tellingLine: string | null
  readonly cleared: boolean
  /** Of a step's run: the flow run, and which step. */
  readonly flowRunId: number | null
  readonly stepPath: string | null
}

const SORT_KEY = {
  number: 'r.id',
  started: `coalesce(r.started_at, 'infinity')`,
  ended: `coalesce(r.ended_at, 'infinity')`,
  duration: 'coalesce(r.duration_ms, -1)',
} as const

const ROW_COLUMNS = `
  r.id, r.job_id AS "jobId", j.title, ar.path AS area, r.kind, r.state, r.stop_asked_by IS NOT NULL AS "stopAsked", r.cause,
  r.starter_name AS starter, r.trigger_id AS "triggerId", ${isoText('r.occurrence')} AS occurrence, r.again_of AS "againOf", r.agent_id AS "agentId", a.name AS agent, r.robot_id AS "robotId", rb.name AS robot, r.attempts,
  r.max_attempts AS "maxAttempts", r.priority, r.slots, ${isoText('r.created_at')} AS "createdAt", ${isoText('r.start_after')} AS "startAfter", ${isoText('r.started_at')} AS "startedAt",
  ${isoText('r.ended_at')} AS "endedAt", r.duration_ms AS "durationMs", j.usual_ms AS "usualMs", r.exit_code AS "exitCode", r.reason,
  CASE WHEN r.state IN ('failed','lost') THEN (SELECT nullif(t.telling_line, '') FROM attempts t WHERE t.run_id = r.id AND t.number = r.attempts) END AS "tellingLine",
  r.cleared_at IS NOT NULL AS cleared, r.flow_run_id AS "flowRunId", r.step_path AS "stepPath"`
const ROW_JOINS = `
  JOIN jobs j ON j.id = r.job_id JOIN areas ar ON ar.id = r.area_id LEFT JOIN agents a ON a.id = r.agent_id LEFT JOIN robots rb ON rb.id = r.robot_id`

interface Query {
  readonly sql: string
  readonly bind: unknown[]
  /** The same, as nothing but numbers: to be counted. */
  readonly ids: string
}

/** The query of one page. Exported for the benchmark, which looks at its plan. */
export function runQuery(filter: RunFilter): Query {
  const bind: unknown[] = []
  const param = (value: unknown): string => `$${bind.push(value)}`
  const where: string[] = []
  const among = (column: string, values: readonly unknown[] | undefined, type: string): void => {
    if (!values) return
    where.push(values.length === 1 ? `${column} = ${param(values[0])}` : `${column} = ANY(${param(values)}::${type}[])`)
  }
  among('r.job_id', filter.job, 'bigint')
  among('r.area_id', filter.area, 'bigint')
  among('r.started_by', filter.person, 'bigint')
  among('r.trigger_id', filter.trigger, 'bigint')
  among('r.cause', filter.cause, 'text')
  among('r.robot_id', filter.robot, 'bigint')
  among('r.kind', filter.kind, 'text')
  if (filter.lock !== undefined) where.push(`r.locks ? ${param(filter.lock)}`)
  if (filter.board) where.push('r.cleared_at IS NULL')
  if (filter.flow) where.push(`r.flow_run_id = ${param(filter.flow)}`)
  else if (!filter.steps && !/^#?\d{1,15}$/.test(filter.text?.trim() ?? '')) where.push('r.flow_run_id IS NULL')
  if (filter.text) {
    const number = /^#?(\d{1,15})$/.exec(filter.text.trim())?.[1]
    if (number) where.push(`r.id = ${param(Number(number))}`)
    else
      where.push(
        `r.job_id = ANY(ARRAY(SELECT id FROM jobs WHERE title ILIKE ${param(`%${likeText(filter.text.trim())}%`)}))`,
      )
  }
  where.push(...createdWithin(filter, param), ...endedWithin(filter, param))
  const isHolding = filter.holds !== undefined || saysHolding(filter)
  if (filter.holds) where.push(...heldNow(filter, param))
  else if (isHolding) where.push(...heldWithin(filter, param))
  const key = SORT_KEY[filter.sort]
  const direction = filter.dir === 'desc' ? 'DESC' : 'ASC'
  if (filter.after !== undefined) {
    const { key: value, id } = readCursor(filter.after)
    const sign = filter.dir === 'desc' ? '<' : '>'
    if (filter.sort === 'number') where.push(`r.id ${sign} ${param(id)}`)
    else
      where.push(
        `(${key}, r.id) ${sign} (${param(value)}::${filter.sort === 'duration' ? 'bigint' : 'timestamptz'}, ${param(id)})`,
      )
  }
  const order = filter.sort === 'number' ? `r.id ${direction}` : `${key} ${direction}, r.id ${direction}`
  const limit = param(filter.limit + 1)
  const page = (more: readonly string[]): string => {
    const all = [...more, ...where]
    const condition = all.length > 0 ? `WHERE ${all.join(' AND ')}` : ''
    return `SELECT r.id, ${key} AS sort_key FROM runs r ${condition} ORDER BY ${order} LIMIT ${limit}`
  }
  // Each of these has its own stretch of an index, in order: take the first of each, then the first of all.
  const parts = filter.agent && !isHolding ? triedBy(param(filter.agent), filter.agent.length === 1) : [[]]
  const pages = parts.map((part) =>
    filter.state
      ? `SELECT x.* FROM unnest(${param(filter.state)}::text[]) AS s(state) CROSS JOIN LATERAL (${page(['r.state = s.state', ...part])}) x`
      : `(${page(part)})`,
  )
  const ids = pages.join(' UNION ALL ')
  const outer = filter.sort === 'number' ? `p.id ${direction}` : `p.sort_key ${direction}, p.id ${direction}`
  return {
    sql: `SELECT ${ROW_COLUMNS}, p.sort_key::text AS "sortKey" FROM (${ids}) p JOIN runs r ON r.id = p.id ${ROW_JOINS} ORDER BY ${outer} LIMIT ${limit}`,
    bind,
    ids,
  }
}

function readCursor(text: string): { key: string; id: number } {
  const parsed = z.tuple([z.string(), z.int()]).safeParse(parseMaybe(Buffer.from(text, 'base64url').toString('utf8')))
  if (!parsed.success) throw invalid('after', 'This is not a place in the list. Begin at the start.')
  return { key: parsed.data[0], id: parsed.data[1] }
}

function parseMaybe(text: string): unknown {
  try {
    return JSON.parse(text) as unknown
  } catch {
    return null
  }
}

export interface RunPage {
  readonly rows: RunRow[]
  /** Where the next page begins; null: this was the last. */
  readonly next: string | null
}

/** What lies in an area lies in those above it, too. */
async function withAreasBelow(filter: RunFilter): Promise<RunFilter> {
  if (!filter.area) return filter
  const { ids } = await one<{ ids: number[] }>(null, 'SELECT areas_below($1::bigint[]) AS ids', [filter.area])
  return { ...filter, area: ids }
}

type Sorted = RunRow & { readonly sortKey: string }

/** A page with what it is sorted by, and where the next begins. */
async function sortedPage(actor: Actor, filter: RunFilter): Promise<{ rows: Sorted[]; next: string | null }> {
  requireSomewhere(actor, 'see')
  const { sql, bind } = runQuery(await withAreasBelow(filter))
  const rows = await many<Sorted>(null, sql, bind)
  const last = rows.length > filter.limit ? rows[filter.limit - 1] : undefined
  return {
    rows: rows.slice(0, filter.limit),
    next: last ? Buffer.from(JSON.stringify([last.sortKey, last.id])).toString('base64url') : null,
  }
}

export async function listRuns(actor: Actor, filter: RunFilter): Promise<RunPage> {
  const { rows, next } = await sortedPage(actor, filter)
  return { rows: rows.map(({ sortKey: _, ...row }) => row), next }
}

/** An export reads so many at a time: what a statement costs whatever it reads is paid seldom. */
const EXPORT_PAGE = 1000

/** All that fit, page by page, for an export of any length. */
export async function* allRuns(actor: Actor, filter: RunFilter): AsyncGenerator<RunRow[]> {
  let after: string | null | undefined = filter.after
  do {
    const page: { rows: Sorted[]; next: string | null } = await sortedPage(actor, {
      ...filter,
      limit: EXPORT_PAGE,
      ...(after ? { after } : {}),
    })
    yield page.rows
    after = page.next
  } while (after)
}

/** How many fit. */
export async function countAllRuns(actor: Actor, filter: RunFilter): Promise<number> {
  requireSomewhere(actor, 'see')
  const { ids, bind } = runQuery({ ...(await withAreasBelow(filter)), sort: 'number', limit: 2 ** 31 - 2 })
  return (await one<{ n: number }>(null, `SELECT count(*)::int AS n FROM (${ids}) p`, bind)).n
}

export async function runRows(ids: readonly number[]): Promise<RunRow[]> {
  return many<RunRow>(null, `SELECT ${ROW_COLUMNS} FROM runs r ${ROW_JOINS} WHERE r.id = ANY($1) ORDER BY r.id DESC`, [
    ids,
  ])
}

/** How many runs there are in each open state, and what ended since the instant. */
export async function countRuns(
  actor: Actor,
  since: Date,
): Promise<{ running: number; waiting: number; failed: number; succeeded: number }> {
  requireSomewhere(actor, 'see')
  const [row] = await many<{ running: number; waiting: number; failed: number; succeeded: number }>(
    null,
    `SELECT (SELECT count(*)::int FROM runs WHERE state = 'running' AND flow_run_id IS NULL) AS running,
            (SELECT count(*)::int FROM runs WHERE state IN ('waiting','ready') AND flow_run_id IS NULL) AS waiting,
            count(*) FILTER (WHERE state IN ('failed','lost'))::int AS failed, count(*) FILTER (WHERE state = 'succeeded')::int AS succeeded
       FROM runs WHERE ended_at >= $1 AND flow_run_id IS NULL`,
    [since],
  )
  return row ?? { running: 0, waiting: 0, failed: 0, succeeded: 0 }
}
