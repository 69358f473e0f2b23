import { execute, many, maybeOne, type Tx } from '@/store/db'

/** The lead is a lease: a leader that has not renewed it for so long has lost it, whatever it thinks. */
export const LEAD_SECONDS = 12

/** The leader's right to hand out: a hand-out under an older epoch changes nothing. */
export async function takeLeadership(engineId: string): Promise<number> {
  const rows = await many<{ epoch: number }>(
    null,
    'UPDATE leadership SET epoch = epoch + 1, engine_id = $1, lease_until = now() + make_interval(secs => $2) RETURNING epoch',
    [engineId, LEAD_SECONDS],
  )
  return rows[0]?.epoch ?? 0
}

/** Said by the loop that does the leader's work. Throws when another leads by now. */
export async function renewLeadership(epoch: number): Promise<void> {
  const renewed = await execute(
    null,
    'UPDATE leadership SET lease_until = now() + make_interval(secs => $2) WHERE epoch = $1',
    [epoch, LEAD_SECONDS],
  )
  if (renewed === 0) throw new LeadershipLost()
}

/** Whether whoever leads has let its lease run out: it hangs, or cannot reach the database. */
export async function isLeadFree(): Promise<boolean> {
  return (await maybeOne(null, 'SELECT 1 FROM leadership WHERE lease_until < now()')) !== undefined
}

export class LeadershipLost extends Error {}

/** The transaction is the leader's or fails: a new leader waits for it (FOR SHARE), and under an older epoch nothing is done. */
export async function lockLead(tx: Tx, epoch: number): Promise<void> {
  const leads = await maybeOne(tx, 'SELECT epoch FROM leadership WHERE epoch = $1 FOR SHARE', [epoch])
  if (!leads) throw new LeadershipLost()
}
