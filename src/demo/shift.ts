import { morningOf, nightTo } from '@/core/reports/period'
import { zoneOf, type Zone } from '@/core/timing/zone'
import { execute } from '@/store/db'

const ZONE = 'Europe/London'
const HOUR_MS = 3_600_000
/** Before nine, when the night is over, by so much. */
const HANDED_OVER_MS = 3 * HOUR_MS

/** The last night that has been handed over at six: it may still go on. Milliseconds. */
export function lastNight(now: Date): { readonly fromMs: number; readonly toMs: number } {
  const zone = zoneOf(ZONE) as Zone
  const morning = morningOf(zone, now.getTime())
  const night = nightTo(zone, morning)
  return night.toMs - HANDED_OVER_MS <= now.getTime() ? night : nightTo(zone, morning - 1)
}

/** The night that Sunniva Dahl looked after, handed over at six: what failed in it and was put right, what she did, and what she wrote. */
export async function addShift(now: Date): Promise<void> {
  const { fromMs, toMs } = lastNight(now)
  const at = (hours: number): Date => new Date(fromMs + hours * HOUR_MS)
  await putRight(new Date(fromMs), new Date(toMs))
  await execute(
    null,
    `UPDATE matters SET taken_by = 'Sunniva Dahl', taken_at = opened_at + interval '4 minutes', note = 'The disk of kelda-app2 is full: clearing old logs.',
            closed_by = 'Sunniva Dahl', closed_at = opened_at + interval '38 minutes', done = 'Old logs cleared, 40 GB free; run again.'
      WHERE state = 'closed' AND evidence LIKE '%space%'`,
  )
  const notes: [number, string][] = [
    [4.6, 'Turnstone lies at Brack with her engine open: her logs come late, that is no failure.'],
    [10.2, 'The bank’s file came at the second try. If it does so once more, call them in the morning.'],
  ]
  for (const [hours, text] of notes)
    await execute(
      null,
      `INSERT INTO shift_notes (at, text, person_id, person_name) SELECT $1, $2, id, name FROM people WHERE name = 'Sunniva Dahl'`,
      [at(hours), text],
    )
  const handedOver = new Date(toMs - HANDED_OVER_MS)
  await execute(
    null,
    `INSERT INTO hand_overs (from_at, to_at, at, person_id, person_name, to_name, note) SELECT $1, $2, $2, id, name, 'Callum Eads', $3 FROM people WHERE name = 'Sunniva Dahl'`,
    [
      new Date(fromMs),
      handedOver,
      'Quiet but for the disk of kelda-app2. Largest tables fails since Torvald’s change in the afternoon: his to mend.',
    ],
  )
}

/** Matters of jobs that failed in the night and went well again later. */
async function putRight(from: Date, to: Date): Promise<void> {
  await execute(
    null,
    `INSERT INTO matters (kind, subject, state, run_id, agent_id, evidence, times, opened_at, last_at, closed_by, closed_at)
     SELECT 'run-failed', 'job ' || f.job_id, 'closed', f.id, f.agent_id, f.telling, f.times, f.ended_at, f.ended_at, '#' || g.id || ' succeeded', g.ended_at
       FROM (SELECT DISTINCT ON (r.job_id) r.id, r.job_id, r.agent_id, r.ended_at, count(*) OVER (PARTITION BY r.job_id) AS times,
                    coalesce((SELECT t.telling_line FROM attempts t WHERE t.run_id = r.id ORDER BY t.number DESC LIMIT 1), '') AS telling
               FROM runs r WHERE r.state IN ('failed','lost') AND r.flow_run_id IS NULL AND r.ended_at >= $1 AND r.ended_at < $2 ORDER BY r.job_id, r.ended_at) f
       CROSS JOIN LATERAL (SELECT x.id, x.ended_at FROM runs x WHERE x.job_id = f.job_id AND x.state = 'succeeded' AND x.ended_at > f.ended_at ORDER BY x.ended_at LIMIT 1) g
      WHERE NOT EXISTS (SELECT FROM matters m WHERE m.subject = 'job ' || f.job_id)`,
    [from, to],
  )
}
