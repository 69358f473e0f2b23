import { execute, type Tx } from '../db'

/**
 * Tells triggers that wait for the end of such runs. `depth` counts how many runs led to each other up to there: that of the run’s own event and one more, or, of a step, that of the flow that it belongs to.
 *
 * @param runIds runs that have just ended, in this transaction
 * @returns how many events there are to decide
 */
export const tellEnds = (tx: Tx, runIds: readonly number[]): Promise<number> =>
  tell(
    tx,
    runIds,
    { key: 'run ', state: 'r.state' },
    `t.after_when = 'ended' OR (t.after_when = 'succeeded' AND r.state = 'succeeded') OR (t.after_when = 'failed' AND r.state IN ('failed','lost'))`,
  )

/** Tells triggers that wait for another output of these runs. */
export const tellChanged = (tx: Tx, runIds: readonly number[]): Promise<number> =>
  tell(tx, runIds, { key: 'changed ', state: `'changed'` }, `t.after_when = 'changed'`)

/** `key` and `state`, and which triggers: SQL of this file alone. */
async function tell(
  tx: Tx,
  runIds: readonly number[],
  { key, state }: { readonly key: string; readonly state: string },
  fits: string,
): Promise<number> {
  if (runIds.length === 0) return 0
  return execute(
    tx,
    `INSERT INTO trigger_events (trigger_id, key, at, facts, depth)
     SELECT t.id, '${key}' || r.id, coalesce(r.ended_at, now()), jsonb_build_object('run', r.id, 'state', ${state}),
            1 + coalesce((
              WITH RECURSIVE around AS (
                SELECT r.event_id, r.flow_run_id
                UNION ALL SELECT f.event_id, f.flow_run_id FROM around a JOIN runs f ON f.id = a.flow_run_id)
              SELECT max(e.depth) FROM around JOIN trigger_events e ON e.id = around.event_id), 0)
       FROM runs r JOIN triggers t ON t.after_job_id = r.job_id AND t.kind = 'after' AND t.enabled AND t.deleted_at IS NULL AND (${fits})
      WHERE r.id = ANY($1) ORDER BY r.id, t.id
     ON CONFLICT (trigger_id, key) DO NOTHING`,
    [runIds],
  )
}

/** An event as it is shown, from the row `e`: of a run the title of its work with it, if whoever reads may see that; of a call without what it sent. */
export const SHOWN_EVENT = `CASE WHEN e.facts ? 'run'
  THEN e.facts || jsonb_build_object('work', (SELECT j.title FROM runs x JOIN jobs j ON j.id = x.job_id WHERE x.id = (e.facts->>'run')::bigint))
  ELSE e.facts - 'body' END`
/** Something that happened and is told to a trigger. */
export interface ToldEvent {
  readonly triggerId: number
  /** The same happening has the same key. */
  readonly key: string
  readonly at: Date
  readonly facts: object
}

/** Keeps what happened, to be decided; what is known already by its key is left out. Returns the numbers of those that are new. */
export async function keepEvents(tx: Tx, told: readonly ToldEvent[]): Promise<number> {
  if (told.length === 0) return 0
  return execute(
    tx,
    `INSERT INTO trigger_events (trigger_id, key, at, facts)
     SELECT u.trigger, u.key, u.at, u.facts FROM unnest($1::bigint[], $2::text[], $3::timestamptz[], $4::jsonb[]) WITH ORDINALITY AS u(trigger, key, at, facts, n) ORDER BY u.n
     ON CONFLICT (trigger_id, key) DO NOTHING`,
    [
      told.map(({ triggerId }) => triggerId),
      told.map(({ key }) => key),
      told.map(({ at }) => at),
      told.map(({ facts }) => JSON.stringify(facts)),
    ],
  )
}
