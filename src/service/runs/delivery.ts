import type { Lease } from '@/agent/protocol'
import { execute, many, transaction } from '@/store/db'
import { applyLives } from './effects'
import { buildLease, type LeaseRow } from './lease'
import { changesFor, lockRuns } from './run-life'

/** An agent, and the connection of this engine that speaks for it. */
export interface Delivery {
  readonly agentId: number
  readonly connection: number
}

export const accountIsGone = (name: string): string =>
  `The account ${name} is gone: the run would have been carried out under the agent’s own account.`

/**
 * Leases handed out to these agents that they have not said they have. Secrets are opened here and nowhere before. A lease that cannot be made is sent to nobody: its run fails and says
 * why, and all others go on.
 */
export async function leasesToDeliver(to: readonly Delivery[]): Promise<{ agentId: number; lease: Lease }[]> {
  const rows = await many<LeaseRow>(
    null,
    `SELECT a.id AS attempt, a.token, a.run_id AS run, a.number AS try, a.agent_id AS "agentId", j.title, v.definition, r.inputs, r.secrets,
            r.account, r.area_id AS "areaId", c.id AS "accountId", c.user_name AS "accountUser", c.secret AS "accountSecret", c.hosts,
            areas_below(c.area_ids) AS "areaIds", c.plain, c.unknown_hosts AS "unknownHosts", r.job_id AS "jobId", r.job_version AS "jobVersion", a.handed_at AS "handedAt", r.created_at AS "createdAt",
            r.cause, r.starter_name AS "starterName", r.for_agent_id AS "forAgentId", r.trigger_id AS "triggerId", r.trigger_version AS "triggerVersion", r.occurrence,
            r.occurrence_day::text AS "occurrenceDay", r.flow_run_id AS "flowRunId", r.step, r.step_path AS "stepPath",
            CASE WHEN b.id IS NOT NULL THEN jsonb_build_object('name', b.name, 'earliest', b.earliest, 'latest', b.latest, 'calendar', b.calendar) END AS robot
       FROM unnest($1::bigint[], $2::bigint[]) AS u(agent_id, connection)
       JOIN agent_contacts k ON k.agent_id = u.agent_id AND k.connection = u.connection
       JOIN attempts a ON a.agent_id = u.agent_id AND a.state = 'handed' JOIN runs r ON r.id = a.run_id JOIN jobs j ON j.id = r.job_id
       JOIN job_versions v ON v.job_id = r.job_id AND v.version = r.job_version LEFT JOIN accounts c ON c.id = r.account_id LEFT JOIN robots b ON b.id = a.robot_id
      ORDER BY a.id LIMIT 2000`,
    [to.map(({ agentId }) => agentId), to.map(({ connection }) => connection)],
  )
  const broken: { runId: number; attempt: number; reason: string }[] = []
  const leases = rows.flatMap((row) => {
    try {
      if (row.account !== null && row.accountId === null) throw new Error(accountIsGone(row.account))
      return [{ agentId: row.agentId, lease: buildLease(row) }]
    } catch (error) {
      broken.push({ runId: row.run, attempt: row.attempt, reason: (error as Error).message })
      return []
    }
  })
  if (broken.length > 0) await failUndeliverable(broken)
  return leases
}

/** These attempts cannot be sent to anybody: their runs have failed, whatever tries they have left. */
async function failUndeliverable(
  broken: readonly { readonly runId: number; readonly attempt: number; readonly reason: string }[],
): Promise<void> {
  await transaction(async (tx) => {
    const atMs = Date.now()
    const runs = await lockRuns(
      tx,
      broken.map(({ runId }) => runId),
    )
    const changes = changesFor(
      runs,
      broken,
      ({ runId, reason }) => ({ id: runId, event: { type: 'undeliverable', atMs, reason } }),
      atMs,
    )
    const done = await applyLives(tx, changes)
    await execute(
      tx,
      `UPDATE attempts a SET state = 'failed', ended_at = now(), reason = u.reason
         FROM unnest($1::bigint[], $2::text[]) AS u(id, reason) WHERE a.id = u.id AND a.state = 'handed' AND a.run_id = ANY($3)`,
      [broken.map(({ attempt }) => attempt), broken.map(({ reason }) => reason), [...done]],
    )
  })
}

/** Stop requests for what runs on these agents. Delivered again and again until the run has ended. */
export async function stopsToDeliver(
  agentIds: readonly number[],
): Promise<{ agentId: number; attempt: number; token: number }[]> {
  return many(
    null,
    `SELECT a.agent_id AS "agentId", a.id AS attempt, a.token FROM attempts a JOIN runs r ON r.id = a.run_id
      WHERE a.agent_id = ANY($1) AND a.state IN ('handed','accepted','running') AND r.stop_asked_by IS NOT NULL`,
    [agentIds],
  )
}
