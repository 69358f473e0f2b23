import { clipText } from '@/core/schema/plain-text'
import { execute, type Tx } from '@/store/db'

export interface Refusal {
  readonly agentId: number
  readonly attempt: number
  readonly kind: 'stale' | 'unstorable' | 'superseded'
  readonly why: string
}

/** Counts what was refused, one row for each attempt and kind. What an agent says of attempts that are not its own counts together, so that it cannot make rows without end. */
export async function countRefused(tx: Tx | null, refused: readonly Refusal[]): Promise<void> {
  if (refused.length === 0) return
  await execute(
    tx,
    `INSERT INTO refused_reports AS k (agent_id, attempt_id, kind, reason, times)
     SELECT u.agent_id, coalesce(a.id, 0), u.kind, max(u.why), count(*)
       FROM unnest($1::bigint[], $2::bigint[], $3::text[], $4::text[]) AS u(agent_id, attempt_id, kind, why)
       LEFT JOIN attempts a ON a.id = u.attempt_id AND a.agent_id = u.agent_id
      GROUP BY 1, 2, 3 ORDER BY 1, 2, 3
     ON CONFLICT (agent_id, attempt_id, kind) DO UPDATE SET times = k.times + excluded.times, last_at = now(), reason = excluded.reason`,
    [
      refused.map((r) => r.agentId),
      refused.map((r) => r.attempt),
      refused.map((r) => r.kind),
      refused.map((r) => clipText(r.why, 500)),
    ],
  )
}
