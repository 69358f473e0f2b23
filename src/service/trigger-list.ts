import { z } from 'zod'
import { CADENCES, type CadenceKind } from '@/core/timing/cadence'
import type { Target } from '@/core/dispatch'
import type { TimeRule } from '@/core/timing/rule'
import { many } from '@/store/db'
import { requireRight, type Actor } from './actor'
import { invalid } from './problem'
import { readSetting } from './settings'

const KINDS = Object.keys(CADENCES) as [CadenceKind, ...CadenceKind[]]
export const TRIGGER_SORTS = ['title', 'next', 'cadence', 'load', 'priority'] as const

/** The address of the list of schedules, read. Every part narrows. */
export const triggerFilterSchema = z.strictObject({
  text: z.string().max(100).optional(),
  /** Part of its sentence of days and times counts too. */
  state: z.enum(['on', 'off']).optional(),
  cadence: z.enum(KINDS).optional(),
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
  /** Machines of its target that are switched on. */
  readonly machines: number
  readonly spread: 'one' | 'each'
  readonly says: string
  readonly time: TimeRule
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

const PRIORITY = `coalesce(array_position(ARRAY['urgent','high','normal','low'], coalesce(t.definition->>'priority', v.definition->>'priority', 'normal')), 3)`
const SORT_KEY: Record<(typeof TRIGGER_SORTS)[number], readonly [string, string]> = {
  title: ['lower(s.title)', 'text'],
  next: [`coalesce(s."nextAt", 'infinity')`, 'timestamptz'],
  cadence: ['coalesce(s."gapSeconds", 9e15)::float8', 'float8'],
  load: ['s.load', 'float8'],
  priority: ['s."priorityRank"', 'int'],
}

/** Every schedule, with what it starts, where, how often, and what came of it last; a page by key. */
export async function listTriggers(
  actor: Actor,
  filter: TriggerFilter,
): Promise<{ rows: TriggerRow[]; next: string | null; total: number }> {
  requireRight(actor, 'see')
  const tooOften = await readSetting(null, 'too-often')
  const bind: unknown[] = []
  const param = (value: unknown): string => `$${bind.push(value)}`
  const where: string[] = ['t.deleted_at IS NULL']
  if (filter.text) {
    const like = param(`%${filter.text.trim().replace(/[\\%_]/g, '\\$&')}%`)
    where.push(`(t.title ILIKE ${like} OR t.says ILIKE ${like} OR j.title ILIKE ${like})`)
  }
  if (filter.state) where.push(filter.state === 'on' ? 't.enabled' : 'NOT t.enabled')
  if (filter.cadence) {
    const [from, to] = CADENCES[filter.cadence]
    where.push(
      `coalesce(t.gap_seconds, 9e15) >= ${param(from)} AND coalesce(t.gap_seconds, 9e15) < ${param(to === Infinity ? 9.1e15 : to)}`,
    )
  }
  if (filter.calendar) where.push(`t.calendars @> ARRAY[${param(filter.calendar)}]`)
  if (filter.job) where.push(`t.job_id = ${param(filter.job)}`)
  if (filter.pool) where.push(`v.definition->'target'->>'pool' = ${param(filter.pool)}`)
  const outer: string[] = []
  if (filter.outcome)
    outer.push(filter.outcome === 'none' ? `s."lastRun" IS NULL` : `s."lastRun"->>'state' = ${param(filter.outcome)}`)
  if (filter.load !== undefined) outer.push(`s.load >= ${param(filter.load)}`)
  if (filter.flag === 'never') outer.push('s.enabled AND s."nextAt" IS NULL')
  const isTooOften = `(s.enabled AND s.spread = 'each' AND s.machines > ${param(tooOften.machines)} AND s."gapSeconds" < ${param(tooOften.minutes * 60)})`
  if (filter.flag === 'too-often') outer.push(isTooOften)
  const [key, type] = SORT_KEY[filter.sort]
  const direction = filter.dir === 'asc' ? 'ASC' : 'DESC'
  const after = filter.after === undefined ? null : cursorOf(filter.after)
  const page = after
    ? `WHERE (p."sortKey", p.id) ${filter.dir === 'asc' ? '>' : '<'} (${param(after.key)}::${type}, ${param(after.id)})`
    : ''
  const rows = await many<TriggerRow & { sortKey: string; total: number }>(
    null,
    `WITH members AS (
       SELECT p.name, count(*)::int AS n FROM pools p JOIN pool_members m ON m.pool_id = p.id AND m.active JOIN agents a ON a.id = m.agent_id
        WHERE p.active AND a.active AND a.credential_hash IS NOT NULL GROUP BY p.name),
     s AS (
       SELECT q.*, q."firesPerDay" * CASE q.spread WHEN 'each' THEN q.machines ELSE 1 END AS load FROM (
         SELECT t.id, t.slug, t.title, t.enabled, t.version, t.job_id AS "jobId", j.title AS "jobTitle", j.active AS "jobActive", a.title AS area,
                v.definition->'target' AS target, t.says, t.definition->'time' AS time, t.definition->>'zone' AS zone,
                coalesce(t.definition->>'priority', v.definition->>'priority', 'normal') AS priority, ${PRIORITY} AS "priorityRank",
                t.definition->>'finishBy' AS "finishBy", t.gap_seconds AS "gapSeconds", t.runs_per_day::float8 AS "firesPerDay", t.next_at AS "nextAt",
                coalesce(t.definition->>'spread', 'one') AS spread,
                CASE WHEN v.definition->'target' ? 'pool' THEN coalesce((SELECT n FROM members WHERE name = v.definition->'target'->>'pool'), 0)
                     WHEN v.definition->'target' ? 'agent' THEN (SELECT count(*)::int FROM agents g WHERE g.name = v.definition->'target'->>'agent' AND g.active)
                     ELSE (SELECT count(*)::int FROM agents g WHERE g.active AND g.credential_hash IS NOT NULL AND g.labels @> (v.definition->'target'->'labels')) END AS machines,
                (SELECT jsonb_build_object('id', r.id, 'state', r.state, 'at', coalesce(r.ended_at, r.started_at, r.created_at))
                   FROM runs r WHERE r.trigger_id = t.id ORDER BY r.id DESC LIMIT 1) AS "lastRun"
           FROM triggers t JOIN jobs j ON j.id = t.job_id JOIN areas a ON a.id = j.area_id JOIN job_versions v ON v.job_id = j.id AND v.version = j.version
          WHERE ${where.join(' AND ')}) q),
     p AS (SELECT s.*, ${isTooOften} AS "isTooOften", ${key} AS "sortKey", count(*) OVER ()::int AS total FROM s ${outer.length > 0 ? `WHERE ${outer.join(' AND ')}` : ''})
     SELECT * FROM p ${page} ORDER BY "sortKey" ${direction}, id ${direction} LIMIT ${param(filter.limit + 1)}`,
    bind,
  )
  const last = rows.length > filter.limit ? rows[filter.limit - 1] : undefined
  return {
    rows: rows.slice(0, filter.limit).map(({ sortKey: _, total: __, ...row }) => row),
    next: last ? Buffer.from(JSON.stringify([keyText(last.sortKey), last.id])).toString('base64url') : null,
    total: rows[0]?.total ?? 0,
  }
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
