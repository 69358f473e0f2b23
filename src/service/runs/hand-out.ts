import { config } from '@/store/config'
import { execute, transaction } from '@/store/db'
import { applyLives } from './effects'
import { CONTACTS_IN_ORDER } from './heard'
import { lockLead } from './leadership'
import { changesFor, lockRuns } from './run-life'

export interface HandOut {
  readonly runId: number
  readonly agentId: number
}

/** Gives ready runs to agents: each gets a new attempt under a new fencing token. Returns the runs that were really handed out. */
export async function handOut(epoch: number, starts: readonly HandOut[]): Promise<Set<number>> {
  return transaction(async (tx) => {
    await lockLead(tx, epoch)
    const runs = await lockRuns(
      tx,
      starts.map((s) => s.runId),
    )
    const atMs = Date.now()
    const changes = changesFor(
      runs,
      starts,
      ({ runId, agentId }) => ({ id: runId, event: { type: 'handedOut', atMs }, more: { agentId } }),
      atMs,
    )
    const done = await applyLives(tx, changes)
    const given = changes.filter((c) => done.has(c.run.id))
    if (given.length === 0) return done
    await execute(
      tx,
      `INSERT INTO attempts (run_id, number, agent_id, state, lease_until, handed_at)
       SELECT u.run_id, u.number, u.agent_id, 'handed', to_timestamp($4) + make_interval(secs => $5), to_timestamp($4)
         FROM unnest($1::bigint[], $2::int[], $3::bigint[]) AS u(run_id, number, agent_id)`,
      [
        given.map((c) => c.run.id),
        given.map((c) => c.life.attempts),
        given.map((c) => c.agentId),
        atMs / 1000,
        config().leaseSeconds,
      ],
    )
    await execute(
      tx,
      `UPDATE agent_contacts c SET last_start_at = to_timestamp($2) FROM (${CONTACTS_IN_ORDER}) l WHERE c.agent_id = l.agent_id`,
      [[...new Set(given.map((c) => c.agentId))], atMs / 1000],
    )
    return done
  })
}
