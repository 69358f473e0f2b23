import { z } from 'zod'
import { bandOf, driftOfValues, type Band, type ValueAt } from '@/core/stats/band'
import type { Drift } from '@/core/stats/drift'
import { mayDo } from '@/core/people/roles'
import { many, maybeOne } from '@/store/db'
import { requireSomewhere, type Actor } from '@/service/base/actor'
import { notFound } from '@/service/base/problem'
import { newestValues, NUMBER, type Series } from './measures'

export const measureListSchema = z.strictObject({
  kind: z.enum(['agent', 'queue', 'job']).optional(),
  text: z.string().max(100).optional(),
  skip: z.coerce.number().int().min(0).max(100_000).default(0),
})

const PAGE = 50
/** What a line of the list is worked out of: the newest of two weeks. */
const NEWEST = 300
const BACK_MS = 14 * 86_400_000
/** So many of the last attempts that handed something on are looked through for names of measures. */
const MOST_LOOKED = 20_000

export interface MeasureLine {
  readonly kind: Series['kind']
  readonly id: number
  /** As rules name it: an agent’s name, the id of a queue or a job. */
  readonly slug: string
  readonly title: string
  readonly name: string
  readonly last: ValueAt | null
  readonly band: Band | null
  readonly drift: Drift | null
}

export interface MeasurePage {
  readonly rows: readonly MeasureLine[]
  readonly total: number
}

type Named = Pick<MeasureLine, 'kind' | 'id' | 'slug' | 'title' | 'name'>

/** All that is measured, of jobs, queues and agents: what it is now, what it usually is, whether it drifts. */
export async function listMeasures(
  actor: Actor,
  { kind, text, skip }: z.output<typeof measureListSchema>,
): Promise<MeasurePage> {
  requireSomewhere(actor, 'see')
  const words = text?.toLowerCase() ?? ''
  const all = (await namesOf(actor)).filter(
    (each) => (kind === undefined || each.kind === kind) && `${each.title} ${each.name}`.toLowerCase().includes(words),
  )
  const page = all.slice(skip, skip + PAGE)
  const after = new Date(Date.now() - BACK_MS)
  const values = new Map<string, ValueAt[]>()
  // Those of one kind and name are read at once.
  for (const group of new Set(page.map((each) => `${each.kind} ${each.name}`))) {
    const its = page.filter((each) => `${each.kind} ${each.name}` === group)
    const found = await newestValues(its, its[0]?.name ?? '', after, NEWEST)
    for (const { series, values: some } of found) values.set(`${group} ${series.id}`, some)
  }
  return {
    total: all.length,
    rows: page.map((each) => {
      const its = values.get(`${each.kind} ${each.name} ${each.id}`) ?? []
      return {
        ...each,
        last: its.at(-1) ?? null,
        band: bandOf(its.map(({ value }) => value)),
        drift: driftOfValues(its),
      }
    }),
  }
}

/** What is measured of whom, in order of kinds and titles. Agents are the organisation’s. */
async function namesOf(actor: Actor): Promise<Named[]> {
  const rows = await many<Named>(
    null,
    `SELECT * FROM (
       SELECT 'job' AS kind, j.id, j.slug, j.title, x.name FROM (
         SELECT DISTINCT r.job_id, o.key AS name FROM (SELECT run_id, outputs FROM attempts WHERE outputs <> '{}' ORDER BY id DESC LIMIT ${MOST_LOOKED}) a
           JOIN runs r ON r.id = a.run_id CROSS JOIN LATERAL jsonb_each_text(a.outputs) o WHERE o.value ~ $1) x
         JOIN jobs j ON j.id = x.job_id AND j.deleted_at IS NULL AND NOT j.is_flow
       UNION ALL SELECT 'queue', id, slug, title, m.name FROM queues CROSS JOIN (VALUES ('waiting'), ('oldest')) AS m(name) WHERE active AND deleted_at IS NULL
       UNION ALL SELECT 'agent', a.id, a.name, a.name, m.key FROM agents a JOIN agent_contacts c ON c.agent_id = a.id CROSS JOIN LATERAL jsonb_object_keys(c.measures) AS m(key)
        WHERE a.active AND c.measures IS NOT NULL AND $2) u`,
    [NUMBER, mayDo(actor.role, 'see')],
  )
  const order = ['job', 'queue', 'agent']
  return rows.sort(
    (a, b) =>
      order.indexOf(a.kind) - order.indexOf(b.kind) || a.title.localeCompare(b.title) || a.name.localeCompare(b.name),
  )
}

export interface MeasuredRun {
  readonly id: number
  readonly state: string
  readonly endedAtMs: number
  readonly lengthMs: number | null
  /** What it handed on that is a number, by its name. */
  readonly values: Readonly<Record<string, number>>
}

export interface JobMeasures {
  readonly title: string
  readonly slug: string
  /** Oldest first. */
  readonly runs: readonly MeasuredRun[]
}

const MOST_RUNS = 300

/** The last runs of a job that ended, with how long they took and what they measured. */
export async function jobMeasures(actor: Actor, jobId: number): Promise<JobMeasures> {
  requireSomewhere(actor, 'see')
  const job = await maybeOne<{ title: string; slug: string }>(
    null,
    'SELECT title, slug FROM jobs WHERE id = $1 AND deleted_at IS NULL',
    [jobId],
  )
  if (!job) throw notFound('job', jobId)
  const rows = await many<Omit<MeasuredRun, 'endedAtMs'> & { endedAt: Date }>(
    null,
    `SELECT r.id, r.state, r.ended_at AS "endedAt", r.duration_ms AS "lengthMs",
            coalesce((SELECT jsonb_object_agg(o.key, o.value::float8) FROM attempts a CROSS JOIN LATERAL jsonb_each_text(a.outputs) o WHERE a.run_id = r.id AND a.number = r.attempts AND o.value ~ $2), '{}') AS values
       FROM runs r WHERE r.job_id = $1 AND r.state IN ('succeeded','failed','lost') AND r.started_at IS NOT NULL ORDER BY r.id DESC LIMIT ${MOST_RUNS}`,
    [jobId, NUMBER],
  )
  return { ...job, runs: rows.reverse().map(({ endedAt, ...run }) => ({ ...run, endedAtMs: endedAt.getTime() })) }
}
