import { config } from '@/store/config'
import { execute, transaction, type Tx } from '@/store/db'
import { applyLives } from './effects'
import { CONTACTS_IN_ORDER } from './heard'
import { lockLead } from './leadership'
import { changesFor, lockRuns, type LifeChange } from './run-life'

export interface HandOut {
  readonly runId: number
  readonly agentId: number
  /** The robot on its machine that takes it; missing: the agent does. */
  readonly robotId?: number | null
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
      ({ runId, agentId, robotId }) => ({
        id: runId,
        event: { type: 'handedOut', atMs },
        more: { agentId, robotId: robotId ?? null },
      }),
      atMs,
    )
    const done = await applyLives(tx, changes)
    const given = changes.filter((c) => done.has(c.run.id))
    if (given.length === 0) return done
    await execute(
      tx,
      `INSERT INTO attempts (run_id, number, agent_id, robot_id, state, lease_until, handed_at)
       SELECT u.run_id, u.number, u.agent_id, u.robot_id, 'handed', to_timestamp($4) + make_interval(secs => $5), to_timestamp($4)
         FROM unnest($1::bigint[], $2::int[], $3::bigint[], $6::bigint[]) AS u(run_id, number, agent_id, robot_id)`,
      [
        given.map((c) => c.run.id),
        given.map((c) => c.life.attempts),
        given.map((c) => c.agentId),
        atMs / 1000,
        config().leaseSeconds,
        given.map((c) => c.robotId),
      ],
    )
    const robots = given.flatMap((c) => c.robotId ?? [])
    if (robots.length > 0) await giveToRobots(tx, given, atMs)
    await execute(
      tx,
      `UPDATE agent_contacts c SET last_start_at = to_timestamp($2) FROM (${CONTACTS_IN_ORDER}) l WHERE c.agent_id = l.agent_id`,
      [[...new Set(given.map((c) => c.agentId))], atMs / 1000],
    )
    return done
  })
}

/** A robot task runs under its robot's account, which may be another one at each attempt. */
async function giveToRobots(tx: Tx, given: readonly LifeChange[], atMs: number): Promise<void> {
  const robots = given.filter((c) => c.robotId !== null)
  await execute(
    tx,
    `UPDATE runs r SET account = c.name, account_id = c.id
       FROM unnest($1::bigint[], $2::bigint[]) AS u(run_id, robot_id) JOIN robots b ON b.id = u.robot_id JOIN accounts c ON c.id = b.account_id WHERE r.id = u.run_id`,
    [robots.map((c) => c.run.id), robots.map((c) => c.robotId)],
  )
  await execute(
    tx,
    `UPDATE robots b SET last_start_at = to_timestamp($2) FROM (SELECT id FROM robots WHERE id = ANY($1) ORDER BY id FOR NO KEY UPDATE) l WHERE b.id = l.id`,
    [robots.map((c) => c.robotId), atMs / 1000],
  )
}
