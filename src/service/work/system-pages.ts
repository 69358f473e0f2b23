import { reachable } from '@/core/bundle/graph'
import { fitsSystem, systemStandings, type SystemKind, type SystemStanding } from '@/core/fleet/system-state'
import { many } from '@/store/db'
import { z } from 'zod'
import { requireRight, requireSomewhere, type Actor } from '@/service/base/actor'
import type { SystemSays } from '@/core/work/systems'
import { readSystem, SAYS, type SystemFull } from './systems'

export const systemFilterSchema = z
  .strictObject({
    text: z.string().max(200),
    kind: z.string().max(20),
    state: z.string().max(20),
  })
  .partial()

export interface SystemRow extends SystemStanding {
  readonly id: number
  readonly slug: string
  readonly title: string
  readonly kind: SystemKind
  readonly host: string | null
  readonly port: number | null
  readonly on: readonly { readonly id: number; readonly title: string }[]
  readonly jobs: number
  readonly matters: number
  /** When the newest run on it ended, and began next. */
  readonly lastAt: Date | null
  readonly nextAt: Date | null
}

interface Read extends Omit<SystemRow, 'state' | 'why' | 'jobs'> {
  readonly names: readonly string[]
  readonly work: readonly { readonly title: string; readonly kind: string; readonly last: string | null }[]
}

/**
 * All systems, and how they stand, by what this person may see: jobs of areas that are closed to them say nothing. As the fleet, systems are the organisation's.
 * Sorted by title.
 */
export async function listSystems(
  actor: Actor,
  filter: z.output<typeof systemFilterSchema> = {},
): Promise<SystemRow[]> {
  requireRight(actor, 'see')
  return (await readAll()).filter((row) => fitsSystem(row, filter))
}

async function readAll(): Promise<SystemRow[]> {
  const rows = await many<Read>(
    null,
    `WITH work AS MATERIALIZED (
       SELECT j.id, j.system_id, j.title, v.definition->'action'->>'kind' AS kind, l.state AS last, l.ended_at, n.next_at
         FROM jobs j JOIN job_versions v ON v.job_id = j.id AND v.version = j.version
         LEFT JOIN LATERAL (SELECT r.state, r.ended_at FROM runs r WHERE r.job_id = j.id AND r.state IN ('succeeded','failed','lost') ORDER BY r.id DESC LIMIT 1) l ON true
         LEFT JOIN LATERAL (SELECT min(t.next_at) AS next_at FROM triggers t WHERE t.job_id = j.id AND t.enabled AND t.deleted_at IS NULL) n ON true
        WHERE j.system_id IS NOT NULL AND j.deleted_at IS NULL),
     of_system AS (
       SELECT system_id, jsonb_agg(jsonb_build_object('title', title, 'kind', kind, 'last', last) ORDER BY title) AS work, max(ended_at) AS last_at, min(next_at) AS next_at
         FROM work GROUP BY system_id),
     open AS (
       SELECT w.system_id, count(*)::int AS n FROM matters m JOIN work w ON m.subject = 'job ' || w.id WHERE m.state <> 'closed' GROUP BY w.system_id),
     below AS (
       SELECT o.system_id, jsonb_agg(jsonb_build_object('id', b.id, 'title', b.title) ORDER BY b.title) AS on, jsonb_agg(b.slug) AS names
         FROM system_on o JOIN systems b ON b.id = o.on_id GROUP BY o.system_id)
     SELECT s.id, s.slug, s.title, s.kind, s.host, s.port, coalesce(b.on, '[]') AS on, coalesce(b.names, '[]') AS names, coalesce(w.work, '[]') AS work,
            coalesce(m.n, 0) AS matters, w.last_at AS "lastAt", w.next_at AS "nextAt"
       FROM systems s LEFT JOIN of_system w ON w.system_id = s.id LEFT JOIN open m ON m.system_id = s.id LEFT JOIN below b ON b.system_id = s.id
      ORDER BY lower(s.title)`,
  )
  const wentWell = (last: string | null): boolean | null => (last === null ? null : last === 'succeeded')
  const standings = systemStandings(
    rows.map(({ slug, title, names, work, matters }) => {
      const checks = work.filter(({ kind, last }) => kind === 'reach' && last !== null)
      return {
        name: slug,
        title,
        on: names,
        answers: checks.length === 0 ? null : checks.every(({ last }) => last === 'succeeded'),
        jobs: work.filter(({ kind }) => kind !== 'reach').map((job) => ({ ...job, wentWell: wentWell(job.last) })),
        matters,
      }
    }),
  )
  return rows.map(({ names: _, work, ...row }) => ({
    ...row,
    jobs: work.length,
    ...(standings.get(row.slug) as SystemStanding),
  }))
}

export interface SystemJob {
  readonly id: number
  readonly title: string
  readonly kind: string
  readonly area: string
  readonly active: boolean
  readonly last: {
    readonly id: number
    readonly state: string
    readonly at: string
    readonly durationMs: number | null
    /** The line of its output that tells most. */
    readonly says: string
    /** What it handed on, by name. */
    readonly outputs: Readonly<Record<string, string>>
  } | null
  readonly nextAt: Date | null
}

/** A system in a tree of what runs on what. */
interface SystemBranch extends SystemStanding {
  readonly id: number
  readonly title: string
  readonly kind: SystemKind
  /** How far below the uppermost it stands. */
  readonly depth: number
}

export interface SystemPage extends SystemFull, SystemStanding {
  readonly jobs: readonly SystemJob[]
  /** From the uppermost that run on it down to the lowest that it runs on. */
  readonly tree: readonly SystemBranch[]
  readonly matters: readonly {
    readonly id: number
    readonly runId: number | null
    readonly title: string
    readonly evidence: string
    readonly openedAt: Date
    readonly takenBy: string | null
  }[]
}

const MOST_JOBS = 500

export async function systemPage(actor: Actor, id: number): Promise<SystemPage> {
  requireRight(actor, 'see')
  const system = await readSystem(null, id)
  const all = await readAll()
  const me = all.find((row) => row.id === id)
  return {
    ...system,
    state: me?.state ?? 'unknown',
    why: me?.why ?? [],
    tree: treeOf(all, id),
    jobs: await many<SystemJob>(
      null,
      `SELECT j.id, j.title, v.definition->'action'->>'kind' AS kind, a.path AS area, j.active,
              (SELECT jsonb_build_object('id', r.id, 'state', r.state, 'at', coalesce(r.ended_at, r.started_at, r.created_at), 'durationMs', r.duration_ms,
                        'outputs', coalesce(t.outputs, '{}'), 'says', coalesce(t.telling_line, ''))
                 FROM runs r LEFT JOIN LATERAL (SELECT outputs, telling_line FROM attempts WHERE run_id = r.id ORDER BY number DESC LIMIT 1) t ON true
                WHERE r.job_id = j.id ORDER BY r.id DESC LIMIT 1) AS last,
              (SELECT min(t.next_at) FROM triggers t WHERE t.job_id = j.id AND t.enabled AND t.deleted_at IS NULL) AS "nextAt"
         FROM jobs j JOIN job_versions v ON v.job_id = j.id AND v.version = j.version JOIN areas a ON a.id = j.area_id
        WHERE j.system_id = $1 AND j.deleted_at IS NULL ORDER BY lower(j.title) LIMIT ${MOST_JOBS}`,
      [id],
    ),
    matters: await many(
      null,
      `SELECT m.id, m.run_id AS "runId", j.title, m.evidence, m.opened_at AS "openedAt", m.taken_by AS "takenBy"
         FROM jobs j JOIN matters m ON m.subject = 'job ' || j.id WHERE j.system_id = $1 AND j.deleted_at IS NULL AND m.state <> 'closed' ORDER BY m.opened_at DESC LIMIT 100`,
      [id],
    ),
  }
}

const MOST_BRANCHES = 200

/** Everything that runs on this system or below it, each where it is met first. */
function treeOf(all: readonly SystemRow[], id: number): SystemBranch[] {
  const byId = new Map(all.map((row) => [row.id, row]))
  const above = (of: number): SystemRow[] => all.filter(({ on }) => on.some((below) => below.id === of))
  const related = reachable([id], (of) => above(of).map((row) => row.id))
  for (const below of reachable([id], (of) => byId.get(of)?.on.map((row) => row.id) ?? [])) related.add(below)
  const tree: SystemBranch[] = []
  const seen = new Set<number>()
  const roots = [...related].filter((one) => !above(one).some((row) => related.has(row.id)))
  const stack = roots.reverse().map((one) => ({ one, depth: 0 }))
  for (let top = stack.pop(); top && tree.length < MOST_BRANCHES; top = stack.pop()) {
    const row = byId.get(top.one)
    if (!row || seen.has(top.one)) continue
    seen.add(top.one)
    const { title, kind, state, why } = row
    tree.push({ id: row.id, title, kind, state, why, depth: top.depth })
    for (const below of [...row.on].reverse())
      if (related.has(below.id)) stack.push({ one: below.id, depth: top.depth + 1 })
  }
  return tree
}

/** A system to choose from, and what it says. */
export interface SystemChoice extends SystemSays {
  readonly id: number
  readonly slug: string
  readonly title: string
}

/** For whoever may write a job anywhere. */
export async function systemChoices(actor: Actor): Promise<SystemChoice[]> {
  requireSomewhere(actor, 'see')
  return many<SystemChoice>(
    null,
    `SELECT s.id, s.slug, s.title, ${SAYS} FROM systems s ORDER BY lower(s.title) LIMIT 2000`,
  )
}
