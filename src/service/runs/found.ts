import { execute, many, type Tx } from '@/store/db'
import { notify } from '@/store/listen'
import { readSetting } from '@/service/base/settings'
import { readReceipt } from './receipts'

/** Attempts that an agent has carried out, or has in hand, and that a restored database does not know of: they are asked about, told to a person, and wait until one says what becomes of them. */
export interface Found {
  readonly attempt: number
  readonly token: number
}

/** As an agent tells of it. */
export interface Told extends Found {
  /** It has it in hand: its command may still be at work. */
  readonly goesOn: boolean
}

/** An agent tells of no more than this. */
const MOST_OF_AN_AGENT = 5000

/** Notes what of an agent's attempts was begun after the back-up; those that it is to be asked about. Nothing, where nothing was restored. */
export async function noteFound(agentId: number, attempts: readonly Told[]): Promise<number[]> {
  const restored = await readSetting(null, 'restored')
  if (restored === null) return []
  const since = attempts.filter(({ token }) => token > restored.from && token <= restored.to).slice(-MOST_OF_AN_AGENT)
  if (since.length === 0) return []
  const asked = await many<{ attempt: number }>(
    null,
    `WITH new AS (
       INSERT INTO found_attempts (attempt, token, agent_id, goes_on)
       SELECT u.attempt, u.token, $3, u.goes_on FROM unnest($1::bigint[], $2::bigint[], $4::bool[]) AS u(attempt, token, goes_on)
        WHERE NOT EXISTS (SELECT 1 FROM attempts a WHERE a.id = u.attempt AND a.token = u.token)
          AND (SELECT count(*) FROM found_attempts f WHERE f.agent_id = $3) < ${MOST_OF_AN_AGENT}
       ON CONFLICT (agent_id, attempt, token) DO UPDATE SET goes_on = excluded.goes_on WHERE found_attempts.state IN ('asked', 'told')
       RETURNING attempt, state)
     SELECT attempt FROM new WHERE state = 'asked' UNION SELECT attempt FROM found_attempts WHERE agent_id = $3 AND state = 'asked' ORDER BY 1`,
    [since.map(({ attempt }) => attempt), since.map(({ token }) => token), agentId, since.map(({ goesOn }) => goesOn)],
  )
  return asked.map(({ attempt }) => attempt)
}

/** What an agent said of the attempts it was asked about. What this server did not sign is nobody's word. */
export async function storeReceipts(agentId: number, texts: readonly string[]): Promise<void> {
  const receipts = texts.flatMap((text) => readReceipt(text) ?? []).filter(({ agent }) => agent === agentId)
  if (receipts.length === 0) return
  await execute(
    null,
    `UPDATE found_attempts f SET state = 'told', receipt = u.receipt
       FROM unnest($2::bigint[], $3::bigint[], $4::jsonb[]) AS u(attempt, token, receipt)
      WHERE f.attempt = u.attempt AND f.token = u.token AND f.agent_id = $1 AND f.state = 'asked'`,
    [
      agentId,
      receipts.map(({ attempt }) => attempt),
      receipts.map(({ token }) => token),
      receipts.map((receipt) => JSON.stringify(receipt)),
    ],
  )
  await notify(null, { matters: true })
}

/**
 * Of these attempts, which the record did not have a moment ago, those that a person has yet to decide about, or has taken into the record since that look: what is reported of them is neither kept nor
 * refused, and told again.
 */
export async function undecided(
  tx: Tx,
  attempts: readonly (Found & { readonly agentId: number })[],
): Promise<(Found & { readonly agentId: number })[]> {
  if (attempts.length === 0) return []
  return many(
    tx,
    `SELECT f.agent_id AS "agentId", f.attempt, f.token FROM found_attempts f
       JOIN unnest($1::bigint[], $2::bigint[], $3::bigint[]) AS u(agent_id, attempt, token) USING (agent_id, attempt, token)
      WHERE f.state IN ('asked', 'told') OR EXISTS (SELECT 1 FROM attempts a WHERE a.id = f.attempt AND a.token = f.token)`,
    [
      attempts.map(({ agentId }) => agentId),
      attempts.map(({ attempt }) => attempt),
      attempts.map(({ token }) => token),
    ],
  )
}

/** Attempts that were taken into the record, whose reports these agents are to send again; each is named once. */
export async function recalls(agentIds: readonly number[]): Promise<(Found & { readonly agentId: number })[]> {
  if (agentIds.length === 0) return []
  return many(
    null,
    `UPDATE found_attempts SET state = 'recalled' WHERE state = 'taken' AND agent_id = ANY($1)
     RETURNING attempt, token, agent_id AS "agentId"`,
    [agentIds],
  )
}
