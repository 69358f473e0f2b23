import { timesOf } from './shared'
import { jobDefinitionSchema } from '@/core/work/job'
import { COMMAND_LINE } from '@/service/base/actor'
import { countRuns, listRuns, runFilterSchema, runQuery } from '@/service/runs/run-list'
import { find, dayLine, justEnded, lanes } from '@/service/watch/watch'
import { listDrifts } from '@/service/forecast/drifts'
import { nextStarts } from '@/service/forecast/coming'
import { listTriggers, triggerFilterSchema } from '@/service/timing/trigger-list'
import { watchDeadlines } from '@/service/runs/deadlines'
import { readyVersions } from '@/service/runs/dispatch-input'
import { listMatters } from '@/service/runs/matters'
import { whyWaiting } from '@/service/runs/run-page'
import { watchUnreachable } from '@/service/runs/unreachable'
import { clearBoard, refreshUsual } from '@/service/runs/upkeep'
import { addArea } from '@/service/work/areas'
import { addView, oneView } from '@/service/views/views'
import { addJob, listJobs } from '@/service/work/work'
import { closeDb, db, execute, many } from '@/store/db'
import { migrate } from '@/store/migrate'

/** `-- --runs N` for more or fewer; they lie over 60 days. */
const RUNS = Number(process.argv[process.argv.indexOf('--runs') + 1] ?? '') || 1_000_000
const DAYS = 60
const AGENTS = 1000
const TRIGGERS = 100_000
const JOBS = 2000
const ROUNDS = 40

async function fill(): Promise<void> {
  await migrate()
  const { id: areaId } = await addArea(COMMAND_LINE, { title: 'Sailing', notes: '' })
  const { id: otherArea } = await addArea(COMMAND_LINE, { title: 'Vessels', notes: '' })
  const definition = jobDefinitionSchema.parse({
    action: { kind: 'command', command: 'true' },
    target: { pool: 'quay' },
  })
  for (let i = 0; i < JOBS; i++)
    await addJob(COMMAND_LINE, {
      title: `Job ${i}`,
      notes: '',
      areaId: i % 2 ? areaId : otherArea,
      active: true,
      definition,
    })
  for (let i = 0; i < AGENTS; i++)
    await db().agents.create({
      name: `agent-${i}`,
      machineId: `m${i}`,
      host: `h${i}`,
      system: '',
      arch: '',
      version: '1.0.0',
      runtime: '',
      credentialHash: `hash-${i}`,
    })
  await execute(
    null,
    `INSERT INTO agent_contacts (agent_id, last_contact_at, last_start_at) SELECT id, now(), now() FROM agents`,
  )
  await execute(null, `INSERT INTO pools (name, title) VALUES ('quay', 'Quay')`)
  await execute(null, `INSERT INTO pool_members SELECT (SELECT id FROM pools), id FROM agents`)
  await execute(
    null,
    `INSERT INTO triggers (slug, title, job_id, enabled, definition, next_at, says, runs_per_day, gap_seconds, saved_by)
     SELECT 'trigger-' || i, 'Trigger ' || i, 1 + i % ${JOBS}, i % 20 > 0,
            jsonb_build_object('time', jsonb_build_object('at', jsonb_build_array('02:00')), 'zone', 'UTC', 'spread', (ARRAY['one','each'])[1 + (i % 50 = 0)::int]),
            CASE WHEN i % 20 > 0 THEN now() + make_interval(secs => i * 0.9) END, 'every day at 02:00', 1, 86400 + i % 7, 'bench'
       FROM generate_series(1, ${TRIGGERS}) AS i`,
  )
  for (let i = 0; i < 8; i++)
    await db().people.create({ email: `p${i}@marram.example`, name: `Person ${i}`, role: 'operator' })
  await execute(
    null,
    `INSERT INTO runs (trigger_id, job_id, job_version, area_id, target, kind, cause, started_by, state, priority, agent_id, created_at, ready_at, started_at, ended_at, duration_ms, exit_code, attempts)
     SELECT CASE WHEN i % 10 < 8 THEN 1 + (i * 13) % ${TRIGGERS} END, j.id, 1, j.area_id, '{"pool":"quay"}', 'command', (ARRAY['person','token','token','again'])[1 + i % 4], 1 + i % 8,
            CASE WHEN i > ${RUNS - 300} THEN (ARRAY['running','ready','waiting'])[1 + i % 3] WHEN i % 33 = 0 THEN 'failed' WHEN i % 9973 = 0 THEN 'lost' WHEN i % 101 = 0 THEN 'cancelled' ELSE 'succeeded' END,
            2, 1 + i % ${AGENTS}, t, t, t + interval '1 s', CASE WHEN i <= ${RUNS - 300} THEN t + make_interval(secs => 5 + i % 900) END,
            CASE WHEN i <= ${RUNS - 300} THEN (5 + i % 900) * 1000 END, 0, 1
       FROM generate_series(1, ${RUNS}) AS i
       CROSS JOIN LATERAL (SELECT now() - make_interval(secs => (${RUNS} - i) * ${(DAYS * 86_400) / RUNS}::float8) AS t) x
       JOIN jobs j ON j.id = 1 + (i * 7) % ${JOBS}`,
  )
  await execute(
    null,
    `INSERT INTO attempts (run_id, number, agent_id, state, lease_until, handed_at, started_at, ended_at)
     SELECT id, 1, agent_id, CASE state WHEN 'ready' THEN 'lost' WHEN 'waiting' THEN 'lost' ELSE state END, created_at, created_at, started_at, coalesce(ended_at, CASE WHEN state <> 'running' THEN created_at END) FROM runs`,
  )
  await refreshUsual(new Date(0))
  await execute(null, 'VACUUM ANALYZE')
}

const day = (daysAgo: number): string => new Date(Date.now() - daysAgo * 86_400_000).toISOString()
const hour = (hoursAgo: number): string => day(hoursAgo / 24)
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
  'ended in 8 hours': { endedFrom: hour(8) },
  'ended in 8 hours, by end': { endedFrom: hour(8), sort: 'ended' },
  'failed in 8 hours, by end': { state: 'failed,lost', endedFrom: hour(8), sort: 'ended' },
  'ended on a day long ago': { endedFrom: day(30), endedTo: day(29) },
  'a machine in an hour long ago': { agent: '7', ranFrom: day(30), ranTo: day(29.9), steps: 'yes' },
  'slots taken in an hour long ago': { took: 'slots', ranFrom: day(30), ranTo: day(29.96), steps: 'yes' },
  'by start': { sort: 'started' },
  'by end': { sort: 'ended' },
  'by length': { sort: 'duration' },
  'failed, by length': { state: 'failed', sort: 'duration' },
}

const times = (work: () => Promise<unknown>): ReturnType<typeof timesOf> => timesOf(ROUNDS, work)

/** What the other pages and the leader's own look ask again and again. */
const night = new Date(Date.now() - 12 * 3_600_000)
const PAGES: Record<string, () => Promise<unknown>> = {
  'schedules, by next start': () => listTriggers(COMMAND_LINE, triggerFilterSchema.parse({})),
  'schedules, by title': () => listTriggers(COMMAND_LINE, triggerFilterSchema.parse({ sort: 'title' })),
  'schedules, by cadence': () => listTriggers(COMMAND_LINE, triggerFilterSchema.parse({ sort: 'cadence' })),
  'schedules, by load': () => listTriggers(COMMAND_LINE, triggerFilterSchema.parse({ sort: 'load', dir: 'desc' })),
  'schedules, by priority': () => listTriggers(COMMAND_LINE, triggerFilterSchema.parse({ sort: 'priority' })),
  'schedules, a title': () => listTriggers(COMMAND_LINE, triggerFilterSchema.parse({ text: 'Trigger 777' })),
  'schedules, off': () => listTriggers(COMMAND_LINE, triggerFilterSchema.parse({ state: 'off' })),
  'schedules, of a pool': () => listTriggers(COMMAND_LINE, triggerFilterSchema.parse({ pool: 'quay' })),
  'schedules, too often': () => listTriggers(COMMAND_LINE, triggerFilterSchema.parse({ flag: 'too-often' })),
  'schedules, last failed': () => listTriggers(COMMAND_LINE, triggerFilterSchema.parse({ outcome: 'failed' })),
  'jobs and flows': () => listJobs(COMMAND_LINE),
  'lanes of Watch': () => lanes(COMMAND_LINE, night, 60),
  'counts of Watch': () => countRuns(COMMAND_LINE, night),
  'just ended': () => justEnded(COMMAND_LINE),
  'the day line': () => dayLine(COMMAND_LINE),
  'the next six starts': () => nextStarts(COMMAND_LINE, 6),
  'slower than usual': () => listDrifts(COMMAND_LINE),
  matters: () => listMatters(COMMAND_LINE),
  'a title found': () => find(COMMAND_LINE, 'Trigger 777'),
  'clearing the board': () => clearBoard(),
  'usual lengths, of a minute': () => refreshUsual(new Date(Date.now() - 60_000)),
  'runs by a view': async () => {
    const { id } = await keptView()
    const { values } = await oneView(COMMAND_LINE, id)
    const { columns: _, ...filter } = values
    return listRuns(COMMAND_LINE, runFilterSchema.parse(filter))
  },
  'what is ready': () => readyVersions(),
  'what cannot be reached': () => watchUnreachable(Date.now()),
  'why one waits': async () => {
    const [row] = await many<{ id: number }>(null, `SELECT id FROM runs WHERE state = 'ready' ORDER BY id DESC LIMIT 1`)
    return whyWaiting(COMMAND_LINE, row?.id ?? 0)
  },
  deadlines: () => watchDeadlines(),
}

let kept: Promise<{ id: number }> | undefined
/** As somebody keeps it who looks after some of the jobs. */
const keptView = (): Promise<{ id: number }> =>
  (kept ??= addView(
    { ...COMMAND_LINE, id: 1 },
    {
      ...{ list: 'runs', of: null, title: 'Ours that failed', shared: 'everyone', areaId: null },
      values: {
        state: 'failed,lost',
        job: '17,18,19,20,21,22',
        area: '1',
        sort: 'ended',
        columns: 'number,job,reason',
      },
    },
  ))

async function main(): Promise<void> {
  await fill()
  const pages: Record<string, unknown> = {}
  for (const [name, work] of Object.entries(PAGES)) {
    const began = performance.now()
    await work()
    pages[name] = { first: Math.round(performance.now() - began), ...(await times(work)) }
    console.error(name, JSON.stringify(pages[name]))
  }
  const results: Record<string, unknown> = {}
  for (const [name, values] of Object.entries(CASES)) {
    const filter = runFilterSchema.parse(values)
    const took = await times(() => listRuns(COMMAND_LINE, filter))
    const { sql, bind } = runQuery(filter)
    const plan = (await many<{ 'QUERY PLAN': string }>(null, `EXPLAIN ${sql}`, bind)).map((row) => row['QUERY PLAN'])
    const indexes = [
      ...new Set(plan.flatMap((line) => /using (\w+)|on (runs_\w+)/.exec(line)?.slice(1).filter(Boolean) ?? [])),
    ].filter((name) => name.startsWith('runs'))
    results[name] = {
      ...took,
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
        triggers: TRIGGERS,
        agents: AGENTS,
        milliseconds: results,
        pages,
        yardstick: { readingAllRunsOnceMs: Math.round(performance.now() - began) },
        aimP95: { runs: 150, pages: 50 },
      },
      null,
      2,
    ),
  )
  await closeDb()
}

void main()
