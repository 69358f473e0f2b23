import { execute, many, transaction } from '@/store/db'
import { notify } from '@/store/listen'
import { DEFAULT_USUAL_MS } from './leases'

/** How a run stands with the time by which it is to finish. */
export type DeadlineState = 'at-risk' | 'late'

/**
 * When runs with a deadline will end by usual lengths: what runs takes as long as usual, or until now if it took longer already; what waits begins now; a flow
 * ends when the longest chain of what is open of it does.
 */
const FORESEEN = `
  SELECT r.id, r.due_at,
         CASE WHEN r.kind <> 'flow' OR r.started_at IS NULL
              THEN greatest(now(), r.start_after, r.started_at + j.usual)
                   + CASE WHEN r.started_at IS NULL THEN j.usual ELSE interval '0' END
              ELSE coalesce((SELECT max(greatest(now(), s.started_at + u.usual) + CASE WHEN s.started_at IS NULL THEN u.usual ELSE interval '0' END
                                        + greatest(interval '0', coalesce(s.chain_ms, 0) * interval '1 millisecond' - u.usual))
                               FROM runs s JOIN jobs k ON k.id = s.job_id
                               CROSS JOIN LATERAL (SELECT coalesce(k.usual_ms, $1) * interval '1 millisecond' AS usual) u
                              WHERE s.flow_run_id = r.id AND s.state IN ('waiting','ready','running')), now())
          END AS foreseen
    FROM runs r CROSS JOIN LATERAL (SELECT coalesce(w.usual_ms, $1) * interval '1 millisecond' AS usual FROM jobs w WHERE w.id = r.job_id) j
   WHERE r.due_at IS NOT NULL AND r.flow_run_id IS NULL AND r.state IN ('waiting','ready','running')`

/** Looks at every open run that has a deadline: at risk as soon as usual lengths say so, late when it is; each in one matter, which ends with its cause. */
export async function watchDeadlines(): Promise<void> {
  await transaction(async (tx) => {
    const changed = await many<{ id: number; state: DeadlineState | null }>(
      tx,
      `WITH foreseen AS (${FORESEEN}), stands AS (
         -- To the full minute, so that what waits is not written anew with every look.
         SELECT id, date_trunc('minute', foreseen + interval '59.999999 seconds') AS foreseen, CASE WHEN due_at <= now() THEN 'late' WHEN foreseen > due_at THEN 'at-risk' END AS state FROM foreseen)
       UPDATE runs r SET deadline_state = s.state, foreseen_at = s.foreseen
         FROM stands s JOIN (
           SELECT r.id FROM runs r JOIN stands s ON s.id = r.id
            WHERE r.deadline_state IS DISTINCT FROM s.state OR s.state = 'at-risk' AND r.foreseen_at IS DISTINCT FROM s.foreseen
            ORDER BY r.id FOR NO KEY UPDATE OF r) l ON l.id = s.id
        WHERE r.id = l.id
       RETURNING r.id, s.state`,
      [DEFAULT_USUAL_MS],
    )
    const opened = await execute(
      tx,
      `INSERT INTO matters (kind, subject, run_id, evidence)
       SELECT 'run-' || deadline_state, 'run ' || id, id, '' FROM runs WHERE id = ANY($1) AND deadline_state IS NOT NULL
       ON CONFLICT (kind, subject) WHERE state <> 'closed' DO NOTHING`,
      [changed.map(({ id }) => id)],
    )
    const closed = await execute(
      tx,
      `UPDATE matters m SET state = 'closed', closed_at = now(),
              closed_by = CASE WHEN r.ended_at IS NOT NULL THEN 'it ended' WHEN r.deadline_state = 'late' THEN 'it is late' ELSE 'it will be in time' END
         FROM runs r
        WHERE r.id = m.run_id AND m.kind IN ('run-at-risk','run-late') AND m.state <> 'closed'
          AND (r.ended_at IS NOT NULL OR m.kind IS DISTINCT FROM 'run-' || r.deadline_state)`,
    )
    if (opened + closed > 0) await notify(tx, { matters: true })
  })
}
