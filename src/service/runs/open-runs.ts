import { execute, many, transaction } from '@/store/db'
import { accountIsGone } from './delivery'
import { applyLives, failRuns } from './effects'
import { changesFor, lockRuns } from './run-life'

/** Waiting runs whose time has come are ready. Returns how many. */
export async function releaseDue(): Promise<number> {
  const due = await many<{ id: number }>(
    null,
    `SELECT r.id FROM runs r
      WHERE r.state = 'waiting' AND (r.start_after IS NULL OR r.start_after <= now())
        AND NOT (r.after_earlier AND EXISTS (
              SELECT 1 FROM runs e WHERE e.trigger_id = r.trigger_id AND e.for_agent_id IS NOT DISTINCT FROM r.for_agent_id AND e.id < r.id
                 AND e.state IN ('waiting','ready','running')))
      ORDER BY r.id LIMIT 1000`,
  )
  if (due.length === 0) return 0
  return transaction(async (tx) => {
    const atMs = Date.now()
    const runs = await lockRuns(
      tx,
      due.map((row) => row.id),
    )
    const changes = changesFor(runs, due, ({ id }) => ({ id, event: { type: 'due', atMs } }), atMs)
    return (await applyLives(tx, changes)).size
  })
}

/** Gives up attempts whose lease ran out, or that their agent says it does not have. */
export async function giveUpLost(attemptIds: readonly number[] | 'expired', reason: string): Promise<number[]> {
  const found =
    attemptIds === 'expired'
      ? await many<{ runId: number }>(
          null,
          `SELECT run_id AS "runId" FROM attempts WHERE state IN ('handed','accepted','running') AND lease_until < now() ORDER BY run_id LIMIT 500`,
        )
      : await many<{ runId: number }>(null, 'SELECT run_id AS "runId" FROM attempts WHERE id = ANY($1)', [attemptIds])
  if (found.length === 0) return []
  return transaction(async (tx) => {
    const runs = await lockRuns(
      tx,
      found.map((row) => row.runId),
    )
    // Looked at again under the lock: a heartbeat or a report may have come in between.
    const attempts = await many<{ id: number; runId: number; agentId: number; number: number }>(
      tx,
      `SELECT id, run_id AS "runId", agent_id AS "agentId", number FROM attempts
        WHERE run_id = ANY($1) AND state IN ('handed','accepted','running')
          AND ($2::bigint[] IS NULL AND lease_until < now() OR id = ANY($2)) ORDER BY id FOR NO KEY UPDATE`,
      [[...runs.keys()], attemptIds === 'expired' ? null : attemptIds],
    )
    const atMs = Date.now()
    const changes = changesFor(
      runs,
      attempts,
      ({ runId }) => ({ id: runId, event: { type: 'lost', atMs, reason } }),
      atMs,
    )
    const done = await applyLives(tx, changes)
    await execute(tx, `UPDATE attempts SET state = 'lost', ended_at = now(), reason = $2 WHERE id = ANY($1)`, [
      attempts.map((a) => a.id),
      reason,
    ])
    return [...done]
  })
}

/** Ready runs whose account was taken away from under them can go nowhere: they have failed, and say so. */
export async function failWithoutAccount(): Promise<void> {
  const gone = await many<{ id: number; account: string }>(
    null,
    `SELECT id, account FROM runs WHERE state = 'ready' AND account IS NOT NULL AND account_id IS NULL LIMIT 1000`,
  )
  await failRuns(gone.map(({ id, account }) => ({ id, reason: accountIsGone(account) })))
}

/** Runs that have not started of jobs that were removed, however the two met: they never will, and say so. */
export async function cancelOfRemoved(): Promise<void> {
  const left = await many<{ id: number }>(
    null,
    `SELECT r.id FROM runs r JOIN jobs j ON j.id = r.job_id WHERE r.state IN ('waiting','ready') AND j.deleted_at IS NOT NULL ORDER BY r.id LIMIT 1000`,
  )
  if (left.length === 0) return
  await transaction(async (tx) => {
    const atMs = Date.now()
    const runs = await lockRuns(
      tx,
      left.map(({ id }) => id),
    )
    const by = 'the removal of its job'
    await applyLives(
      tx,
      changesFor(runs, left, ({ id }) => ({ id, event: { type: 'stopAsked', atMs, by } }), atMs),
    )
  })
}
