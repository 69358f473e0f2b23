import { seededRandom } from '@/core/stats/random'
import { COMMAND_LINE } from '@/service/base/actor'
import { addQueueIn } from '@/service/queues/queues'
import { execute, many, one, type Tx } from '@/store/db'
import { NAMES, REASONS, refundOutcome, REFUNDS, SCHEMA } from './refunds'
import { CLOSED_AREA } from './scenario'

/** The queue, as Moira Calder made it. */
export async function addRefundQueue(tx: Tx): Promise<void> {
  const area = await one<{ id: number }>(tx, 'SELECT id FROM areas WHERE title = $1', [CLOSED_AREA.title])
  await addQueueIn(
    tx,
    { ...COMMAND_LINE, name: 'Moira Calder' },
    {
      title: REFUNDS.title,
      notes: 'Bookings to be paid back, each by its number. The desks take them; what they reject a person mends.',
      areaId: area.id,
      tries: 3,
      delaySeconds: 60,
      keys: 'open',
      schema: SCHEMA,
      keepDays: 90,
      mostRejected: 5,
      active: true,
    },
    REFUNDS.slug,
  )
}

const WAITING = 9
const DAYS = 7

/** A week of refunds: what each run of the desks took, what was rejected, and what waits now. */
export async function addPastRefunds(now: Date, seed: number): Promise<void> {
  const random = seededRandom(seed)
  const queue = await one<{ id: number }>(null, 'SELECT id FROM queues WHERE slug = $1', [REFUNDS.slug])
  const runs = await many<{ attempt: number; run: number; agent: string; robot: string; from: Date; to: Date }>(
    null,
    `SELECT a.id AS attempt, a.run_id AS run, g.name AS agent, b.name AS robot, a.started_at AS from, a.ended_at AS to
       FROM attempts a JOIN runs r ON r.id = a.run_id JOIN jobs j ON j.id = r.job_id JOIN agents g ON g.id = a.agent_id JOIN robots b ON b.id = a.robot_id
      WHERE j.title = 'Refund' AND a.state = 'succeeded' AND a.ended_at > $1 ORDER BY a.started_at`,
    [new Date(now.getTime() - DAYS * 86_400_000)],
  )
  let number = 40_100
  const rows = runs.flatMap((run) => {
    const length = run.to.getTime() - run.from.getTime()
    const count = 1 + Math.floor(random() * REFUNDS.perRun)
    return Array.from({ length: count }, (_, i) => {
      const at = run.from.getTime() + (length * i) / count
      return {
        ...refund((number += 1 + Math.floor(random() * 5))),
        run,
        takenAt: at,
        endedAt: at + (length / count) * 0.95,
        cameAt: at - 60_000 - random() * 5_400_000,
      }
    })
  })
  const waiting = Array.from({ length: WAITING }, (_, i) => ({
    ...refund((number += 3)),
    run: null,
    takenAt: null,
    endedAt: null,
    cameAt: now.getTime() - (WAITING - i) * 240_000,
  }))
  function refund(n: number): { booking: string; data: object } {
    const booking = `MS-${n}`
    const pick = <T>(all: readonly T[]): T => all[Math.floor(random() * all.length)] as T
    const amount = Math.round((4 + random() * 140) * 100) / 100
    return { booking, data: { booking, passenger: pick(NAMES), amount, reason: pick(REASONS) } }
  }
  const all = [...rows, ...waiting].sort((a, b) => a.cameAt - b.cameAt)
  const outcomes = all.map(({ booking }) => refundOutcome(booking))
  const at = (ms: number | null): Date | null => (ms === null ? null : new Date(ms))
  const made = await many<{ id: number }>(
    null,
    `INSERT INTO items (queue_id, key, data, priority, due, state, result, reason, came_by, created_at, ended_at)
     SELECT $1, u.key, u.data, 2, u.due, u.state, u.result, u.reason, 'the booking application', u.came, u.ended
       FROM unnest($2::text[], $3::jsonb[], $4::timestamptz[], $5::text[], $6::jsonb[], $7::text[], $8::timestamptz[], $9::timestamptz[]) WITH ORDINALITY
         AS u(key, data, due, state, result, reason, came, ended, n) ORDER BY u.n RETURNING id`,
    [
      queue.id,
      all.map(({ booking }) => booking),
      all.map(({ data }) => JSON.stringify(data)),
      all.map(({ cameAt }) => at(cameAt + 8 * 3_600_000)),
      all.map(({ run }, i) => (run === null ? 'waiting' : 'why' in (outcomes[i] as object) ? 'rejected' : 'done')),
      all.map(({ run }, i) => (run === null || 'why' in (outcomes[i] as object) ? null : JSON.stringify(outcomes[i]))),
      all.map(({ run }, i) => (run === null ? '' : ((outcomes[i] as { why?: string }).why ?? ''))),
      all.map(({ cameAt }) => at(cameAt)),
      all.map(({ endedAt }) => at(endedAt)),
    ],
  )
  const taken = all.flatMap((one, i) =>
    one.run === null ? [] : [{ ...one, run: one.run, id: made[i]?.id, outcome: outcomes[i] as object }],
  )
  await execute(
    null,
    `INSERT INTO item_takes (item_id, attempt_id, run_id, agent, robot, taken_at, ended_at, outcome, reason)
     SELECT u.item, u.attempt, u.run, u.agent, u.robot, u.taken, u.ended, u.outcome, u.reason
       FROM unnest($1::bigint[], $2::bigint[], $3::bigint[], $4::text[], $5::text[], $6::timestamptz[], $7::timestamptz[], $8::text[], $9::text[])
         AS u(item, attempt, run, agent, robot, taken, ended, outcome, reason) ORDER BY u.taken`,
    [
      taken.map(({ id }) => id),
      taken.map(({ run }) => run.attempt),
      taken.map(({ run }) => run.run),
      taken.map(({ run }) => run.agent),
      taken.map(({ run }) => run.robot),
      taken.map(({ takenAt }) => at(takenAt)),
      taken.map(({ endedAt }) => at(endedAt)),
      taken.map(({ outcome }) => ('why' in outcome ? 'rejected' : 'done')),
      taken.map(({ outcome }) => (outcome as { why?: string }).why ?? ''),
    ],
  )
  // Most of what was rejected a person has looked at since.
  await execute(
    null,
    `UPDATE items SET state = 'withdrawn', reason = reason || '; paid back by hand' WHERE queue_id = $1 AND state = 'rejected' AND ended_at < $2`,
    [queue.id, new Date(now.getTime() - 86_400_000)],
  )
  await execute(
    null,
    `INSERT INTO item_keys SELECT queue_id, key, max(id) FROM items WHERE queue_id = $1 AND state = 'waiting' GROUP BY 1, 2`,
    [queue.id],
  )
}
