import { execute, many, maybeOne } from '@/store/db'
import { lastNight } from './shift'

/**
 * Trouble of the night before, in the made-up past: a statement that somebody changed in the afternoon no longer works at night, and the disk of one machine was full for an hour.
 * What failed tells so itself; the rest is for Bugle to find.
 */
export async function addTrouble(now: Date): Promise<void> {
  await changedInTheAfternoon()
  await diskFull(lastNight(now))
}

async function changedInTheAfternoon(): Promise<void> {
  const run = await maybeOne<{ id: number; jobId: number; startedAt: Date }>(
    null,
    `SELECT r.id, r.job_id AS "jobId", r.started_at AS "startedAt" FROM runs r JOIN jobs j ON j.id = r.job_id
      WHERE j.title = 'Largest tables' AND r.state = 'succeeded' ORDER BY r.id DESC LIMIT 1`,
  )
  if (!run) return
  const afternoon = new Date(run.startedAt.getTime() - 12.5 * 3_600_000)
  await execute(
    null,
    `INSERT INTO job_versions (job_id, version, definition, saved_by, saved_at)
     SELECT job_id, 2, jsonb_set(definition, '{action,statement}', to_jsonb(replace(definition->'action'->>'statement', 'relname', 'relation'))), 'Torvald Brekke', $2
       FROM job_versions WHERE job_id = $1 AND version = 1`,
    [run.jobId, afternoon],
  )
  await execute(null, `UPDATE jobs SET version = 2, saved_by = 'Torvald Brekke', saved_at = $2 WHERE id = $1`, [
    run.jobId,
    afternoon,
  ])
  await execute(
    null,
    `INSERT INTO audit (at, person_name, via, address, action, object_type, object_id, object_title, changes)
     SELECT $2, 'Torvald Brekke', 'session', 'demo', 'changed', 'job', j.id, j.title,
            jsonb_build_object('definition', jsonb_build_object('from', a.definition, 'to', b.definition))
       FROM jobs j JOIN job_versions a ON a.job_id = j.id AND a.version = 1 JOIN job_versions b ON b.job_id = j.id AND b.version = 2 WHERE j.id = $1`,
    [run.jobId, afternoon],
  )
  await execute(null, 'UPDATE runs SET job_version = 2 WHERE id = $1', [run.id])
  await fail([run.id], 'column "relation" does not exist [42703]')
}

const MOST_FULL_MS = 3_000_000
/** Before nine, when a night is over, by so much. */
const SETTLED_MS = 5 * 3_600_000

/** What ended on one application server within fifty minutes, the last time in that night that so many jobs did. */
async function diskFull({ fromMs, toMs }: { readonly fromMs: number; readonly toMs: number }): Promise<void> {
  const runs = await many<{ id: number; jobId: number; endedAt: Date }>(
    null,
    `SELECT r.id, r.job_id AS "jobId", r.ended_at AS "endedAt" FROM runs r JOIN agents a ON a.id = r.agent_id JOIN jobs j ON j.id = r.job_id
      WHERE a.name = 'kelda-app2' AND r.kind <> 'reach' AND r.state = 'succeeded' AND r.flow_run_id IS NULL AND r.ended_at > $1 AND r.ended_at < $2 AND j.title <> 'Machine pulse' ORDER BY r.ended_at`,
    [new Date(fromMs), new Date(toMs)],
  )
  const within = runs.map((first) =>
    runs.filter(
      ({ endedAt }) => endedAt >= first.endedAt && endedAt.getTime() - first.endedAt.getTime() < MOST_FULL_MS,
    ),
  )
  const jobsOf = (group: readonly { jobId: number }[]): number => new Set(group.map(({ jobId }) => jobId)).size
  const crowded = within.filter((group) => jobsOf(group) >= 3)
  // Early enough to be put right before the night is handed over, if there was such a stretch.
  const early = crowded.filter(([first]) => first && first.endedAt.getTime() < toMs - SETTLED_MS)
  const fullest = (early.length > 0 ? early : crowded).at(-1)
  if (!fullest) return
  await fail(
    fullest.map(({ id }) => id),
    'write /var/spool/marram: no space left on device',
  )
}

/** These runs ended badly, and said this at last. */
async function fail(ids: readonly number[], says: string): Promise<void> {
  await execute(
    null,
    `UPDATE runs SET state = 'failed', exit_code = 1, reason = 'Exit code 1; success is 0.' WHERE id = ANY($1)`,
    [ids],
  )
  await execute(
    null,
    `UPDATE attempts a SET state = 'failed', exit_code = 1, reason = 'Exit code 1; success is 0.', telling_line = $2, outputs = '{}', output_lines = least(output_lines, 2)
       FROM runs r WHERE r.id = ANY($1) AND a.run_id = r.id AND a.number = r.attempts`,
    [ids, says],
  )
  await execute(
    null,
    `UPDATE output_chunks o SET line_count = 2, lines = jsonb_build_array(o.lines->0, jsonb_build_array(o.lines->-1->0, 'e', $2::text))
       FROM attempts a JOIN runs r ON r.id = a.run_id AND a.number = r.attempts WHERE r.id = ANY($1) AND o.attempt_id = a.id AND o.line_count > 1`,
    [ids, says],
  )
}
