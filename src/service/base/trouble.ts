import { clipText } from '@/core/schema/plain-text'
import { execute, type Tx } from '@/store/db'

export interface Trouble {
  /** One open matter for each. */
  readonly subject: string
  /** One sentence: what it means for the work. */
  readonly title: string
  /** One line: what was seen. */
  readonly evidence: string
  readonly agentId?: number | null
  readonly runId?: number | null
}

/** Opens a matter about something that is neither a run that failed nor an agent that is silent, or counts it to the one that is open. */
export async function openTrouble(tx: Tx | null, { subject, title, evidence, agentId, runId }: Trouble): Promise<void> {
  await execute(
    tx,
    `INSERT INTO matters (kind, subject, title, evidence, agent_id, run_id) VALUES ('trouble', $1, $2, $3, $4, $5)
     ON CONFLICT (kind, subject) WHERE state <> 'closed' DO UPDATE
       SET title = excluded.title, evidence = excluded.evidence, run_id = excluded.run_id, last_at = now(), times = matters.times + 1`,
    [subject, clipText(title, 300), clipText(evidence, 1000), agentId ?? null, runId ?? null],
  )
}

/** The trouble is over: why is said in a few words. */
export async function closeTrouble(tx: Tx | null, subjects: readonly string[], why: string): Promise<number> {
  return execute(
    tx,
    `UPDATE matters SET state = 'closed', closed_at = now(), closed_by = $2 WHERE kind = 'trouble' AND subject = ANY($1) AND state <> 'closed'`,
    [subjects, why],
  )
}
