import { spawn, type ChildProcess } from 'node:child_process'
import { once } from 'node:events'
import { readdirSync } from 'node:fs'
import { jobDefinitionSchema } from '@/core/work/job'
import { COMMAND_LINE } from '@/service/base/actor'
import { startRun, startSchema } from '@/service/runs/start'
import { addArea } from '@/service/work/areas'
import { addJob } from '@/service/work/work'
import { closeDb, one } from '@/store/db'
import { notify } from '@/store/listen'
import { migrate } from '@/store/migrate'
import { cpuShare, makeAgents, pause, pgbench, untilConnected, used } from './shared'

const AGENTS = 200
const IDLE_AGENTS = 1000
const SECONDS = Number(process.argv[2] ?? 20)

/** Starts runs at a rate for some seconds; as many as the machine takes if the rate is null. Waits until all have ended. */
async function load(
  jobId: number,
  perSecond: number | null,
  seconds: number,
): Promise<{ made: number; perSecond: number; latency: Record<string, number> }> {
  const began = Date.now()
  const { first } = await one<{ first: number }>(null, 'SELECT coalesce(max(id), 0) AS first FROM runs')
  const request = startSchema.parse({ jobId })
  let made = 0
  let open = 0
  const until = began + seconds * 1000
  const worker = async (): Promise<void> => {
    while (Date.now() < until) {
      if (perSecond !== null && made >= ((Date.now() - began) / 1000) * perSecond) {
        await pause(2)
        continue
      }
      // What waits is bounded, so that the rate is what is sustained and not what is piled up.
      if (perSecond === null && open > 600) {
        open = (
          await one<{ n: number }>(null, `SELECT count(*)::int AS n FROM runs WHERE state IN ('ready','running')`)
        ).n
        if (open > 600) await pause(20)
        continue
      }
      made++
      open++
      await startRun(COMMAND_LINE, request)
    }
  }
  await Promise.all(Array.from({ length: 6 }, worker))
  for (;;) {
    const { n } = await one<{ n: number }>(
      null,
      'SELECT count(*)::int AS n FROM runs WHERE id > $1 AND ended_at IS NULL',
      [first],
    )
    if (n === 0) break
    await pause(50)
  }
  const { last } = await one<{ last: Date }>(null, 'SELECT max(ended_at) AS last FROM runs WHERE id > $1', [first])
  const latency = await one<Record<string, number>>(
    null,
    `SELECT round(percentile_cont(0.5) WITHIN GROUP (ORDER BY ms))::int AS p50, round(percentile_cont(0.95) WITHIN GROUP (ORDER BY ms))::int AS p95,
            round(percentile_cont(0.99) WITHIN GROUP (ORDER BY ms))::int AS p99
       FROM (SELECT extract(epoch FROM a.started_at - r.ready_at) * 1000 AS ms FROM runs r JOIN attempts a ON a.run_id = r.id WHERE r.id > $1) x`,
    [first],
  )
  const bad = await one<{ n: number }>(
    null,
    `SELECT count(*)::int AS n FROM runs r WHERE id > $1 AND (state <> 'succeeded' OR attempts <> 1)`,
    [first],
  )
  if (bad.n > 0) throw new Error(`${bad.n} runs did not succeed at their first try`)
  const spent = Math.max(seconds * 1000, new Date(last).getTime() - began) / 1000
  return { made, perSecond: Math.round((made / spent) * 10) / 10, latency }
}

/** What the threads of a process that step back for all others have used, seconds of a core. */
const modestSeconds = (pid: number): number =>
  readdirSync(`/proc/${pid}/task`)
    .map((thread) => used(`/proc/${pid}/task/${thread}`))
    .filter(({ nice }) => nice > 0)
    .reduce((sum, { seconds }) => sum + seconds, 0)

/**
 * The same load with an engine that makes no forecasts and with one that is made to begin one every other second, turn by turn. Waking it costs both the same.
 *
 * @returns runs a second of each turn, the share of their mean that is left beside forecasts, and of how much of a core forecasts made use; the disk's moods change the first two by a third
 */
async function besideForecasts(
  jobId: number,
  again: (forecast: 'on' | 'off') => Promise<number>,
): Promise<{ without: readonly number[]; with: readonly number[]; share: number; forecastCores: number }> {
  const done = { on: [] as number[], off: [] as number[] }
  const spent = { seconds: 0, of: 0 }
  const waking = setInterval(() => void notify(null, { timing: true }), 2000)
  for (const forecast of ['off', 'on', 'on', 'off', 'off', 'on', 'on', 'off'] as const) {
    const pid = await again(forecast)
    const began = { at: performance.now(), seconds: modestSeconds(pid) }
    done[forecast].push((await load(jobId, null, SECONDS / 2)).perSecond)
    spent.seconds += modestSeconds(pid) - began.seconds
    if (forecast === 'on') spent.of += (performance.now() - began.at) / 1000
  }
  clearInterval(waking)
  const mean = (rates: readonly number[]): number => rates.reduce((sum, rate) => sum + rate, 0) / rates.length
  return {
    without: done.off,
    with: done.on,
    share: Math.round((mean(done.on) / mean(done.off)) * 100) / 100,
    forecastCores: Math.round((spent.seconds / spent.of) * 1000) / 1000,
  }
}

async function main(): Promise<void> {
  await migrate()
  const children: ChildProcess[] = []
  const start = (file: string, env: Record<string, string> = {}): ChildProcess => {
    const child = spawn(process.execPath, [file], {
      env: { ...process.env, BUGLE_LOG: 'error', ...env },
      stdio: ['ignore', 'inherit', 'inherit'],
    })
    children.push(child)
    return child
  }
  let engine = start('dist/engine.cjs')
  const web = start('dist/web.cjs')
  const machines = await makeAgents(AGENTS, 0)
  await untilConnected(AGENTS)
  const { id: areaId } = await addArea(COMMAND_LINE, { title: 'Bench', notes: '' })
  const definition = jobDefinitionSchema.parse({
    action: { kind: 'command', command: 'true' },
    target: { pool: 'pool-0' },
  })
  const { id: jobId } = await addJob(COMMAND_LINE, {
    title: 'Three lines',
    notes: '',
    areaId,
    active: true,
    definition,
  })
  await load(jobId, 20, 3)
  const sustained = await load(jobId, null, SECONDS)
  await pause(1000)
  const half = await load(jobId, sustained.perSecond / 2, SECONDS)
  const again = async (forecast: 'on' | 'off'): Promise<number> => {
    const ended = once(engine, 'exit')
    engine.kill('SIGTERM')
    await ended
    engine = start('dist/engine.cjs', { BUGLE_FORECAST: forecast })
    await untilConnected(AGENTS)
    await load(jobId, 20, 3)
    return Number(engine.pid)
  }
  const beside = await besideForecasts(jobId, again)
  const bare = await pgbench()
  for (const machine of machines) machine.stop()
  const idle = await makeAgents(IDLE_AGENTS, 1000)
  await untilConnected(IDLE_AGENTS)
  await pause(3000)
  const [engineIdle, webIdle] = await Promise.all([cpuShare(engine.pid as number, 15), cpuShare(web.pid as number, 15)])
  for (const machine of idle) machine.stop()
  const result = {
    agents: AGENTS,
    sustained: { runsPerSecond: sustained.perSecond, runs: sustained.made },
    atHalfThatRate: { runsPerSecond: half.perSecond, readyToStartMs: half.latency },
    besideForecasts: beside,
    idle: { agents: IDLE_AGENTS, engineCores: engineIdle, webCores: webIdle },
    yardstick: {
      pgbenchRunsPerSecond: Math.round(bare),
      sustainedShareOfIt: Math.round((sustained.perSecond / bare) * 100) / 100,
    },
    aims: { runsPerSecond: 150, p95Ms: 250, idleCores: 0.25, shareBesideForecasts: 0.95 },
  }
  console.log(JSON.stringify(result, null, 2))
  for (const child of children) child.kill('SIGTERM')
  await closeDb()
  setTimeout(() => process.exit(0), 3000)
}

main().catch((error: unknown) => {
  console.error(error)
  process.exit(1)
})
