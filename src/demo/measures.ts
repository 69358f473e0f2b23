import { execute, many } from '@/store/db'
import { madeUpMeasures } from './machine-measures'

const DAYS = 2
const STEP_MS = 120_000

/** Two days of what the simulated machines would have measured, a value every other minute. */
export async function addPastMeasures(now: Date): Promise<void> {
  const agents = await many<{ id: number; host: string }>(null, 'SELECT id, host FROM agents ORDER BY id')
  const until = Math.floor(now.getTime() / 60_000) * 60_000
  for (const { id, host } of agents) {
    const rows: [name: string, at: Date, value: number][] = []
    for (let at = until - DAYS * 86_400_000; at < until; at += STEP_MS)
      for (const [name, value] of Object.entries(madeUpMeasures(host, 0, at))) rows.push([name, new Date(at), value])
    await execute(
      null,
      `INSERT INTO measure_values (kind, of_id, name, at, value)
       SELECT 'agent', $1, u.name, u.at, u.value FROM unnest($2::text[], $3::timestamptz[], $4::float8[]) AS u(name, at, value)`,
      [id, rows.map(([name]) => name), rows.map(([, at]) => at), rows.map(([, , value]) => value)],
    )
  }
}

/** What some jobs handed on in the past: how many old files there were, which grows, and how long an answer took, which does not. */
export async function addPastOutputs(): Promise<void> {
  await execute(
    null,
    `UPDATE attempts a SET outputs = CASE j.title
         WHEN 'Log clean-up' THEN jsonb_build_object('files', (400 + 9 * extract(epoch FROM a.ended_at - now() + interval '28 days') / 86400 + 40 * sin(a.id))::int::text)
         ELSE jsonb_build_object('rows', (52000 + 260 * extract(epoch FROM a.ended_at - now() + interval '28 days') / 86400 + 300 * sin(a.id))::int::text, 'largest', round((31 + 2 * sin(a.id))::numeric, 1)::text) END
       FROM runs r JOIN jobs j ON j.id = r.job_id WHERE r.id = a.run_id AND a.state = 'succeeded' AND j.title IN ('Log clean-up', 'Largest tables')`,
  )
}
