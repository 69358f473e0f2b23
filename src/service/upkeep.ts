import { execute, many } from '@/store/db'
import { limit } from '@/store/limits'
import { forgetOldAttempts } from './attempts'

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

/** Takes finished runs off the board when their hours are over. */
export async function clearBoard(): Promise<void> {
  await execute(
    null,
    `UPDATE runs r SET cleared_at = now() FROM job_versions v
      WHERE v.job_id = r.job_id AND v.version = r.job_version AND r.flow_run_id IS NULL AND r.cleared_at IS NULL AND r.ended_at IS NOT NULL
        AND r.ended_at > now() - interval '60 days' AND v.definition->'keeping'->>'board' IN ('after-hours','on-success')
        AND r.ended_at < now() - make_interval(hours => whole_or(v.definition->'keeping'->>'boardHours', 24))
        AND (v.definition->'keeping'->>'board' = 'after-hours' OR r.state = 'succeeded')`,
  )
}

/** What a version of each is looked for in before it goes: runs say by which version of what they were made. */
const VERSIONED = [
  ['job', 'r.job_id = v.job_id AND r.job_version = v.version'],
  ['trigger', 'r.trigger_id = v.trigger_id AND r.trigger_version = v.version'],
  ['calendar', 'r.calendar_versions ->> (SELECT c.slug FROM calendars c WHERE c.id = v.calendar_id) = v.version::text'],
] as const

/** Versions beyond the newest so many go once no run refers to them, oldest first, some hundred at a time. */
async function forgetOldVersions(): Promise<void> {
  for (const [what, isReferredTo] of VERSIONED) {
    await execute(
      null,
      `DELETE FROM ${what}_versions WHERE (${what}_id, version) IN (
         SELECT v.${what}_id, v.version FROM ${what}_versions v JOIN ${what}s t ON t.id = v.${what}_id
          WHERE v.version <= t.version - $1 AND NOT EXISTS (SELECT FROM runs r WHERE ${isReferredTo})
          ORDER BY v.${what}_id, v.version LIMIT 500)`,
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
  await execute(null, `DELETE FROM not_started WHERE at < now() - interval '400 days'`)
  await execute(null, `DELETE FROM load_samples WHERE at < now() - interval '400 days'`)
  await execute(null, `DELETE FROM refused_reports WHERE last_at < now() - interval '60 days'`)
  return output + runs.length
}
