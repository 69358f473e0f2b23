import { execute, many } from '@/store/db'
import { limit } from '@/store/limits'
import { forgetOldAttempts } from '@/service/people/attempts'

/** Width of a load sample. */
export const SAMPLE_SECONDS = 300

/**
 * Works out anew, from the attempts themselves, how busy each agent was in the stretches since `from`: so a sample is exact also when a report came late,
 * and computing it twice changes nothing.
 */
export async function sampleLoad(from: Date, to: Date): Promise<void> {
  await execute(
    null,
    `INSERT INTO load_samples (at, agent_id, busy_ms)
     SELECT b.at, a.agent_id,
            sum(r.slots * 1000 * extract(epoch FROM least(a.ends, b.at + make_interval(secs => $3)) - greatest(a.begins, b.at)))::bigint
       FROM (SELECT run_id, agent_id, coalesce(started_at, handed_at) AS begins, coalesce(ended_at, $2::timestamptz) AS ends
               FROM attempts
              -- No attempt lasts longer than its time limit of at most 30 days.
              WHERE handed_at > $1::timestamptz - interval '31 days' AND (ended_at IS NULL OR ended_at >= $1)) a
       JOIN runs r ON r.id = a.run_id
       CROSS JOIN LATERAL generate_series(
         date_bin(make_interval(secs => $3), greatest(a.begins, date_bin(make_interval(secs => $3), $1::timestamptz, 'epoch')), 'epoch'),
         least(a.ends, $2::timestamptz), make_interval(secs => $3)) AS b(at)
      WHERE a.ends > b.at
      GROUP BY b.at, a.agent_id
     ON CONFLICT (at, agent_id) DO UPDATE SET busy_ms = excluded.busy_ms`,
    [from, to, SAMPLE_SECONDS],
  )
}

/** The usual length of a job is the median of its last 20 successful runs. Looks at jobs with a run that ended since `since`. */
export async function refreshUsual(since: Date): Promise<void> {
  await execute(
    null,
    `UPDATE jobs j SET usual_ms = u.ms FROM (
       SELECT d.job_id, percentile_disc(0.5) WITHIN GROUP (ORDER BY l.duration_ms) AS ms
         FROM (SELECT DISTINCT job_id FROM runs WHERE ended_at >= $1 AND state = 'succeeded') d
         CROSS JOIN LATERAL (SELECT duration_ms FROM runs r WHERE r.job_id = d.job_id AND r.state = 'succeeded' AND r.duration_ms IS NOT NULL
                              ORDER BY r.id DESC LIMIT 20) l
        GROUP BY d.job_id) u
      WHERE j.id = u.job_id AND j.usual_ms IS DISTINCT FROM u.ms`,
    [since],
  )
}

/** So many are taken off the board in one statement: nobody waits for the rest. */
const CLEARED_AT_ONCE = 5000

/** Takes finished runs off the board when their hours are over, the oldest first. */
export async function clearBoard(): Promise<void> {
  while ((await clearSome()) === CLEARED_AT_ONCE);
}

function clearSome(): Promise<number> {
  return execute(
    null,
    `UPDATE runs r SET cleared_at = now() FROM (
       -- By job, each with its own stretch of the index: what stays on the board is never looked at.
       SELECT x.id FROM (SELECT job_id, version, definition->'keeping'->>'board' AS board, whole_or(definition->'keeping'->>'boardHours', 24) AS hours
                           FROM job_versions WHERE definition->'keeping'->>'board' IN ('after-hours','on-success')) v
       CROSS JOIN LATERAL (
         SELECT r.id, r.job_version, r.state FROM runs r
          WHERE r.job_id = v.job_id AND r.cleared_at IS NULL AND r.flow_run_id IS NULL AND r.ended_at IS NOT NULL
            AND r.ended_at > now() - interval '60 days' AND r.ended_at < now() - make_interval(hours => v.hours)) x
        WHERE x.job_version = v.version AND (v.board = 'after-hours' OR x.state = 'succeeded')
        ORDER BY x.id LIMIT ${CLEARED_AT_ONCE}) old
      WHERE r.id = old.id`,
  )
}

/** Which versions of each the runs say they were made by. */
const VERSIONS_USED = [
  ['job', 'SELECT job_id, job_version FROM runs WHERE job_id IN (SELECT id FROM old)'],
  ['trigger', 'SELECT trigger_id, trigger_version FROM runs WHERE trigger_id IN (SELECT id FROM old)'],
  [
    'calendar',
    `SELECT c.id, (r.calendar_versions ->> c.slug)::int FROM calendars c JOIN runs r ON jsonb_exists(r.calendar_versions, c.slug)
      WHERE c.id IN (SELECT id FROM old)`,
  ],
] as const

/** Versions beyond the newest so many go once no run refers to them, oldest first, some hundred at a time. The runs are looked through once, and only where there are such versions. */
async function forgetOldVersions(): Promise<void> {
  for (const [what, used] of VERSIONS_USED) {
    await execute(
      null,
      `WITH old AS MATERIALIZED (
         SELECT v.${what}_id AS id, v.version FROM ${what}_versions v JOIN ${what}s t ON t.id = v.${what}_id WHERE v.version <= t.version - $1)
       DELETE FROM ${what}_versions v USING (SELECT id, version FROM old EXCEPT ${used} ORDER BY 1, 2 LIMIT 500) gone
        WHERE v.${what}_id = gone.id AND v.version = gone.version`,
      [limit('versions_kept')],
    )
  }
}

/** Removes output and runs whose keeping is over, some thousand at a time; returns how many rows went. */
export async function purge(): Promise<number> {
  const output = await execute(
    null,
    `WITH old AS (
       SELECT a.id FROM attempts a JOIN runs r ON r.id = a.run_id JOIN job_versions v ON v.job_id = r.job_id AND v.version = r.job_version
        WHERE NOT a.output_purged AND a.ended_at < now() - make_interval(days => whole_or(v.definition->'keeping'->>'outputDays', 60))
        LIMIT 2000),
     gone AS (DELETE FROM output_chunks c USING old WHERE c.attempt_id = old.id)
     UPDATE attempts a SET output_purged = true FROM old WHERE a.id = old.id`,
  )
  const runs = await many<{ id: number }>(
    null,
    `DELETE FROM runs WHERE id IN (
       SELECT r.id FROM runs r JOIN job_versions v ON v.job_id = r.job_id AND v.version = r.job_version
        -- Runs of steps go with their flow's.
        WHERE r.flow_run_id IS NULL AND r.ended_at < now() - make_interval(days => whole_or(v.definition->'keeping'->>'historyDays', 400))
        ORDER BY r.ended_at LIMIT 2000) RETURNING id`,
  )
  await forgetOldAttempts()
  await forgetOldVersions()
  await execute(null, 'DELETE FROM audit WHERE at < now() - make_interval(days => $1)', [limit('audit_days')])
  await execute(null, 'DELETE FROM agent_events WHERE at < now() - make_interval(days => $1)', [
    limit('agent_event_days'),
  ])
  await execute(
    null,
    `DELETE FROM report_results r USING reports d WHERE d.id = r.report_id AND r.ended_at < now() - make_interval(days => d.keep_days)`,
  )
  await execute(null, `DELETE FROM not_started WHERE at < now() - interval '400 days'`)
  await execute(null, `DELETE FROM letters WHERE expires_at < now() - interval '30 days'`)
  await execute(null, `DELETE FROM load_samples WHERE at < now() - interval '400 days'`)
  await execute(null, `DELETE FROM told_deadlines WHERE due_at < now() - interval '400 days'`)
  await execute(null, `DELETE FROM found_attempts WHERE found_at < now() - interval '60 days'`)
  await execute(
    null,
    `UPDATE settings SET value = 'null' WHERE key = 'restored' AND (value->>'at')::timestamptz < now() - interval '60 days'`,
  )
  await execute(null, `DELETE FROM refused_reports WHERE last_at < now() - interval '60 days'`)
  return output + runs.length
}
