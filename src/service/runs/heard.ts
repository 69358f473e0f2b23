import type { LineHealth } from '@/core/fleet/line-health'
import { config } from '@/store/config'
import { execute, many, transaction, type Tx } from '@/store/db'

// Whoever changes several rows that others change too locks them first, in the order of their numbers: so each waits for the other at most once, never in a circle.
export const CONTACTS_IN_ORDER =
  'SELECT agent_id FROM agent_contacts WHERE agent_id = ANY($1) ORDER BY agent_id FOR NO KEY UPDATE'

export interface Heard {
  readonly agentId: number
  /** The connection it was heard over. */
  readonly connection: number
  readonly load: number | null
  /** Its disk is full. */
  readonly full?: boolean
  /** How its machine is; null: it does not say. */
  readonly measures?: Readonly<Record<string, number>> | null
  readonly line?: LineHealth | null
}

/**
 * Agents that were heard of just now: remembers it, and extends all their leases. Only a connection that still speaks for its agent counts; returned are the agents of which that is so. What
 * was closed or replaced meanwhile must not make the dead look alive.
 */
export async function extendLeases(heard: readonly Heard[]): Promise<Set<number>> {
  return transaction(async (tx) => {
    const held = await many<{ agentId: number }>(
      tx,
      `UPDATE agent_contacts c SET last_contact_at = now(), load = u.load, full_since = CASE WHEN u.is_full THEN coalesce(c.full_since, now()) END, measures = u.measures, line = u.line
         FROM (${CONTACTS_IN_ORDER}) l JOIN unnest($1::bigint[], $2::real[], $3::bigint[], $4::bool[], $5::jsonb[], $6::jsonb[]) AS u(agent_id, load, connection, is_full, measures, line) ON u.agent_id = l.agent_id
        WHERE c.agent_id = l.agent_id AND c.connection = u.connection RETURNING c.agent_id AS "agentId"`,
      [
        heard.map((h) => h.agentId),
        heard.map((h) => h.load),
        heard.map((h) => h.connection),
        heard.map((h) => h.full ?? false),
        heard.map((h) => (h.measures ? JSON.stringify(h.measures) : null)),
        heard.map((h) => (h.line ? JSON.stringify(h.line) : null)),
      ],
    )
    const ids = held.map(({ agentId }) => agentId)
    await execute(
      tx,
      `UPDATE attempts a SET lease_until = now() + make_interval(secs => $2)
         FROM (SELECT id FROM attempts WHERE agent_id = ANY($1) AND state IN ('handed','accepted','running') ORDER BY id FOR NO KEY UPDATE) l
        WHERE a.id = l.id`,
      [ids, config().leaseSeconds],
    )
    return new Set(ids)
  })
}

export async function openAttemptsOf(
  tx: Tx | null,
  agentId: number,
): Promise<{ attempt: number; token: number; state: string; reportSeq: number }[]> {
  return many(
    tx,
    `SELECT id AS attempt, token, state, report_seq AS "reportSeq" FROM attempts WHERE agent_id = $1 AND state IN ('handed','accepted','running')`,
    [agentId],
  )
}
