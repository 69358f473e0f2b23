import { spawnSync } from 'node:child_process'
import { mkdtempSync, readFileSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { hashToken, newToken } from '@/service/base/secrets'
import { SimulatedMachine } from '@/standins/machine'
import { db, execute, one } from '@/store/db'

const gateway = `ws://127.0.0.1:${process.env.BUGLE_GATEWAY_PORT}/agent`
export const pause = (ms: number): Promise<void> => new Promise((resolve) => setTimeout(resolve, ms))

/** Does it so many times, one after the other; milliseconds to a tenth. */
export async function timesOf(rounds: number, work: () => Promise<unknown>): Promise<{ p50: number; p95: number }> {
  const took: number[] = []
  for (let i = 0; i < rounds; i++) {
    const began = performance.now()
    await work()
    took.push(performance.now() - began)
  }
  took.sort((a, b) => a - b)
  const at = (share: number): number => Math.round((took[Math.floor(rounds * share)] ?? 0) * 10) / 10
  return { p50: at(0.5), p95: at(0.95) }
}

/** Simulated agents that begin and end a command at once, in a pool of their own. */
export async function makeAgents(count: number, from: number): Promise<SimulatedMachine[]> {
  const machines: SimulatedMachine[] = []
  const pool = await one<{ id: number }>(null, `INSERT INTO pools (name, title) VALUES ($1, $1) RETURNING id`, [
    `pool-${from}`,
  ])
  for (let i = from; i < from + count; i++) {
    const credential = newToken('bga')
    const agent = await db().agents.create({
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

export async function untilConnected(count: number): Promise<void> {
  for (;;) {
    const { n } = await one<{ n: number }>(
      null,
      'SELECT count(*)::int AS n FROM agent_contacts WHERE engine_id IS NOT NULL',
    )
    if (n >= count) return
    await pause(200)
  }
}

export /** The same rows written by bare SQL: one run's life as four transactions, by pgbench, on the same server. */
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

/** What a process or thread has used so far, seconds of a core (proc(5): utime and stime in hundredths of a second), and its priority (nice). */
export function used(path: string): { readonly seconds: number; readonly nice: number } {
  const stat = readFileSync(`${path}/stat`, 'utf8')
  const fields = stat.slice(stat.lastIndexOf(')') + 2).split(' ')
  return { seconds: (Number(fields[11]) + Number(fields[12])) / 100, nice: Number(fields[16]) }
}

/** Share of one core that a process used over some seconds. */
export async function cpuShare(pid: number, seconds: number): Promise<number> {
  const before = used(`/proc/${pid}`).seconds
  await pause(seconds * 1000)
  return Math.round(((used(`/proc/${pid}`).seconds - before) / seconds) * 1000) / 1000
}
