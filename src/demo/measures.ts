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
