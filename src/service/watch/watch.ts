import { z } from 'zod'
import { SAMPLE_SECONDS } from '@/service/runs/upkeep'
import { mayDo } from '@/core/people/roles'
import { many, one } from '@/store/db'
import { likeText } from '@/store/like'
import { readBy, readIf } from '@/service/reports/reports'
import { requireSomewhere, type Actor } from '@/service/base/actor'

interface LaneBar {
  readonly runId: number
  readonly title: string
  readonly state: string
  readonly startedAt: string
  readonly endedAt: string | null
  readonly usualMs: number | null
  /** The robot on the machine that does it; null: the agent itself. */
  readonly robotId: number | null
}

export interface Lane {
  /** Of a system's lane: the system; its jobs may run on any agent. */
  readonly systemId: number | null
  readonly agentId: number
  /** What the lane is called: the agent, or the system. */
  readonly agent: string
  readonly slots: number
  readonly used: number
  /** The agent is out of reach, or the system did not answer when it was looked at last. */
  readonly away: boolean
  readonly bars: LaneBar[]
  /** Robots of the machine, each with a lane of its own. */
  readonly robots: { readonly id: number; readonly name: string }[]
}

const MOST_LANES = 40
const MOST_BARS = 60

/** Machines are the organisation's: whoever has no role there sees those on which something of theirs ran. What ran on each since `from`, and runs now. Busy machines first when there are more than fit. */
export async function lanes(actor: Actor, from: Date, awaySeconds: number): Promise<Lane[]> {
  requireSomewhere(actor, 'see')
  return many<Lane>(
    null,
    `WITH busy AS (SELECT agent_id, sum(slots)::int AS used FROM runs WHERE state = 'running' AND agent_id IS NOT NULL GROUP BY agent_id),
          shown AS MATERIALIZED (
            SELECT g.id, g.name, g.slots, coalesce(b.used, 0) AS used, c.last_contact_at FROM agents g LEFT JOIN agent_contacts c ON c.agent_id = g.id LEFT JOIN busy b ON b.agent_id = g.id
             WHERE g.credential_hash IS NOT NULL ORDER BY b.agent_id IS NOT NULL DESC, c.last_start_at DESC NULLS LAST LIMIT ${MOST_LANES})
     SELECT NULL AS "systemId", g.id AS "agentId", g.name AS agent, g.slots, g.used, coalesce(g.last_contact_at < now() - make_interval(secs => $2), true) AS away,
            coalesce((SELECT jsonb_agg(b ORDER BY b."startedAt") FROM (
              SELECT a.run_id AS "runId", j.title, CASE WHEN a.state IN ('handed','accepted') THEN 'running' ELSE a.state END AS state,
                     coalesce(a.started_at, a.handed_at) AS "startedAt", a.ended_at AS "endedAt", j.usual_ms AS "usualMs", a.robot_id AS "robotId"
                FROM ((SELECT * FROM attempts WHERE agent_id = g.id AND ended_at >= $1 ORDER BY ended_at DESC LIMIT ${MOST_BARS})
                      UNION ALL (SELECT * FROM attempts WHERE agent_id = g.id AND state IN ('handed','accepted','running') ORDER BY id DESC LIMIT ${MOST_BARS})) a
                JOIN runs r ON r.id = a.run_id JOIN jobs j ON j.id = r.job_id
               ORDER BY a.id DESC LIMIT ${MOST_BARS}) b), '[]') AS bars,
            coalesce((SELECT jsonb_agg(jsonb_build_object('id', b.id, 'name', b.name) ORDER BY b.name) FROM robots b WHERE b.agent_id = g.id AND b.removed_at IS NULL), '[]') AS robots
       FROM shown g`,
    [from, awaySeconds],
  ).then((rows) =>
    rows.filter(({ bars }) => mayDo(actor.role, 'see') || bars.length > 0).sort((a, b) => (a.agent < b.agent ? -1 : 1)),
  )
}

/** The same by system: a lane for each on which something ran since `from`, or runs. `used`: runs that go on. */
export async function systemLanes(actor: Actor, from: Date): Promise<Lane[]> {
  requireSomewhere(actor, 'see')
  const rows = await many<Omit<Lane, 'robots' | 'slots' | 'agentId'>>(
    null,
    `SELECT s.id AS "systemId", s.title AS agent, coalesce(l.used, 0)::int AS used, coalesce(l.bars, '[]') AS bars,
            EXISTS (SELECT FROM jobs j JOIN job_versions v ON v.job_id = j.id AND v.version = j.version
                     WHERE j.system_id = s.id AND j.deleted_at IS NULL AND v.definition->'action'->>'kind' = 'reach'
                       AND (SELECT r.state FROM runs r WHERE r.job_id = j.id AND r.state IN ('succeeded','failed','lost') ORDER BY r.id DESC LIMIT 1) <> 'succeeded') AS away
       FROM systems s LEFT JOIN LATERAL (
         SELECT count(*) FILTER (WHERE b.state = 'running') AS used, jsonb_agg(to_jsonb(b) ORDER BY b."startedAt") AS bars FROM (
           SELECT r.id AS "runId", j.title, r.state, r.started_at AS "startedAt", r.ended_at AS "endedAt", j.usual_ms AS "usualMs", NULL::bigint AS "robotId"
             FROM jobs j JOIN LATERAL (
               (SELECT * FROM runs WHERE job_id = j.id AND ended_at >= $1 AND started_at IS NOT NULL ORDER BY id DESC LIMIT ${MOST_BARS})
               UNION ALL (SELECT * FROM runs WHERE job_id = j.id AND state = 'running' LIMIT ${MOST_BARS})) r ON true
            WHERE j.system_id = s.id ORDER BY r.started_at DESC LIMIT ${MOST_BARS}) b) l ON true
      ORDER BY l.used > 0 DESC NULLS LAST, l.bars IS NOT NULL DESC, lower(s.title) LIMIT ${MOST_LANES}`,
    [from],
  )
  return rows
    .map((row) => ({ ...row, agentId: 0, slots: 0, robots: [] }))
    .sort((a, b) => (a.agent.toLowerCase() < b.agent.toLowerCase() ? -1 : 1))
}

/** Runs that ended last and are still on the board. */
export async function justEnded(actor: Actor): Promise<object[]> {
  requireSomewhere(actor, 'see')
  return many(
    null,
    `SELECT r.id, j.title, r.state, a.name AS agent, r.duration_ms AS "durationMs", j.usual_ms AS "usualMs", r.ended_at AS "endedAt"
       FROM (SELECT * FROM runs WHERE ended_at IS NOT NULL AND flow_run_id IS NULL ORDER BY ended_at DESC LIMIT 60) r JOIN jobs j ON j.id = r.job_id
       LEFT JOIN agents a ON a.id = r.agent_id
      WHERE r.cleared_at IS NULL ORDER BY r.ended_at DESC LIMIT 12`,
  )
}

export interface DayLine {
  readonly from: string
  readonly now: string
  readonly bucketSeconds: number
  readonly capacity: number
  /** Mean slots in use in each bucket, oldest first. */
  readonly used: number[]
  readonly failures: { id: number; title: string; at: string }[]
}

const BUCKET_SECONDS = 900
const HOURS_BACK = 8
/** As far as the day line goes back from there. */
const MOST_HOURS_BACK = 168

export const dayLineSchema = z.strictObject({ back: z.coerce.number().int().min(0).max(MOST_HOURS_BACK).default(0) })

/** Slots used and failures of the eight hours up to now; `back`: of the 24 hours that begin so many hours earlier. */
export async function dayLine(actor: Actor, { back = 0 }: { readonly back?: number } = {}): Promise<DayLine> {
  requireSomewhere(actor, 'see')
  // How busy the machines are altogether is the organisation's, too.
  const seesFleet = mayDo(actor.role, 'see')
  const { now, capacity } = await one<{ now: Date; capacity: number }>(
    null,
    'SELECT now() AS now, coalesce((SELECT sum(slots) FROM agents WHERE active AND credential_hash IS NOT NULL), 0)::int AS capacity',
  )
  const from = new Date(
    Math.floor(now.getTime() / 1000 / BUCKET_SECONDS) * BUCKET_SECONDS * 1000 - (HOURS_BACK + back) * 3_600_000,
  )
  const to = new Date(Math.min(now.getTime(), from.getTime() + 24 * 3_600_000))
  const rows = await many<{ bucket: number; busyMs: number; newest: Date }>(
    null,
    `SELECT floor(extract(epoch FROM at - $1) / $2)::int AS bucket, sum(busy_ms)::bigint AS "busyMs", max(at) AS newest
       FROM load_samples WHERE at >= $1 AND at < $3 GROUP BY 1`,
    [from, BUCKET_SECONDS, to],
  )
  const buckets = Math.ceil((to.getTime() - from.getTime()) / 1000 / BUCKET_SECONDS)
  const used = Array.from({ length: buckets }, (_, bucket) => {
    const row = rows.find((r) => r.bucket === bucket)
    const begins = from.getTime() + bucket * BUCKET_SECONDS * 1000
    // The present bucket is as long as it has lasted, and at least one sample.
    const lasted = Math.max(SAMPLE_SECONDS * 1000, Math.min(BUCKET_SECONDS * 1000, now.getTime() - begins))
    return row ? Math.min(capacity, row.busyMs / lasted) : 0
  })
  const failures = await many<{ id: number; title: string; at: string }>(
    null,
    `SELECT r.id, j.title, r.ended_at AS at FROM runs r JOIN jobs j ON j.id = r.job_id
      WHERE r.ended_at >= $1 AND r.ended_at <= $2 AND r.state IN ('failed','lost') AND r.flow_run_id IS NULL ORDER BY r.ended_at DESC LIMIT 200`,
    [from, to],
  )
  return {
    from: from.toISOString(),
    now: now.toISOString(),
    bucketSeconds: BUCKET_SECONDS,
    capacity: seesFleet ? capacity : 0,
    used: seesFleet ? used : used.map(() => 0),
    failures,
  }
}

export interface Found {
  readonly kind:
    | 'run'
    | 'job'
    | 'flow'
    | 'trigger'
    | 'calendar'
    | 'agent'
    | 'robot'
    | 'queue'
    | 'system'
    | 'pool'
    | 'area'
    | 'person'
  readonly id: number
  readonly title: string
  readonly detail: string
}

/** Every kind of object by name or number, the best few of each. */
export async function find(actor: Actor, text: string): Promise<Found[]> {
  requireSomewhere(actor, 'see')
  const like = `%${likeText(text.trim())}%`
  const number = /^#?(\d{1,15})$/.exec(text.trim())?.[1] ?? null
  return many<Found>(
    null,
    `(SELECT 'run' AS kind, r.id, '#' || r.id || ' ' || j.title AS title, r.state AS detail FROM runs r JOIN jobs j ON j.id = r.job_id
       WHERE r.id = $2::bigint)
     UNION ALL (SELECT CASE WHEN j.is_flow THEN 'flow' ELSE 'job' END, j.id, j.title, a.path FROM jobs j JOIN areas a ON a.id = j.area_id
       WHERE j.deleted_at IS NULL AND j.title ILIKE $1 ORDER BY j.title LIMIT 8)
     UNION ALL (SELECT 'trigger', id, title, says FROM triggers WHERE deleted_at IS NULL AND title ILIKE $1 ORDER BY title LIMIT 8)
     UNION ALL (SELECT 'calendar', id, title, 'calendar' FROM calendars WHERE title ILIKE $1 OR slug ILIKE $1 ORDER BY title LIMIT 6)
     UNION ALL (SELECT 'agent', id, name, system FROM agents WHERE name ILIKE $1 OR host ILIKE $1 ORDER BY name LIMIT 6)
     UNION ALL (SELECT 'queue', q.id, q.title, a.path FROM queues q JOIN areas a ON a.id = q.area_id WHERE q.deleted_at IS NULL AND q.title ILIKE $1 ORDER BY q.title LIMIT 6)
     UNION ALL (SELECT 'robot', b.id, b.name, a.name FROM robots b JOIN agents a ON a.id = b.agent_id WHERE b.removed_at IS NULL AND b.name ILIKE $1 ORDER BY b.name LIMIT 6)
     UNION ALL (SELECT 'pool', id, title, name FROM pools WHERE title ILIKE $1 OR name ILIKE $1 ORDER BY name LIMIT 4)
     UNION ALL (SELECT 'system', id, title, coalesce(host, kind) FROM systems WHERE title ILIKE $1 OR host ILIKE $1 ORDER BY title LIMIT 6)
     UNION ALL (SELECT 'view', id, title, 'by ' || made_by FROM views WHERE (person_id = $3 OR shared <> 'me') AND title ILIKE $1 ORDER BY title LIMIT 4)
     UNION ALL (SELECT 'report', d.id, d.title, 'report' FROM reports d WHERE ${readIf(4)} AND d.title ILIKE $1 ORDER BY d.title LIMIT 4)
     UNION ALL (SELECT 'area', id, path, '' FROM areas WHERE title ILIKE $1 AND deleted_at IS NULL ORDER BY path LIMIT 4)`,
    [like, number, actor.id, ...readBy(actor)],
  )
}
