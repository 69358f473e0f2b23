import { factsThatDiffer } from '@/core/compare/facts'
import {
  inOrder,
  sharedCauses,
  type Change,
  type ChangeKind,
  type CommonKind,
  type EndedNear,
} from '@/core/changes/since-good'
import { changeSentence } from '@/core/changes/sentence'
import { mayDo } from '@/core/people/roles'
import { differencesInWords } from '@/core/work/differences'
import { many, maybeOne } from '@/store/db'
import { beyondWalls } from '@/store/walls'
import { requireSomewhere, type Actor } from '@/service/base/actor'
import { notFound } from '@/service/base/problem'
import { comparedOf, likeRun } from '@/service/runs/compare'
import { oneRun } from '@/service/runs/run-page'

/** Runs of other jobs that failed with one, and what they have in common with it. */
export interface FailedTogether {
  readonly kind: CommonKind
  readonly name: string
  /** Its page; null: there is none, or not for this person. */
  readonly id: number | null
  readonly runs: readonly { readonly id: number; readonly title: string; readonly at: string; readonly says: string }[]
}

export interface WhatChanged {
  /** The last run before it that went well; null: its job never did. */
  readonly good: { readonly id: number; readonly at: string } | null
  /** The first since then that did not: the run itself, or one before it. */
  readonly firstBad: { readonly id: number; readonly at: string } | null
  /** The likeliest first. */
  readonly changes: readonly Change[]
  /** How many more there are than are told. */
  readonly more: number
  /** Suspicions, the strongest first. */
  readonly together: readonly FailedTogether[]
}

interface Looked {
  readonly id: number
  readonly jobId: number
  readonly jobVersion: number
  readonly isFlow: boolean
  readonly state: string
  readonly at: Date
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

const MOST_TOLD = 12
const HOUR_MS = 3_600_000
const MOST_NEAR = 2000

/**
 * What is different from when this job last went well: its definition, what it was given, where and as whom it ran, and what was changed meanwhile of all that it touches. And which other jobs
 * failed on the same machine or system, or with the same account, within the hour. Nothing of it is more than a suspicion.
 */
export async function whatChanged(actor: Actor, id: number): Promise<WhatChanged> {
  requireSomewhere(actor, 'see')
  const run = await maybeOne<Looked>(
    null,
    `SELECT r.id, r.job_id AS "jobId", r.job_version AS "jobVersion", r.kind = 'flow' AS "isFlow", r.state, coalesce(r.ended_at, now()) AS at, r.agent_id AS "agentId",
            r.trigger_id AS "triggerId", r.account, r.target->>'pool' AS pool, r.for_agent_id AS "forAgentId", j.system_id AS "systemId",
            ARRAY(SELECT jsonb_object_keys(coalesce(r.locks, '{}'))) AS locks, ARRAY(SELECT jsonb_object_keys(coalesce(r.calendar_versions, '{}'))) AS calendars,
            ARRAY(SELECT i->'default'->>'shared' FROM jsonb_array_elements(coalesce(v.definition->'inputs', '[]')) i WHERE jsonb_typeof(i->'default') = 'object' AND i->'default' ? 'shared') AS shared
       FROM runs r JOIN jobs j ON j.id = r.job_id JOIN job_versions v ON v.job_id = r.job_id AND v.version = r.job_version WHERE r.id = $1`,
    [id],
  )
  if (!run) throw notFound('run', id)
  const together = await failedTogether(actor, run)
  const { good: goodId } = await likeRun(actor, id)
  if (goodId === null) return { good: null, firstBad: null, changes: [], more: 0, together }
  const [good, now] = [await oneRun(actor, goodId), await oneRun(actor, id)]
  const firstBad = await maybeOne<{ id: number; at: Date }>(
    null,
    `SELECT id, coalesce(started_at, created_at) AS at FROM runs WHERE job_id = $1 AND id > $2 AND id <= $3 AND for_agent_id IS NOT DISTINCT FROM $4 AND state IN ('failed','lost') ORDER BY id LIMIT 1`,
    [run.jobId, goodId, id, run.forAgentId],
  )
  const goodMs = new Date(good.startedAt ?? good.createdAt).getTime()
  const badMs = firstBad?.at.getTime() ?? run.at.getTime()
  const all = inOrder(
    [
      ...(await definitions(run, good.jobVersion)),
      ...factChanges(factsThatDiffer(comparedOf(good), comparedOf(now)), good.jobVersion !== run.jobVersion),
      ...(await elsewhere(actor, run, goodMs)),
    ],
    { goodMs, firstBadMs: badMs },
  )
  return {
    good: { id: goodId, at: new Date(goodMs).toISOString() },
    firstBad: firstBad ? { id: firstBad.id, at: firstBad.at.toISOString() } : null,
    changes: all.slice(0, MOST_TOLD),
    more: Math.max(0, all.length - MOST_TOLD),
    together,
  }
}

/** Versions of the definition that came after that of the last good run, a sentence for each. */
async function definitions({ jobId, jobVersion, isFlow }: Looked, goodVersion: number): Promise<Change[]> {
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
    return [{ kind: 'definition', says: `Version ${version}: ${told}`, atMs: at?.getTime() ?? null, by, object }]
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
function factChanges(facts: ReturnType<typeof factsThatDiffer>, hasOtherVersion: boolean): Change[] {
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
async function elsewhere(actor: Actor, run: Looked, sinceMs: number): Promise<Change[]> {
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

/** Of the hour around its end: which other jobs failed on the same machine or system, or with the same account. What this person may not see is not among them. */
async function failedTogether(actor: Actor, run: Looked): Promise<FailedTogether[]> {
  if (run.isFlow || !['failed', 'lost'].includes(run.state)) return []
  const near = await many<{
    runId: number
    jobId: number
    title: string
    wentWell: boolean
    at: Date
    agentId: number | null
    agent: string | null
    systemId: number | null
    system: string | null
    account: string | null
    says: string
  }>(
    null,
    `SELECT r.id AS "runId", r.job_id AS "jobId", j.title, r.state = 'succeeded' AS "wentWell", r.ended_at AS at, r.agent_id AS "agentId", g.name AS agent, s.id AS "systemId", s.title AS system, r.account,
            CASE WHEN r.state = 'succeeded' THEN '' ELSE coalesce((SELECT t.telling_line FROM attempts t WHERE t.run_id = r.id ORDER BY t.number DESC LIMIT 1), '') END AS says
       FROM runs r JOIN jobs j ON j.id = r.job_id LEFT JOIN agents g ON g.id = r.agent_id LEFT JOIN systems s ON s.id = j.system_id
      WHERE r.ended_at BETWEEN $1 AND $2 AND r.state IN ('succeeded','failed','lost') AND r.kind <> 'flow' ORDER BY abs(extract(epoch FROM r.ended_at - $3::timestamptz)), r.id = $4 DESC LIMIT ${MOST_NEAR}`,
    [new Date(run.at.getTime() - HOUR_MS), new Date(run.at.getTime() + HOUR_MS), run.at, run.id],
  )
  const ended = near
    .map(({ runId, jobId, wentWell, says, agent, system, account }): EndedNear => ({
      runId,
      jobId,
      wentWell,
      says,
      common: { machine: agent, system, account },
    }))
    .sort((a, b) => a.runId - b.runId)
  const own = near.find(({ runId }) => runId === run.id)
  const pages = mayDo(actor.role, 'see')
    ? { machine: own?.agentId ?? null, system: own?.systemId ?? null, account: null }
    : { machine: null, system: null, account: null }
  return sharedCauses(run.id, ended).map(({ kind, name, runIds }) => ({
    kind,
    name,
    id: pages[kind],
    runs: runIds.flatMap((id) => {
      const one = near.find(({ runId }) => runId === id)
      return one ? [{ id, title: one.title, at: one.at.toISOString(), says: one.says }] : []
    }),
  }))
}
