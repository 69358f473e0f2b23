import { requireOn } from '@/service/base/area-rights'
import { closeTrouble, openTrouble } from '@/service/base/trouble'
import { z } from 'zod'
import { textSchema } from '@/core/schema/text'
import { config } from '@/store/config'
import { execute, many, maybeOne, transaction, type Tx } from '@/store/db'
import { notify } from '@/store/listen'
import { requireRight, requireSomewhere, type Actor } from '@/service/base/actor'
import { record } from '@/service/base/audit'
import { addAgentEvent } from '@/service/fleet/fleet'
import { Problem } from '@/service/base/problem'
import type { LifeChange } from './run-life'

export const takeSchema = z.strictObject({ note: textSchema(500).default('') })
/** `done`: what was done about it. */
export const closeSchema = z.strictObject({ done: textSchema(500).default('') })

/** Opens a matter for each job of which runs ended badly, or counts them to its open one; steps of flows are their flow's matter. */
export async function openMatters(tx: Tx, changes: readonly LifeChange[]): Promise<void> {
  if (changes.length === 0) return
  await execute(
    tx,
    `INSERT INTO matters (kind, subject, run_id, agent_id, evidence, times)
     SELECT DISTINCT ON (u.kind, r.job_id) u.kind, 'job ' || r.job_id, r.id, r.agent_id,
            coalesce((SELECT nullif(a.telling_line, '') FROM attempts a WHERE a.run_id = r.id ORDER BY a.number DESC LIMIT 1), ''),
            count(*) OVER (PARTITION BY u.kind, r.job_id)
       FROM unnest($1::bigint[], $2::text[]) AS u(id, kind) JOIN runs r ON r.id = u.id AND r.flow_run_id IS NULL
      ORDER BY u.kind, r.job_id, r.id DESC
     ON CONFLICT (kind, subject) WHERE state <> 'closed' DO UPDATE
       SET run_id = excluded.run_id, agent_id = excluded.agent_id, evidence = excluded.evidence, last_at = now(),
           times = matters.times + excluded.times`,
    [changes.map(({ run }) => run.id), changes.map(({ life }) => (life.state === 'lost' ? 'run-lost' : 'run-failed'))],
  )
}

/** Opens a matter of a run whose output has changed, or counts it to the open one, if its job asks for that. */
export async function openChanged(tx: Tx, runId: number, evidence: string): Promise<void> {
  await execute(
    tx,
    `INSERT INTO matters (kind, subject, run_id, agent_id, evidence)
     SELECT 'output-changed', 'job ' || r.job_id, r.id, r.agent_id, $2 FROM runs r JOIN job_versions v ON v.job_id = r.job_id AND v.version = r.job_version
      WHERE r.id = $1 AND v.definition->'watches'->>'matter' = 'true'
     ON CONFLICT (kind, subject) WHERE state <> 'closed' DO UPDATE
       SET run_id = excluded.run_id, agent_id = excluded.agent_id, evidence = excluded.evidence, last_at = now(), times = matters.times + 1`,
    [runId, evidence],
  )
}

/** A step of these flow runs has failed: the flow's one matter names it, from then on and not only at the flow's end. */
export async function openFlowMatters(
  tx: Tx,
  failures: readonly { readonly flowRunId: number; readonly step: number }[],
): Promise<void> {
  if (failures.length === 0) return
  await execute(
    tx,
    // Several runs of one flow, and several steps of one run, may fail at the same moment: of each flow one row, its newest run and the first step of that.
    `INSERT INTO matters (kind, subject, run_id, agent_id, step_run_id, evidence, times)
     SELECT DISTINCT ON (f.job_id) 'run-failed', 'job ' || f.job_id, f.id, r.agent_id, r.id,
            coalesce((SELECT nullif(a.telling_line, '') FROM attempts a WHERE a.run_id = r.id ORDER BY a.number DESC LIMIT 1), r.reason, ''),
            (SELECT count(*) FROM runs x WHERE x.id = ANY($1) AND x.job_id = f.job_id)
       FROM unnest($1::bigint[], $2::int[]) AS u(id, step) JOIN runs f ON f.id = u.id
       JOIN flow_steps s ON s.run_id = u.id AND s.step = u.step LEFT JOIN runs r ON r.id = s.step_run_id
      ORDER BY f.job_id, f.id DESC, u.step
     ON CONFLICT (kind, subject) WHERE state <> 'closed' DO UPDATE
       SET run_id = excluded.run_id, agent_id = excluded.agent_id, step_run_id = excluded.step_run_id, evidence = excluded.evidence, last_at = now(),
           times = matters.times + excluded.times - CASE WHEN matters.run_id = ANY($1) THEN 1 ELSE 0 END`,
    [failures.map((each) => each.flowRunId), failures.map((each) => each.step)],
  )
}

/** A success puts a matter right when it ran again what failed, or did the same job with the same inputs. */
export async function closeMattersOf(tx: Tx, runIds: readonly number[]): Promise<void> {
  if (runIds.length === 0) return
  const closed = await execute(
    tx,
    `UPDATE matters m SET state = 'closed', closed_at = now(), closed_by = '#' || r.id || ' succeeded'
       FROM runs r JOIN runs bad ON bad.job_id = r.job_id AND bad.id <= r.id
      WHERE r.id = ANY($1) AND m.state <> 'closed' AND m.kind IN ('run-failed','run-lost') AND m.subject = 'job ' || r.job_id
        AND bad.id = m.run_id AND r.flow_run_id IS NULL AND (bad.id = r.id OR bad.id = r.again_of OR bad.inputs = r.inputs)`,
    [runIds],
  )
  if (closed > 0) await notify(tx, { matters: true })
}

/** Opens matters for agents that have not called, closes those of agents that call again. Off, draining and revoked agents are not missed. */
export async function watchAgents(): Promise<void> {
  await transaction(async (tx) => {
    const gone = await many<{ id: number; name: string }>(
      tx,
      `INSERT INTO matters (kind, subject, agent_id, evidence)
       SELECT 'agent-away', 'agent ' || a.id, a.id,
              'last heard of ' || to_char(c.last_contact_at AT TIME ZONE 'UTC', 'YYYY-MM-DD HH24:MI:SS') || ' UTC'
         FROM agents a JOIN agent_contacts c ON c.agent_id = a.id
        WHERE a.active AND a.credential_hash IS NOT NULL AND c.last_contact_at < now() - make_interval(secs => $1)
       ON CONFLICT DO NOTHING RETURNING agent_id AS id, '' AS name`,
      [config().awaySeconds],
    )
    for (const { id } of gone)
      await addAgentEvent(tx, id, 'out of reach', `has not called for ${config().awaySeconds} s`)
    const back = await many<{ agentId: number }>(
      tx,
      `UPDATE matters m SET state = 'closed', closed_at = now(),
              closed_by = CASE WHEN a.active AND a.credential_hash IS NOT NULL THEN 'it called again' ELSE 'it is switched off' END
         FROM agents a JOIN agent_contacts c ON c.agent_id = a.id
        WHERE m.kind = 'agent-away' AND m.state <> 'closed' AND m.agent_id = a.id
          AND (NOT a.active OR a.credential_hash IS NULL OR c.last_contact_at >= now() - make_interval(secs => $1))
       RETURNING m.agent_id AS "agentId"`,
      [config().awaySeconds],
    )
    const full = await many<{ id: number; name: string; since: Date; isTold: boolean }>(
      tx,
      `SELECT a.id, a.name, c.full_since AS since, EXISTS (SELECT FROM matters m WHERE m.kind = 'trouble' AND m.subject = 'disk of agent ' || a.id AND m.state <> 'closed') AS "isTold"
         FROM agent_contacts c JOIN agents a ON a.id = c.agent_id WHERE c.full_since IS NOT NULL AND a.active AND a.credential_hash IS NOT NULL`,
    )
    const fresh = full.filter(({ isTold }) => !isTold)
    for (const { id, name, since } of fresh) {
      await addAgentEvent(tx, id, 'disk full', 'takes no new runs')
      await openTrouble(tx, {
        subject: `disk of agent ${id}`,
        title: `The disk of ${name} is full`,
        evidence: `Since ${since.toISOString().slice(0, 19).replace('T', ' ')} UTC it takes no new runs; what it has in hand goes on as far as it can. It goes on by itself when there is room.`,
        agentId: id,
      })
    }
    const roomy = await many<{ subject: string }>(
      tx,
      `SELECT m.subject FROM matters m WHERE m.kind = 'trouble' AND m.subject LIKE 'disk of agent %' AND m.state <> 'closed'
         AND NOT EXISTS (SELECT FROM agent_contacts c JOIN agents a ON a.id = c.agent_id
                          WHERE c.agent_id = m.agent_id AND c.full_since IS NOT NULL AND a.active AND a.credential_hash IS NOT NULL)`,
    )
    if (roomy.length > 0)
      await closeTrouble(
        tx,
        roomy.map(({ subject }) => subject),
        'it has room again',
      )
    if (gone.length + back.length + fresh.length + roomy.length > 0)
      await notify(tx, { matters: true, fleet: true, place: true })
  })
}

export interface MatterRow {
  readonly id: number
  readonly kind:
    | 'run-failed'
    | 'run-lost'
    | 'run-at-risk'
    | 'deadline-at-risk'
    | 'run-late'
    | 'output-changed'
    | 'agent-away'
    | 'trouble'
  readonly state: 'open' | 'taken'
  readonly title: string
  readonly runId: number | null
  /** Of a deadline whose work is still to begin. */
  readonly triggerId: number | null
  /** The work queue that it is about. */
  readonly queueId: number | null
  readonly agentId: number | null
  readonly agentName: string | null
  readonly reason: string
  readonly attempts: number
  readonly maxAttempts: number
  readonly times: number
  readonly evidence: string
  readonly openedAt: string
  readonly lastAt: string
  readonly takenBy: string | null
  readonly takenAt: string | null
  readonly note: string
  readonly held: number
  readonly isFlow: boolean
  /** Of a flow run: whether it still goes on, the step that failed, and how many were passed over because of it. */
  readonly isOpen: boolean
  readonly stepPath: string | null
  readonly stepTitle: string | null
  readonly passedOver: number
  readonly dueAt: string | null
  readonly foreseenAt: string | null
  /** The database was brought back from a back-up. */
  readonly isRestore: boolean
}

/** What needs a person: open before taken, agents out of reach with work in hand first, then the newest. */
export async function listMatters(actor: Actor): Promise<MatterRow[]> {
  requireSomewhere(actor, 'see')
  return many<MatterRow>(
    null,
    `SELECT m.id, m.kind, m.state, coalesce(nullif(m.title, ''), j.title, g.name, '') AS title, m.run_id AS "runId", m.agent_id AS "agentId",
            CASE WHEN m.kind = 'deadline-at-risk' THEN substring(m.subject FROM 'trigger (\\d+)')::bigint END AS "triggerId",
            substring(m.subject FROM '^queue (\\d+)')::bigint AS "queueId", g.name AS "agentName",
            coalesce(r.reason, '') AS reason, coalesce(r.attempts, 0) AS attempts, coalesce(r.max_attempts, 0) AS "maxAttempts", m.times,
            m.evidence, m.opened_at AS "openedAt", m.last_at AS "lastAt", m.taken_by AS "takenBy", m.taken_at AS "takenAt", m.note,
            CASE WHEN m.kind = 'agent-away' THEN
              (SELECT count(*) FROM runs x WHERE x.agent_id = m.agent_id AND x.state = 'running') ELSE 0 END::int AS held,
            coalesce(j.is_flow, false) AS "isFlow", r.id IS NOT NULL AND r.ended_at IS NULL AS "isOpen", s.step_path AS "stepPath",
            -- As in the pictures (distinctTitles): of steps with one job each is told from the others by its name.
            sj.title || CASE WHEN EXISTS (SELECT 1 FROM runs o WHERE o.flow_run_id = s.flow_run_id AND o.job_id = s.job_id AND o.step <> s.step)
                             THEN ' · ' || regexp_replace(s.step_path, '^.*/', '') ELSE '' END AS "stepTitle",
            CASE WHEN j.is_flow THEN (SELECT count(*) FROM flow_steps f WHERE f.run_id = r.id AND f.reason = 'passed-over') ELSE 0 END::int AS "passedOver",
            r.due_at AS "dueAt", r.foreseen_at AS "foreseenAt", m.subject = 'restored' AS "isRestore"
       FROM matters m LEFT JOIN runs r ON r.id = m.run_id LEFT JOIN runs s ON s.id = m.step_run_id LEFT JOIN jobs sj ON sj.id = s.job_id LEFT JOIN jobs j ON j.id = r.job_id AND m.kind <> 'agent-away'
       LEFT JOIN agents g ON g.id = m.agent_id
      WHERE m.state <> 'closed'
      ORDER BY m.state = 'taken', m.kind NOT IN ('agent-away','trouble'), m.kind IN ('run-at-risk','deadline-at-risk'), m.last_at DESC LIMIT 200`,
  )
}

export async function takeMatter(actor: Actor, id: number, note: string): Promise<void> {
  await changeMatter(
    actor,
    id,
    'took',
    `UPDATE matters SET state = 'taken', taken_by = $2, taken_by_id = $4, taken_at = now(), note = $3 WHERE id = $1 AND state <> 'closed' RETURNING subject`,
    [id, actor.name, note, actor.id],
  )
}

export async function closeMatter(actor: Actor, id: number, done = ''): Promise<void> {
  await changeMatter(
    actor,
    id,
    'closed',
    `UPDATE matters SET state = 'closed', closed_by = $2, closed_at = now(), done = $3 WHERE id = $1 AND state <> 'closed' RETURNING subject`,
    [id, actor.name, done],
  )
}

/** What lies in areas whoever may operate there takes; what does not, such as a silent machine, whoever operates the organisation. */
async function requireMatter(tx: Tx, actor: Actor, id: number): Promise<void> {
  requireSomewhere(actor, 'operate')
  const row = await maybeOne<{ runId: number | null; triggerId: number | null; queueId: number | null }>(
    tx,
    `SELECT run_id AS "runId", substring(subject FROM 'trigger (\\d+)')::bigint AS "triggerId", substring(subject FROM '^queue (\\d+)')::bigint AS "queueId" FROM matters WHERE id = $1`,
    [id],
  )
  const { runId = null, triggerId = null, queueId = null } = row ?? {}
  if (runId !== null) await requireOn(tx, actor, 'operate', 'run', runId)
  if (triggerId !== null) await requireOn(tx, actor, 'operate', 'trigger', triggerId)
  if (queueId !== null) await requireOn(tx, actor, 'operate', 'queue', queueId)
  if (runId === null && triggerId === null && queueId === null) requireRight(actor, 'operate')
}

async function changeMatter(actor: Actor, id: number, did: string, sql: string, bind: unknown[]): Promise<void> {
  await transaction(async (tx) => {
    await requireMatter(tx, actor, id)
    const [row] = await many<{ subject: string }>(tx, sql, bind)
    if (!row) throw new Problem('not-now', 'This matter is closed already.')
    await record(tx, actor, did, { type: 'matter', id, title: row.subject })
    await notify(tx, { matters: true })
  })
}
