import { execute, many, transaction } from '@/store/db'
import { notify } from '@/store/listen'

/** How a run stands with the time by which it is to finish. */
export type DeadlineState = 'at-risk' | 'late'

/** Looks at every open run that has a deadline: late from the instant on at which it is due, in one matter, which ends with its cause. Whether it is at risk the forecast says. */
export async function watchDeadlines(): Promise<void> {
  await transaction(async (tx) => {
    const late = await many<{ id: number }>(
      tx,
      `UPDATE runs r SET deadline_state = 'late' FROM (
         SELECT id FROM runs WHERE due_at <= now() AND flow_run_id IS NULL AND state IN ('waiting','ready','running') AND deadline_state IS DISTINCT FROM 'late'
          ORDER BY id FOR NO KEY UPDATE) l
        WHERE r.id = l.id RETURNING r.id`,
    )
    const opened = await execute(
      tx,
      `INSERT INTO matters (kind, subject, run_id, evidence) SELECT 'run-late', 'run ' || id, id, '' FROM runs WHERE id = ANY($1)
       ON CONFLICT (kind, subject) WHERE state <> 'closed' DO NOTHING`,
      [late.map(({ id }) => id)],
    )
    const closed = await execute(
      tx,
      `UPDATE matters m SET state = 'closed', closed_at = now(), closed_by = CASE WHEN r.ended_at IS NOT NULL THEN 'it ended' ELSE 'it is late' END
         FROM runs r
        WHERE r.id = m.run_id AND m.kind IN ('run-at-risk','run-late') AND m.state <> 'closed'
          AND (r.ended_at IS NOT NULL OR m.kind = 'run-at-risk' AND r.deadline_state = 'late')`,
    )
    if (opened + closed > 0) await notify(tx, { matters: true })
  })
}
