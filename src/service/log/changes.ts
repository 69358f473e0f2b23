import { z } from 'zod'
import { changeSentence } from '@/core/changes/sentence'
import { followedBy } from '@/core/changes/followed'
import type { LogChange } from '@/core/log/night'
import { mayDo } from '@/core/people/roles'
import { many } from '@/store/db'
import { likeText } from '@/store/like'
import { beyondWalls } from '@/store/walls'
import { requireSomewhere, type Actor } from '@/service/base/actor'

export const changesSchema = z.strictObject({
  from: z.iso.datetime({ offset: true }),
  to: z.iso.datetime({ offset: true }),
  text: z.string().max(200).optional(),
})

/** What lies in areas: who may see it is told of it. */
const IN_AREAS: Readonly<Record<string, string>> = {
  job: 'jobs',
  flow: 'jobs',
  trigger: 'triggers',
  queue: 'queues',
}
/** What is the organisation's: whoever has a role in it is told of it. */
const OF_ALL = ['calendar', 'agent', 'robot', 'pool', 'lock', 'account', 'system', 'shared value', 'setting']

/** So many changes are told, and so many failures looked at: the latest. */
const MOST_CHANGES = 1000
const MOST_FAILURES = 5000
const DAY_MS = 24 * 3_600_000

export interface Changes {
  /** The latest first. */
  readonly changes: readonly LogChange[]
  readonly isCut: boolean
}

/**
 * What was changed of definitions and of the fleet from an instant on and before another, by whom, and which runs failed after it that touched it. The audit is the administrators'; of what
 * somebody may see this tells them what became of it.
 */
export async function listChanges(actor: Actor, { from, to, text }: z.output<typeof changesSchema>): Promise<Changes> {
  requireSomewhere(actor, 'see')
  const types = [...Object.keys(IN_AREAS), ...(mayDo(actor.role, 'see') ? OF_ALL : [])]
  const rows = await beyondWalls(() =>
    many<{ at: Date; by: string; action: string; type: string; id: string; title: string; changes: unknown }>(
      null,
      `SELECT at, person_name AS by, action, object_type AS type, object_id AS id, object_title AS title, changes FROM audit
        WHERE at >= $1 AND at < $2 AND object_type = ANY($3)
          AND ($4::text IS NULL OR concat_ws(' ', person_name, action, object_type, object_title) ILIKE '%' || $4 || '%')
        ORDER BY at DESC, id DESC LIMIT ${MOST_CHANGES + 1}`,
      [new Date(from), new Date(to), types, text ? likeText(text) : null],
    ),
  )
  const seen = await seenOf(rows)
  const changes = rows
    .slice(0, MOST_CHANGES)
    .filter(({ type, id }) => !(type in IN_AREAS) || seen.has(`${IN_AREAS[type]} ${id}`))
    .map(({ at, by, action, type, id, title, changes: what }) => ({
      atMs: at.getTime(),
      by,
      says: changeSentence(type, title, action, what),
      object: `${type} ${id}`,
      type,
      id,
    }))
  const followed = followedBy(changes, await failuresAfter(changes))
  return {
    changes: changes.map((change) => ({
      atMs: change.atMs,
      by: change.by,
      says: change.says,
      object: { type: change.type, id: change.id },
      followed: followed.get(change) ?? [],
    })),
    isCut: rows.length > MOST_CHANGES,
  }
}

/** Which of these there are for whoever reads, each as its table and its number. */
async function seenOf(rows: readonly { readonly type: string; readonly id: string }[]): Promise<ReadonlySet<string>> {
  const idsOf = (table: string): number[] => [
    ...new Set(rows.filter(({ type }) => IN_AREAS[type] === table).map(({ id }) => Number(id))),
  ]
  const found = await many<{ is: string }>(
    null,
    ['jobs', 'triggers', 'queues']
      .map((table, i) => `SELECT '${table} ' || id AS is FROM ${table} WHERE id = ANY($${i + 1})`)
      .join(' UNION ALL '),
    [idsOf('jobs'), idsOf('triggers'), idsOf('queues')],
  )
  return new Set(found.map(({ is }) => is))
}

/** Runs that failed or were lost within a day after any of these, with what they touched; only such as whoever reads may see. */
async function failuresAfter(
  changes: readonly { readonly atMs: number }[],
): Promise<{ id: number; atMs: number; touched: string[] }[]> {
  if (changes.length === 0) return []
  const times = changes.map(({ atMs }) => atMs)
  const rows = await many<{ id: number; at: Date; touched: (string | null)[] }>(
    null,
    `SELECT r.id, r.ended_at AS at, ARRAY[(CASE WHEN r.kind = 'flow' THEN 'flow ' ELSE 'job ' END) || r.job_id, 'trigger ' || r.trigger_id, 'agent ' || r.agent_id, 'robot ' || r.robot_id,
              'system ' || j.system_id, 'account ' || (SELECT id FROM accounts WHERE name = r.account), 'pool ' || (SELECT id FROM pools WHERE name = r.target->>'pool')]
            || ARRAY(SELECT 'lock ' || l.id FROM locks l WHERE r.locks ? l.name) || ARRAY(SELECT 'calendar ' || c.id FROM calendars c WHERE r.calendar_versions ? c.slug) AS touched
       FROM (SELECT * FROM runs WHERE ended_at > $1 AND ended_at <= $2 AND state IN ('failed','lost') ORDER BY ended_at DESC LIMIT ${MOST_FAILURES}) r JOIN jobs j ON j.id = r.job_id`,
    [new Date(Math.min(...times)), new Date(Math.max(...times) + DAY_MS)],
  )
  return rows.map(({ id, at, touched }) => ({
    id,
    atMs: at.getTime(),
    touched: touched.filter((each) => each !== null),
  }))
}
