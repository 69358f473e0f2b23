import type { factsThatDiffer } from '@/core/compare/facts'
import type { Change, ChangeKind } from '@/core/changes/since-good'
import { changeSentence } from '@/core/changes/sentence'
import { mayDo } from '@/core/people/roles'
import { differencesInWords } from '@/core/work/differences'
import { many } from '@/store/db'
import { beyondWalls } from '@/store/walls'
import type { Actor } from '@/service/base/actor'

/** A run with all that it touches. */
export interface Looked {
  readonly id: number
  readonly jobId: number
  readonly jobVersion: number
  readonly isFlow: boolean
  readonly state: string
  readonly at: Date
  readonly flowRunId: number | null
  readonly startedAt: Date | null
  readonly agentId: number | null
  readonly triggerId: number | null
  readonly account: string | null
  readonly pool: string | null
  readonly locks: readonly string[]
  readonly calendars: readonly string[]
  readonly systemId: number | null
  readonly forAgentId: number | null
  readonly shared: readonly string[]
}

/** Of runs by their numbers; what this person may not see is not among them. */
export const lookedAt = (ids: readonly number[]): Promise<Looked[]> =>
  many<Looked>(
    null,
    `SELECT r.id, r.job_id AS "jobId", r.job_version AS "jobVersion", r.kind = 'flow' AS "isFlow", r.state, coalesce(r.ended_at, now()) AS at, r.flow_run_id AS "flowRunId", r.started_at AS "startedAt", r.agent_id AS "agentId",
            r.trigger_id AS "triggerId", r.account, r.target->>'pool' AS pool, r.for_agent_id AS "forAgentId", j.system_id AS "systemId",
            ARRAY(SELECT jsonb_object_keys(coalesce(r.locks, '{}'))) AS locks, ARRAY(SELECT jsonb_object_keys(coalesce(r.calendar_versions, '{}'))) AS calendars,
            ARRAY(SELECT i->'default'->>'shared' FROM jsonb_array_elements(coalesce(v.definition->'inputs', '[]')) i WHERE jsonb_typeof(i->'default') = 'object' AND i->'default' ? 'shared') AS shared
       FROM runs r JOIN jobs j ON j.id = r.job_id JOIN job_versions v ON v.job_id = r.job_id AND v.version = r.job_version WHERE r.id = ANY($1) ORDER BY r.id`,
    [ids],
  )

/** Versions of the definition that came after that of the last good run, a sentence for each. @param named of which step, where that is not plain */
export async function definitions(
  { jobId, jobVersion, isFlow }: Pick<Looked, 'jobId' | 'jobVersion' | 'isFlow'>,
  goodVersion: number,
  named = '',
): Promise<Change[]> {
  if (goodVersion >= jobVersion) return []
  const versions = await many<{ version: number; definition: unknown; by: string | null; at: Date | null }>(
    null,
    `SELECT version, definition, saved_by AS by, saved_at AS at FROM job_versions WHERE job_id = $1 AND version BETWEEN $2 AND $3 ORDER BY version DESC LIMIT 20`,
    [jobId, goodVersion, jobVersion],
  )
  const object = { type: isFlow ? 'flow' : 'job', id: jobId }
  return versions.flatMap(({ version, definition, by, at }, i) => {
    const older = versions[i + 1]
    if (!older) return []
    const says = differencesInWords(older.definition, definition)
    // A title or notes that were written anew make a version, too, and explain nothing.
    if (says.length === 0) return []
    const told = says.slice(0, 3).join(' ') + (says.length > 3 ? ` And ${says.length - 3} differences more.` : '')
    return [
      { kind: 'definition', says: `${named}Version ${version}: ${told}`, atMs: at?.getTime() ?? null, by, object },
    ]
  })
}

const FACT_KINDS: readonly (readonly [begins: string, kind: ChangeKind])[] = [
  ['input ', 'input'],
  ['environment ', 'environment'],
  ['machine', 'machine'],
  ['account', 'account'],
  ['agent version', 'agent'],
  ['folder', 'environment'],
  ['command', 'environment'],
]

/** How the two runs differ by themselves. What follows from another definition is not told twice. */
export function factChanges(facts: ReturnType<typeof factsThatDiffer>, hasOtherVersion: boolean): Change[] {
  return facts.flatMap(({ what, a, b }) => {
    const kind = FACT_KINDS.find(([begins]) => what.startsWith(begins))?.[1]
    if (kind === undefined || (hasOtherVersion && kind === 'environment')) return []
    const name = `${what.charAt(0).toUpperCase()}${what.slice(1)}`
    const says =
      a === null
        ? `${name} is new: ${b}.`
        : b === null
          ? `${name} is gone; it was ${a}.`
          : `${name} was ${a} and is ${b}.`
    return [{ kind, says, atMs: null, by: null, object: null }]
  })
}

const OBJECT_KINDS: Readonly<Record<string, ChangeKind>> = {
  trigger: 'trigger',
  calendar: 'calendar',
  account: 'account',
  lock: 'lock',
  pool: 'pool',
  agent: 'agent',
  system: 'system',
  'shared value': 'shared value',
}

/** What people changed since then of what the run touches. Whoever has no role in the organisation is told of its trigger alone. */
export async function elsewhere(actor: Actor, run: Looked, sinceMs: number): Promise<Change[]> {
  const touched = await many<{ type: string; id: string }>(
    null,
    `SELECT 'trigger' AS type, $1::text AS id WHERE $1::bigint IS NOT NULL
     UNION ALL SELECT * FROM (
       SELECT 'agent', $2::text WHERE $2::bigint IS NOT NULL
       UNION ALL SELECT 'account', id::text FROM accounts WHERE name = $3
       UNION ALL SELECT 'pool', id::text FROM pools WHERE name = $4
       UNION ALL SELECT 'lock', id::text FROM locks WHERE name = ANY($5)
       UNION ALL SELECT 'calendar', id::text FROM calendars WHERE slug = ANY($6)
       UNION ALL SELECT 'shared value', id::text FROM shared_values WHERE name = ANY($8)
       UNION ALL (WITH RECURSIVE below AS (SELECT $7::bigint AS id WHERE $7::bigint IS NOT NULL UNION SELECT o.on_id FROM below b JOIN system_on o ON o.system_id = b.id)
                  SELECT 'system', id::text FROM below)) o(type, id) WHERE $9`,
    [
      run.triggerId,
      run.agentId,
      run.account,
      run.pool,
      run.locks,
      run.calendars,
      run.systemId,
      run.shared,
      mayDo(actor.role, 'see'),
    ],
  )
  if (touched.length === 0) return []
  // The audit is the administrators'; of what somebody may see it tells them what became of it.
  const rows = await beyondWalls(() =>
    many<{ at: Date; by: string; action: string; type: string; id: string; title: string; changes: unknown }>(
      null,
      `SELECT a.at, a.person_name AS by, a.action, a.object_type AS type, a.object_id AS id, a.object_title AS title, a.changes
         FROM unnest($1::text[], $2::text[]) AS u(type, id)
         CROSS JOIN LATERAL (SELECT * FROM audit WHERE object_type = u.type AND object_id = u.id AND at > $3 AND at <= $4 ORDER BY id DESC LIMIT 20) a`,
      [touched.map(({ type }) => type), touched.map(({ id }) => id), new Date(sinceMs), run.at],
    ),
  )
  return rows.map(({ at, by, action, type, id, title, changes }) => ({
    kind: OBJECT_KINDS[type] as ChangeKind,
    says: changeSentence(type, title, action, changes),
    atMs: at.getTime(),
    by,
    object: { type, id: Number(id) },
  }))
}
