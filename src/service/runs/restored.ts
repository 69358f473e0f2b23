import { createHmac, timingSafeEqual } from 'node:crypto'
import { execute, many, transaction, type Tx } from '@/store/db'
import { notify } from '@/store/listen'
import { keyFor } from '@/store/seal'
import { openTrouble } from '@/service/base/trouble'
import { readSetting, writeSetting } from '@/service/base/settings'

/** The newest attempt that an agent was ever handed. */
export interface Seen {
  readonly attempt: number
  readonly token: number
  readonly run: number
  readonly proof: string
}

/** By which this server knows its own work again, also when its database does not know of it: no agent can make one up. */
export function proofOf({ attempt, token, run }: Omit<Seen, 'proof'>): string {
  return createHmac('sha256', keyFor('proof of a lease')).update(`${attempt} ${token} ${run}`).digest('base64url')
}

function isOurs(seen: Seen): boolean {
  const [given, right] = [Buffer.from(seen.proof), Buffer.from(proofOf(seen))]
  return given.length === right.length && timingSafeEqual(given, right)
}

/** What numbers were given out last, as far as the database knows. */
async function lastNumbers(tx: Tx | null): Promise<{ token: number; attempt: number; run: number }> {
  const [row] = await many<{ token: number; attempt: number; run: number }>(
    tx,
    `SELECT (SELECT last_value FROM lease_tokens) AS token, (SELECT last_value FROM attempts_id_seq) AS attempt,
            (SELECT last_value FROM runs_id_seq) AS run`,
  )
  return row ?? { token: 0, attempt: 0, run: 0 }
}

/** Numbers that were given out since the back-up are not known: so many are passed over, so that none comes twice. */
const PASSED_OVER = 1_000_000

/**
 * Looks whether an agent has seen work that this database does not know of: then it was restored from a back-up. Starts by triggers are switched off, so that what was started since is not started
 * again, and a person is told; numbers go on beyond those that were seen. True: it was found now.
 */
export async function noteSeen(agent: string, seen: Seen): Promise<boolean> {
  if (seen.token <= (await lastNumbers(null)).token || !isOurs(seen)) return false
  return transaction(async (tx) => {
    await execute(tx, 'LOCK TABLE settings IN SHARE ROW EXCLUSIVE MODE')
    const last = await lastNumbers(tx)
    if (seen.token <= last.token) return false
    await markRestored(
      tx,
      `${agent} carried out run #${seen.run}, and this database knows no run beyond #${last.run}.`,
      seen,
    )
    return true
  })
}

/** No agent was heard of for so long: there was an outage, or the database is an old one. */
const SILENT_SECONDS = 60
/** Within this time after an engine is there every agent that can has called. */
const CALL_SECONDS = 12

/** From when on a new leader starts what is due: at once, or once agents had the time to call and to say what they have seen. Milliseconds since the epoch. */
export async function firstFiringMs(sinceMs: number): Promise<number> {
  const [row] = await many<{ silent: boolean | null }>(
    null,
    `SELECT max(last_contact_at) < now() - make_interval(secs => $1) AS silent FROM agent_contacts`,
    [SILENT_SECONDS],
  )
  return row?.silent ? sinceMs + CALL_SECONDS * 1000 : sinceMs
}

/** A person says that the database was restored: the same, without waiting for an agent that has seen more. */
export const sayRestored = (): Promise<void> =>
  transaction((tx) => markRestored(tx, 'It was said by “bugle restored”.', { attempt: 0, token: 0, run: 0 }))

/** Who holds what had not begun at the back-up: it may have run since. */
export const HELD_BY_RESTORE = 'the restored database'

async function markRestored(tx: Tx, evidence: string, seen: Omit<Seen, 'proof'>): Promise<void> {
  const last = await lastNumbers(tx)
  const before = await readSetting(tx, 'restored')
  await writeSetting(tx, 'restored', {
    at: new Date().toISOString(),
    from: Math.min(before?.from ?? Infinity, last.token),
    to: Math.max(last.token, seen.token) + PASSED_OVER,
  })
  for (const [sequence, number] of [
    ['lease_tokens', seen.token],
    ['attempts_id_seq', seen.attempt],
    ['runs_id_seq', seen.run],
  ] as const)
    await execute(tx, `SELECT setval($1::regclass, greatest((SELECT last_value FROM ${sequence}), $2::bigint) + $3)`, [
      sequence,
      number,
      PASSED_OVER,
    ])
  const starts = await readSetting(tx, 'starts')
  if (starts.on)
    await writeSetting(tx, 'starts', {
      on: false,
      by: 'Bugle',
      at: new Date().toISOString(),
      note: 'The database was restored from a back-up: look at what ran since, then switch starts on again',
    })
  await execute(
    tx,
    `UPDATE runs r SET held_by = $1, version = version + 1
       FROM (SELECT id FROM runs WHERE state IN ('waiting','ready') AND held_by IS NULL ORDER BY id FOR NO KEY UPDATE) o WHERE r.id = o.id`,
    [HELD_BY_RESTORE],
  )
  await execute(
    tx,
    `UPDATE flow_steps s SET held_by = $1 FROM runs r
      WHERE r.id = s.run_id AND r.state IN ('waiting','ready','running') AND s.state IN ('waiting','ready') AND s.held_by IS NULL`,
    [HELD_BY_RESTORE],
  )
  await openTrouble(tx, {
    subject: 'restored',
    title: 'The database was restored from a back-up',
    evidence: `${evidence} Starts by triggers are off, and what had not begun is held, so that nothing is done a second time. Timing → Since the back-up shows what agents did meanwhile, and takes it into the record.`,
  })
  await notify(tx, { timing: true, matters: true })
}
