import { spawn, spawnSync, type ChildProcess } from 'node:child_process'
import { writeFileSync, mkdtempSync, readFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { jobDefinitionSchema } from '@/core/work/job'
import { COMMAND_LINE } from '@/service/actor'
import { hashToken, newToken } from '@/service/secrets'
import { startRun, startSchema } from '@/service/start'
import { addArea, addJob } from '@/service/work'
import { closeDb, db, execute, one } from '@/store/db'
import { migrate } from '@/store/migrate'
import { SimulatedMachine } from '@/standins/machine'

const AGENTS = 200
const IDLE_AGENTS = 1000
const SECONDS = Number(process.argv[2] ?? 20)
const gateway = `ws://127.0.0.1:${process.env.BUGLE_GATEWAY_PORT}/agent`
const pause = (ms: number): Promise<void> => new Promise((resolve) => setTimeout(resolve, ms))

async function makeAgents(count: number, from: number): Promise<SimulatedMachine[]> {
  const machines: SimulatedMachine[] = []
  const pool = await one<{ id: number }>(null, `INSERT INTO pools (name, title) VALUES ($1, $1) RETURNING id`, [
    `pool-${from}`,
  ])
  for (let i = from; i < from + count; i++) {
    const credential = newToken('bga')
    const agent = await db().Agent.create({
      name: `agent-${i}`,
      machineId: `machine-${i}`,
      host: `h${i}`,
      system: '',
      arch: '',
      version: '1.0.0',
      runtime: '',
      slots: 4,
      abilities: ['command'],
      credentialHash: hashToken(credential),
    })
    await execute(null, 'INSERT INTO agent_contacts (agent_id) VALUES ($1)', [agent.id])
    await execute(null, 'INSERT INTO pool_members VALUES ($1, $2)', [pool.id, agent.id])
    const facts = {
      host: `h${i}`,
      machineId: `machine-${i}`,
      system: 's',
      arch: 'x',
      version: '1.0.0',
      runtime: 'r',
      abilities: ['command'],
    }
    const lines = [1, 2, 3].map((n) => ({ atMs: 0, stream: 'o' as const, text: `line ${n} of three lines of output` }))
    machines.push(
      new SimulatedMachine({ gateway, credential, facts, play: () => ({ durationMs: 0, exitCode: 0, lines }) }),
    )
  }
  for (const machine of machines) machine.start()
  return machines
}

async function untilConnected(count: number): Promise<void> {
  for (;;) {
    const { n } = await one<{ n: number }>(
      null,
      'SELECT count(*)::int AS n FROM agent_contacts WHERE engine_id IS NOT NULL',
    )
    if (n >= count) return
    await pause(200)
  }
}

/** Starts runs at a rate for some seconds; as many as the machine takes if the rate is null. Waits until all have ended. */
async function load(
  jobId: number,
  perSecond: number | null,
  seconds: number,
): Promise<{ made: number; perSecond: number; latency: Record<string, number> }> {
  const began = Date.now()
  const { first } = await one<{ first: number }>(null, 'SELECT coalesce(max(id), 0) AS first FROM runs')
  const wish = startSchema.parse({ jobId })
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
      await startRun(COMMAND_LINE, wish)
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

/** Share of one core that a process used over some seconds, from /proc (proc(5): utime and stime in hundredths of a second). */
async function cpuShare(pid: number, seconds: number): Promise<number> {
  const ticks = (): number => {
    const stat = readFileSync(`/proc/${pid}/stat`, 'utf8')
    const fields = stat.slice(stat.lastIndexOf(')') + 2).split(' ')
    return Number(fields[11]) + Number(fields[12])
  }
  const before = ticks()
  await pause(seconds * 1000)
  return Math.round(((ticks() - before) / 100 / seconds) * 1000) / 1000
}

/** The same rows written by bare SQL: one run's life as four transactions, by pgbench, on the same server. */
async function pgbench(): Promise<number> {
  await execute(null, 'CREATE TABLE b_runs (LIKE runs INCLUDING ALL)')
  await execute(null, 'CREATE TABLE b_attempts (LIKE attempts INCLUDING ALL)')
  await execute(null, 'CREATE TABLE b_output (LIKE output_chunks INCLUDING ALL)')
  const file = join(mkdtempSync(join(tmpdir(), 'bugle-pgbench-')), 'run.sql')
  writeFileSync(
    file,
    `INSERT INTO b_runs (job_id, job_version, area_id, target, kind, cause, state, priority, ready_at) VALUES (1, 1, 1, '{"pool":"p"}', 'command', 'person', 'ready', 2, now()) RETURNING id AS run \\gset
BEGIN;
UPDATE b_runs SET state = 'running', version = version + 1, started_at = now(), attempts = 1 WHERE id = :run;
INSERT INTO b_attempts (run_id, number, agent_id, state, lease_until, handed_at) VALUES (:run, 1, 1, 'handed', now(), now()) RETURNING id AS attempt \\gset
COMMIT;
UPDATE b_attempts SET state = 'accepted' WHERE id = :attempt;
BEGIN;
INSERT INTO b_output VALUES (:attempt, 1, 3, '[[1,"o","line 1 of three lines of output"],[1,"o","line 2 of three lines of output"],[1,"o","line 3 of three lines of output"]]');
UPDATE b_attempts SET state = 'succeeded', started_at = now(), ended_at = now(), report_seq = 3, output_lines = 3 WHERE id = :attempt;
UPDATE b_runs SET state = 'succeeded', version = version + 1, ended_at = now(), duration_ms = 1 WHERE id = :run;
COMMIT;
`,
  )
  const done = spawnSync(
    process.env.BUGLE_BENCH_PGBENCH as string,
    ['-n', '-c', '8', '-j', '1', '-T', '8', '-f', file, process.env.DATABASE_URL as string],
    { encoding: 'utf8' },
  )
  return Number(/tps = ([\d.]+)/.exec(done.stdout)?.[1] ?? Number.NaN)
}

async function main(): Promise<void> {
  await migrate()
  const children: ChildProcess[] = []
  const start = (...args: string[]): ChildProcess => {
    const child = spawn(process.execPath, args, {
      env: { ...process.env, BUGLE_LOG: 'error' },
      stdio: ['ignore', 'inherit', 'inherit'],
    })
    children.push(child)
    return child
  }
  const engine = start('dist/engine.cjs')
  const web = start(
    'node_modules/next/dist/bin/next',
    'start',
    '-p',
    process.env.BUGLE_WEB_PORT as string,
    '-H',
    '127.0.0.1',
  )
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
    idle: { agents: IDLE_AGENTS, engineCores: engineIdle, webCores: webIdle },
    yardstick: {
      pgbenchRunsPerSecond: Math.round(bare),
      sustainedShareOfIt: Math.round((sustained.perSecond / bare) * 100) / 100,
    },
    aims: { runsPerSecond: 150, p95Ms: 250, idleCores: 0.25 },
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
