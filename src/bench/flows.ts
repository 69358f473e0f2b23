import { spawn } from 'node:child_process'
import { flowDefinitionSchema } from '@/core/work/flow'
import { jobDefinitionSchema } from '@/core/work/job'
import { COMMAND_LINE } from '@/service/base/actor'
import { addFlow } from '@/service/work/flows'
import { startRun, startSchema } from '@/service/runs/start'
import { addArea } from '@/service/work/areas'
import { addJob } from '@/service/work/work'
import { closeDb, one } from '@/store/db'
import { migrate } from '@/store/migrate'
import { makeAgents, pause, pgbench, untilConnected } from './shared'

const AGENTS = 200
const STEPS = 20
const CHAIN = 5
/** Of one flow run with very many. */
const LARGE_STEPS = 10_000
const FLOW_RUNS = Number(process.argv[2] ?? 500)
/** Flow runs a second that make 50 steps a second. */
const CALM_RATE = 50 / STEPS
const CALM_SECONDS = 40

/** Starts flow runs, so many a second or as fast as it goes, and waits for the last to end. */
async function go(
  jobId: number,
  count: number,
  perSecond: number | null,
  steps = STEPS,
): Promise<Record<string, number>> {
  const { first } = await one<{ first: number }>(null, 'SELECT coalesce(max(id), 0) AS first FROM runs')
  const began = Date.now()
  const request = startSchema.parse({ jobId })
  for (let i = 0; i < count; i++) {
    if (perSecond !== null) await pause(Math.max(0, began + (i / perSecond) * 1000 - Date.now()))
    await startRun(COMMAND_LINE, request)
  }
  for (;;) {
    const { n } = await one<{ n: number }>(
      null,
      `SELECT count(*)::int AS n FROM runs WHERE id > $1 AND kind = 'flow' AND ended_at IS NULL`,
      [first],
    )
    if (n === 0) break
    await pause(50)
  }
  const bad = await one<{ n: number }>(
    null,
    `SELECT count(*)::int AS n FROM runs WHERE id > $1 AND (state <> 'succeeded' OR kind <> 'flow' AND attempts <> 1)`,
    [first],
  )
  if (bad.n > 0) throw new Error(`${bad.n} runs did not succeed at their first try`)
  const { last } = await one<{ last: Date }>(null, 'SELECT max(ended_at) AS last FROM runs WHERE id > $1', [first])
  // From the end of a step to the start of the one that waits only for it.
  const latency = await one<Record<string, number>>(
    null,
    `SELECT round(percentile_cont(0.5) WITHIN GROUP (ORDER BY ms))::int AS p50, round(percentile_cont(0.95) WITHIN GROUP (ORDER BY ms))::int AS p95,
            round(percentile_cont(0.99) WITHIN GROUP (ORDER BY ms))::int AS p99
       FROM (SELECT extract(epoch FROM n.started_at - e.ended_at) * 1000 AS ms
               FROM runs e JOIN runs n ON n.flow_run_id = e.flow_run_id AND n.step = e.step + 1 AND n.step % $2 <> 0 WHERE e.id > $1) x`,
    [first, CHAIN],
  )
  const seconds = (new Date(last).getTime() - began) / 1000
  return { stepsPerSecond: Math.round((count * steps) / seconds), ...latency }
}

async function main(): Promise<void> {
  await migrate()
  const engine = spawn(process.execPath, ['dist/engine.cjs'], {
    env: { ...process.env, BUGLE_LOG: 'error' },
    stdio: ['ignore', 'inherit', 'inherit'],
  })
  const machines = await makeAgents(AGENTS, 0)
  await untilConnected(AGENTS)
  const { id: areaId } = await addArea(COMMAND_LINE, { title: 'Bench', notes: '' })
  const common = { notes: '', areaId, active: true }
  const definition = jobDefinitionSchema.parse({
    action: { kind: 'command', command: 'true' },
    target: { pool: 'pool-0' },
  })
  await addJob(COMMAND_LINE, { ...common, title: 'Nothing', definition })
  const chains = async (title: string, steps: number): Promise<number> => {
    const definition = flowDefinitionSchema.parse({
      steps: Array.from({ length: steps }, (_, i) => ({
        id: `s${i}`,
        job: 'nothing',
        ...(i % CHAIN === 0 ? {} : { after: [{ step: `s${i - 1}` }] }),
      })),
    })
    return (await addFlow(COMMAND_LINE, { ...common, title, definition })).id
  }
  const small = await chains('Small', STEPS)
  const large = await chains('Large', LARGE_STEPS)
  const base = await pgbench()
  await go(small, 10, null)
  const calm = await go(small, CALM_RATE * CALM_SECONDS, CALM_RATE)
  const rush = await go(small, FLOW_RUNS, null)
  const whole = await go(large, 1, null, LARGE_STEPS)
  const { deadlocks } = await one<{ deadlocks: number }>(
    null,
    'SELECT deadlocks FROM pg_stat_database WHERE datname = current_database()',
  )
  console.log(
    JSON.stringify(
      {
        flowRuns: FLOW_RUNS,
        stepsOfEach: STEPS,
        agents: AGENTS,
        rush,
        calm,
        large: { steps: LARGE_STEPS, ...whole },
        deadlocks,
        bareSqlPerSecond: Math.round(base),
        ofBareSql: Math.round(((rush.stepsPerSecond ?? 0) / base) * 100) / 100,
      },
      null,
      2,
    ),
  )
  for (const machine of machines) machine.stop()
  engine.kill('SIGTERM')
  await closeDb()
}

main().catch((error: unknown) => {
  console.error(error)
  process.exit(1)
})
