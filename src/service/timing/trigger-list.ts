import { z } from 'zod'
import { CADENCES, type CadenceKind } from '@/core/timing/cadence'
import { TRIGGER_KINDS, type TriggerKind } from '@/core/events/kinds'
import type { Target } from '@/core/dispatch'
import type { TimeRule } from '@/core/timing/rule'
import { many } from '@/store/db'
import { likeText } from '@/store/like'
import { requireSomewhere, type Actor } from '@/service/base/actor'
import { invalid } from '@/service/base/problem'
import { readSetting } from '@/service/base/settings'

const KINDS = Object.keys(CADENCES) as [CadenceKind, ...CadenceKind[]]
const TRIGGER_SORTS = ['title', 'next', 'cadence', 'load', 'priority'] as const

/** The address of the list of schedules, read. Every part narrows. */
export const triggerFilterSchema = z.strictObject({
  text: z.string().max(100).optional(),
  /** Part of its sentence of days and times counts too. */
  state: z.enum(['on', 'off']).optional(),
  cadence: z.enum(KINDS).optional(),
  /** What makes it start. */
  kind: z.enum(TRIGGER_KINDS).optional(),
  calendar: z.string().max(64).optional(),
  job: z.coerce.number().int().positive().optional(),
  pool: z.string().max(64).optional(),
  outcome: z.enum(['succeeded', 'failed', 'lost', 'none']).optional(),
  /** Runs a day on all machines together: at least. */
  load: z.coerce.number().min(0).optional(),
  flag: z.enum(['too-often', 'never']).optional(),
  sort: z.enum(TRIGGER_SORTS).default('next'),
  dir: z.enum(['asc', 'desc']).default('asc'),
  after: z.string().max(300).optional(),
  limit: z.coerce.number().int().min(1).max(200).default(100),
})
export type TriggerFilter = z.output<typeof triggerFilterSchema>

export interface TriggerRow {
  readonly id: number
  readonly slug: string
  readonly title: string
  readonly enabled: boolean
  readonly version: number
  readonly jobId: number
  readonly jobTitle: string
  readonly jobActive: boolean
  readonly area: string
  /** null: of a flow, whose steps go to their own places. */
  readonly target: Target | null
  /** Machines of its target, or robots, that are switched on. */
  readonly machines: number
  readonly spread: 'one' | 'each'
  readonly says: string
  readonly kind: TriggerKind
  /** null: the clock does not start it. */
  readonly time: TimeRule | null
  readonly zone: string
  readonly priority: string
  readonly finishBy: string | null
  readonly gapSeconds: number | null
  readonly firesPerDay: number
  /** Runs a day on all machines together. */
  readonly load: number
  readonly nextAt: string | null
  readonly lastRun: { readonly id: number; readonly state: string; readonly at: string } | null
  readonly isTooOften: boolean
}

/** What each sort goes by, and its type; an index stands behind the first three. What a load or a priority is, the job decides too. */
const SORT_KEY: Record<(typeof TRIGGER_SORTS)[number], readonly [string, string]> = {
  title: ['lower(t.title)', 'text'],
  next: [`coalesce(t.next_at, 'infinity')`, 'timestamptz'],
  cadence: ['coalesce(t.gap_seconds, 9000000000000000)', 'bigint'],
  load: ['m.load', 'float8'],
  priority: [
    `coalesce(array_position(ARRAY['urgent','high','normal','low'], coalesce(t.definition->>'priority', v.definition->>'priority', 'normal')), 3)`,
    'int',
  ],
}
const JOBS = 'JOIN jobs j ON j.id = t.job_id JOIN job_versions v ON v.job_id = j.id AND v.version = j.version'
const SPREAD = `coalesce(t.definition->>'spread', 'one')`
/** Machines of each job’s target that are switched on: counted once for each pool, name and set of labels, not for each schedule. */
const machinesOf = (jobs: string): string => `
  targets AS MATERIALIZED (
    SELECT j.id AS job_id, v.definition->'target' AS target FROM jobs j JOIN job_versions v ON v.job_id = j.id AND v.version = j.version WHERE ${jobs}),
  counts AS MATERIALIZED (
    SELECT jsonb_build_object('pool', p.name) AS target, count(*)::int AS n FROM pools p JOIN pool_members m ON m.pool_id = p.id AND m.active JOIN agents a ON a.id = m.agent_id
     WHERE p.active AND a.active AND a.credential_hash IS NOT NULL GROUP BY p.name
    UNION ALL SELECT jsonb_build_object('agent', name), 1 FROM agents WHERE active
    UNION ALL SELECT jsonb_build_object('robotPool', p.name), count(*)::int FROM pools p JOIN robot_pools m ON m.pool_id = p.id AND m.active JOIN robots b ON b.id = m.robot_id
     WHERE p.active AND b.active AND b.removed_at IS NULL GROUP BY p.name
    UNION ALL SELECT jsonb_build_object('robot', name), 1 FROM robots WHERE active AND removed_at IS NULL
    UNION ALL SELECT d.target, (SELECT count(*)::int FROM robots b WHERE b.active AND b.removed_at IS NULL AND b.labels @> (d.target->'robotLabels'))
      FROM (SELECT DISTINCT target FROM targets WHERE target ? 'robotLabels') d
    UNION ALL SELECT d.target, (SELECT count(*)::int FROM agents g WHERE g.active AND g.credential_hash IS NOT NULL AND g.labels @> (d.target->'labels'))
      FROM (SELECT DISTINCT target FROM targets WHERE target ? 'labels') d),
  machines AS MATERIALIZED (SELECT s.job_id, coalesce(c.n, 0) AS machines FROM targets s LEFT JOIN counts c ON c.target = s.target)`
const LOAD = `
  JOIN LATERAL (SELECT c.machines, t.runs_per_day::float8 * CASE ${SPREAD} WHEN 'each' THEN c.machines ELSE 1 END AS load FROM machines c WHERE c.job_id = t.job_id) m ON true`
const LAST_RUN = `
  LEFT JOIN LATERAL (SELECT r.id, r.state, coalesce(r.ended_at, r.started_at, r.created_at) AS at FROM runs r WHERE r.trigger_id = t.id ORDER BY r.id DESC LIMIT 1) l ON true`

/** Every schedule, with what it starts, where, how often, and what came of it last; a page by key. `total`: of all pages. */
export async function listTriggers(
  actor: Actor,
  filter: TriggerFilter,
): Promise<{ rows: TriggerRow[]; next: string | null; total: number }> {
  requireSomewhere(actor, 'see')
  const tooOften = await readSetting(null, 'too-often')
  const { page, count } = triggerQuery(filter, tooOften)
  const [rows, totals] = await Promise.all([
    many<TriggerRow & { sortKey: string }>(null, page.sql, page.bind),
    many<{ total: number }>(null, count.sql, count.bind),
  ])
  const last = rows.length > filter.limit ? rows[filter.limit - 1] : undefined
  return {
    rows: rows.slice(0, filter.limit).map(({ sortKey: _, ...row }) => row),
    next: last ? Buffer.from(JSON.stringify([keyText(last.sortKey), last.id])).toString('base64url') : null,
    total: totals[0]?.total ?? 0,
  }
}

interface Statement {
  readonly sql: string
  readonly bind: unknown[]
}

/** Which schedules a page has is found by their own table, as far as the filter lets; all else is read for these alone. Exported for the benchmark, which looks at the plans. */
function triggerQuery(
  filter: TriggerFilter,
  tooOften: { readonly machines: number; readonly minutes: number },
): { readonly page: Statement; readonly count: Statement } {
  const bind: unknown[] = []
  const param = (value: unknown): string => `$${bind.push(value)}`
  const isTooOften = (machines: string, minutes: string): string =>
    `(t.enabled AND ${SPREAD} = 'each' AND m.machines > ${machines}::int AND t.gap_seconds < ${minutes}::int * 60)`
  const where: string[] = ['t.deleted_at IS NULL']
  if (filter.text) {
    const like = param(`%${likeText(filter.text.trim())}%`)
    where.push(
      `(t.title ILIKE ${like} OR t.says ILIKE ${like} OR t.job_id IN (SELECT id FROM jobs WHERE title ILIKE ${like}))`,
    )
  }
  if (filter.state) where.push(filter.state === 'on' ? 't.enabled' : 'NOT t.enabled')
  if (filter.cadence) {
    const [from, to] = CADENCES[filter.cadence]
    where.push(
      `coalesce(t.gap_seconds, 9000000000000000) >= ${param(from)} AND coalesce(t.gap_seconds, 9000000000000000) < ${param(to === Infinity ? 9.1e15 : to)}`,
    )
  }
  if (filter.kind) where.push(`t.kind = ${param(filter.kind)}`)
  if (filter.calendar) where.push(`t.calendars @> ARRAY[${param(filter.calendar)}]`)
  if (filter.job) where.push(`t.job_id = ${param(filter.job)}`)
  if (filter.pool)
    where.push(
      `t.job_id IN (SELECT j.id FROM jobs j JOIN job_versions v ON v.job_id = j.id AND v.version = j.version WHERE v.definition->'target'->>'pool' = ${param(filter.pool)})`,
    )
  if (filter.outcome === 'none') where.push('NOT EXISTS (SELECT 1 FROM runs r WHERE r.trigger_id = t.id)')
  else if (filter.outcome) where.push(`l.state = ${param(filter.outcome)}`)
  if (filter.load !== undefined) where.push(`m.load >= ${param(filter.load)}`)
  if (filter.flag === 'never') where.push(`t.enabled AND t.next_at IS NULL AND t.kind = 'time'`)
  if (filter.flag === 'too-often') where.push(isTooOften(param(tooOften.machines), param(tooOften.minutes)))
  const asksLoad = filter.load !== undefined || filter.flag === 'too-often'
  const from = (sort: string | null): string =>
    [
      'FROM triggers t',
      sort === 'priority' ? JOBS : '',
      asksLoad || sort === 'load' ? LOAD : '',
      filter.outcome && filter.outcome !== 'none' ? LAST_RUN : '',
      `WHERE ${where.join(' AND ')}`,
    ].join(' ')
  const ofAll = machinesOf('true')
  const count = {
    sql: `${asksLoad ? `WITH ${ofAll}` : ''} SELECT count(*)::int AS total ${from(null)}`,
    bind: [...bind],
  }
  const [key, type] = SORT_KEY[filter.sort]
  const direction = filter.dir === 'asc' ? 'ASC' : 'DESC'
  const after = filter.after === undefined ? null : cursorOf(filter.after)
  const beyond = after
    ? `AND (${key}, t.id) ${filter.dir === 'asc' ? '>' : '<'} (${param(after.key)}::${type}, ${param(after.id)})`
    : ''
  const isLoaded = asksLoad || filter.sort === 'load'
  const sql = `
    WITH ${isLoaded ? `${ofAll},` : ''} picked AS MATERIALIZED (
      SELECT t.id, t.job_id, ${key} AS "sortKey" ${from(filter.sort)} ${beyond}
       ORDER BY ${key} ${direction}, t.id ${direction} LIMIT ${param(filter.limit + 1)})
    ${isLoaded ? '' : `, ${machinesOf('j.id IN (SELECT job_id FROM picked)')}`}
    SELECT t.id, t.slug, t.title, t.enabled, t.version, t.job_id AS "jobId", j.title AS "jobTitle", j.active AS "jobActive", a.path AS area,
           v.definition->'target' AS target, t.says, t.kind, t.definition->'time' AS time, t.definition->>'zone' AS zone,
           coalesce(t.definition->>'priority', v.definition->>'priority', 'normal') AS priority,
           t.definition->>'finishBy' AS "finishBy", t.gap_seconds AS "gapSeconds", t.runs_per_day::float8 AS "firesPerDay", t.next_at AS "nextAt",
           ${SPREAD} AS spread, m.machines, m.load, ${isTooOften(param(tooOften.machines), param(tooOften.minutes))} AS "isTooOften",
           CASE WHEN l.id IS NOT NULL THEN jsonb_build_object('id', l.id, 'state', l.state, 'at', l.at) END AS "lastRun", p."sortKey"
      FROM picked p JOIN triggers t ON t.id = p.id ${JOBS} JOIN areas a ON a.id = j.area_id ${LOAD} ${LAST_RUN}
     ORDER BY p."sortKey" ${direction}, t.id ${direction}`
  return { page: { sql, bind }, count }
}

function keyText(key: unknown): string {
  return key instanceof Date ? key.toISOString() : key === Infinity ? 'infinity' : String(key)
}

function cursorOf(text: string): { key: string; id: number } {
  try {
    const [key, id] = z.tuple([z.string(), z.int()]).parse(JSON.parse(Buffer.from(text, 'base64url').toString('utf8')))
    return { key, id }
  } catch {
    throw invalid('after', 'This is not a place in the list. Begin at the start.')
  }
}
