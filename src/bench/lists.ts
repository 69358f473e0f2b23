import { jobDefinitionSchema } from '@/core/work/job'
import { COMMAND_LINE } from '@/service/actor'
import { listRuns, runFilterSchema, runQuery } from '@/service/run-list'
import { addArea, addJob } from '@/service/work'
import { closeDb, db, execute, many } from '@/store/db'
import { migrate } from '@/store/migrate'

const RUNS = 300_000
const ROUNDS = 40

async function fill(): Promise<void> {
  await migrate()
  const { id: areaId } = await addArea(COMMAND_LINE, { title: 'Sailing', notes: '' })
  const { id: otherArea } = await addArea(COMMAND_LINE, { title: 'Vessels', notes: '' })
  const definition = jobDefinitionSchema.parse({
    action: { kind: 'command', command: 'true' },
    target: { pool: 'quay' },
  })
  for (let i = 0; i < 200; i++)
    await addJob(COMMAND_LINE, {
      title: `Job ${i}`,
      notes: '',
      areaId: i % 2 ? areaId : otherArea,
      active: true,
      definition,
    })
  for (let i = 0; i < 50; i++)
    await db().Agent.create({
      name: `agent-${i}`,
      machineId: `m${i}`,
      host: `h${i}`,
      system: '',
      arch: '',
      version: '1.0.0',
      runtime: '',
    })
  for (let i = 0; i < 8; i++)
    await db().Person.create({ email: `p${i}@marram.example`, name: `Person ${i}`, role: 'operator' })
  await execute(
    null,
    `INSERT INTO runs (job_id, job_version, area_id, target, kind, cause, started_by, state, priority, agent_id, created_at, ready_at, started_at, ended_at, duration_ms, exit_code, attempts)
     SELECT j.id, 1, j.area_id, '{"pool":"quay"}', 'command', (ARRAY['person','token','token','again'])[1 + i % 4], 1 + i % 8,
            CASE WHEN i > ${RUNS - 300} THEN (ARRAY['running','ready','waiting'])[1 + i % 3] WHEN i % 33 = 0 THEN 'failed' WHEN i % 9973 = 0 THEN 'lost' WHEN i % 101 = 0 THEN 'cancelled' ELSE 'succeeded' END,
            2, 1 + i % 50, t, t, t + interval '1 s', CASE WHEN i <= ${RUNS - 300} THEN t + make_interval(secs => 5 + i % 900) END,
            CASE WHEN i <= ${RUNS - 300} THEN (5 + i % 900) * 1000 END, 0, 1
       FROM generate_series(1, ${RUNS}) AS i
       CROSS JOIN LATERAL (SELECT now() - make_interval(secs => (${RUNS} - i) * 16) AS t) x
       JOIN jobs j ON j.id = 1 + (i * 7) % 200`,
  )
  await execute(null, 'ANALYZE')
}

const day = (daysAgo: number): string => new Date(Date.now() - daysAgo * 86_400_000).toISOString()
const CASES: Record<string, Record<string, string>> = {
  'first rows': {},
  'one state': { state: 'failed' },
  'a rare state': { state: 'lost' },
  'several states': { state: 'failed,lost,running' },
  'one job': { job: '17' },
  'several jobs': { job: '17,18,19' },
  'a title': { text: 'Job 11' },
  'a number': { text: '#123456' },
  'an area': { area: '1' },
  'a machine': { agent: '7' },
  'a person': { person: '3' },
  'a cause': { cause: 'again' },
  'on the board': { board: 'yes' },
  'a day long ago': { from: day(30), to: day(29) },
  'by start': { sort: 'started' },
  'by end': { sort: 'ended' },
  'by length': { sort: 'duration' },
  'failed, by length': { state: 'failed', sort: 'duration' },
}

async function main(): Promise<void> {
  await fill()
  const results: Record<string, unknown> = {}
  for (const [name, values] of Object.entries(CASES)) {
    const filter = runFilterSchema.parse(values)
    const times: number[] = []
    for (let i = 0; i < ROUNDS; i++) {
      const began = performance.now()
      await listRuns(COMMAND_LINE, filter)
      times.push(performance.now() - began)
    }
    times.sort((a, b) => a - b)
    const { sql, bind } = runQuery(filter)
    const plan = (await many<{ 'QUERY PLAN': string }>(null, `EXPLAIN ${sql}`, bind)).map((row) => row['QUERY PLAN'])
    const indexes = [
      ...new Set(plan.flatMap((line) => /using (\w+)|on (runs_\w+)/.exec(line)?.slice(1).filter(Boolean) ?? [])),
    ].filter((name) => name.startsWith('runs'))
    results[name] = {
      p50: Math.round((times[Math.floor(ROUNDS / 2)] ?? 0) * 10) / 10,
      p95: Math.round((times[Math.floor(ROUNDS * 0.95)] ?? 0) * 10) / 10,
      indexes,
      readsAllRuns: plan.some((line) => /Seq Scan on runs\b/.test(line)),
    }
  }
  const began = performance.now()
  await many(null, 'SELECT count(*) FROM runs WHERE reason = $1', ['no such reason'])
  console.log(
    JSON.stringify(
      {
        runs: RUNS,
        milliseconds: results,
        yardstick: { readingAllRunsOnceMs: Math.round(performance.now() - began) },
        aimP95: 150,
      },
      null,
      2,
    ),
  )
  await closeDb()
}

void main()
