import { many } from '@/store/db'

/** An end is another than usual from this share of the usual length on, and from so many seconds on. */
const OFF_SHARE = 0.25
const OFF_SECONDS = 60

/** Whether any of these runs went otherwise than a forecast had to think: held or let go, failed, started by a person, or ended much earlier or later than usual. */
export async function bearsOnForecast(runIds: readonly number[]): Promise<boolean> {
  const rows = await many(
    null,
    `SELECT 1 FROM runs r JOIN jobs j ON j.id = r.job_id
      WHERE r.id = ANY($1)
        AND (r.held_by IS NOT NULL OR r.state IN ('failed','lost','cancelled') OR r.cause <> 'trigger' AND r.flow_run_id IS NULL AND r.started_at IS NULL
             OR r.state = 'succeeded' AND r.kind <> 'flow' AND abs(r.duration_ms - coalesce(j.usual_ms, r.duration_ms)) > greatest(${OFF_SECONDS * 1000}, ${OFF_SHARE} * coalesce(j.usual_ms, 0)))
      LIMIT 1`,
    [runIds],
  )
  return rows.length > 0
}
