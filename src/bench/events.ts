import { spawn, type ChildProcess } from 'node:child_process'
import { mkdirSync, mkdtempSync, renameSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { jobDefinitionSchema } from '@/core/work/job'
import { triggerDefinitionSchema } from '@/core/work/trigger'
import { COMMAND_LINE } from '@/service/base/actor'
import { hashToken, newToken } from '@/service/base/secrets'
import { addItems, arriveSchema } from '@/service/queues/arrive'
import { addQueue, queueSchema } from '@/service/queues/queues'
import { renewCall } from '@/service/timing/calls'
import { addTrigger } from '@/service/timing/triggers'
import { addArea } from '@/service/work/areas'
import { addJob } from '@/service/work/work'
import { closeDb, execute, many, one } from '@/store/db'
import { migrate } from '@/store/migrate'
import { pause } from './shared'

const ROUNDS = 40
const CALLS = 1000
const CALLS_A_SECOND = 50
const FILES = 20
const SETTLED_SECONDS = 1

const children: ChildProcess[] = []
process.once('exit', () => children.forEach((child) => child.kill('SIGKILL')))
function start(name: string, args: string[] = [], env: Record<string, string> = {}): void {
  const child = spawn(process.execPath, [`${process.env.BUGLE_DIST}/${name}.cjs`, ...args], {
    env: { ...process.env, BUGLE_LOG: 'error', ...env },
    stdio: ['ignore', 'ignore', 'inherit'],
  })
  children.push(child)
}

async function until(is: () => Promise<boolean>): Promise<void> {
  for (let i = 0; i < 2000; i++) {
    if (await is().catch(() => false)) return
    await pause(50)
  }
  throw new Error('waited in vain')
}

const percentiles = (took: number[]): { p50: number; p95: number; most: number } => {
  const sorted = [...took].sort((a, b) => a - b)
  const at = (share: number): number =>
    Math.round(sorted[Math.min(sorted.length - 1, Math.floor(sorted.length * share))] ?? 0)
  return { p50: at(0.5), p95: at(0.95), most: at(1) }
}

/** Milliseconds from when something happened to when its run was made, by the database's clock, newest runs last. */
async function lagsOf(trigger: number, happenedMs: readonly number[]): Promise<number[]> {
  const rows = await many<{ at: Date }>(null, 'SELECT created_at AS at FROM runs WHERE trigger_id = $1 ORDER BY id', [
    trigger,
  ])
  return rows.map(({ at }, i) => at.getTime() - (happenedMs[i] ?? NaN))
}

interface Made {
  readonly trigger: (title: string, jobId: number, definition: object) => Promise<number>
  readonly job: (title: string, more?: object) => Promise<number>
  readonly areaId: number
}

async function prepare(): Promise<Made> {
  await migrate()
  const { id: areaId } = await addArea(COMMAND_LINE, { title: 'Harbour' })
  // Nobody takes the runs: what is measured is how soon they are there.
  const job: Made['job'] = async (title, more = {}) => {
    const definition = jobDefinitionSchema.parse({
      action: { kind: 'command', command: 'true' },
      target: { agent: 'nobody' },
      ...more,
    })
    return (await addJob(COMMAND_LINE, { title, notes: '', areaId, active: true, definition })).id
  }
  const trigger: Made['trigger'] = async (title, jobId, definition) => {
    const full = triggerDefinitionSchema.parse({ overlap: 'wait', zone: 'UTC', ...definition })
    return (await addTrigger(COMMAND_LINE, { title, notes: '', jobId, enabled: true, definition: full, sure: true })).id
  }
  return { trigger, job, areaId }
}

/** From an item’s arrival to the run that it calls for. */
async function backlog({ trigger, job, areaId }: Made): Promise<object> {
  const queue = await addQueue(COMMAND_LINE, queueSchema.parse({ title: 'Refunds', areaId }))
  const id = await trigger('Refunds', await job('Refund'), { backlog: { queue: queue.slug, most: 1000 } })
  const happened: number[] = []
  for (let i = 0; i < ROUNDS; i++) {
    happened.push(Date.now())
    await addItems(COMMAND_LINE, queue.id, arriveSchema.parse({ items: [{ data: { i } }] }))
    await until(async () => (await one<{ n: number }>(null, 'SELECT count(*)::int AS n FROM runs')).n > i)
    await pause(Math.random() * 300)
  }
  return percentiles(await lagsOf(id, happened))
}

/** From a call to its run’s number, so many calls a second. */
async function calls({ trigger, job }: Made): Promise<object> {
  const inputs = [{ name: 'vessel', type: 'text' }]
  const id = await trigger('Called', await job('Arrive', { inputs }), {
    call: {},
    overlap: 'start',
    with: { vessel: { from: '/vessel' } },
  })
  const url = `http://127.0.0.1:${process.env.BUGLE_WEB_PORT}${(await renewCall(COMMAND_LINE, id)).path}`
  const took: number[] = []
  const call = async (n: number): Promise<void> => {
    const began = performance.now()
    const response = await fetch(url, { method: 'POST', body: JSON.stringify({ vessel: `v${n}` }) })
    if (response.status !== 202) throw new Error(`${response.status} ${await response.text()}`)
    await response.json()
    took.push(performance.now() - began)
  }
  await until(async () => call(0).then(() => true))
  took.length = 0
  const all: Promise<void>[] = []
  for (let n = 1; n <= CALLS; n++) {
    all.push(call(n))
    await pause(1000 / CALLS_A_SECOND)
  }
  await Promise.all(all)
  return percentiles(took)
}

/** From a file’s last change to its run, beyond the time for which it must stand still. */
async function files({ trigger, job }: Made): Promise<object> {
  const state = mkdtempSync(join(tmpdir(), 'bugle-bench-'))
  const credential = newToken('bga')
  await execute(
    null,
    `WITH a AS (INSERT INTO agents (name, machine_id, host, system, arch, version, runtime, slots, credential_hash) VALUES ('files', 'files', 'files', '', '', '1.0.0', '', 1, $1) RETURNING id)
     INSERT INTO agent_contacts (agent_id) SELECT id FROM a`,
    [hashToken(credential)],
  )
  writeFileSync(join(state, 'identity.json'), JSON.stringify({ agent: 'files', credential, gateway: '' }))
  const folder = join(state, 'in')
  mkdirSync(folder)
  start('agent', ['run', '--state', state], {
    BUGLE_AGENT_GATEWAY: `ws://127.0.0.1:${process.env.BUGLE_GATEWAY_PORT}/agent`,
  })
  const id = await trigger('Files', await job('File'), {
    overlap: 'start',
    file: { on: { agent: 'files' }, path: join(folder, '*.csv'), settled: `PT${SETTLED_SECONDS}S` },
  })
  await until(async () => (await many(null, 'SELECT FROM trigger_watches WHERE trigger_id = $1', [id])).length > 0)
  const happened: number[] = []
  for (let i = 0; i < FILES; i++) {
    writeFileSync(join(folder, `${i}.part`), String(i))
    renameSync(join(folder, `${i}.part`), join(folder, `${i}.csv`))
    happened.push(Date.now())
    await until(async () => (await many(null, 'SELECT FROM runs WHERE trigger_id = $1', [id])).length > i)
    await pause(Math.random() * 1000)
  }
  return percentiles((await lagsOf(id, happened)).map((ms) => ms - SETTLED_SECONDS * 1000))
}

async function main(): Promise<void> {
  const made = await prepare()
  start('engine')
  start('web')
  const result = {
    backlogToRunMs: await backlog(made),
    callToNumberMs: { perSecond: CALLS_A_SECOND, ...(await calls(made)) },
    fileBeyondSettledMs: await files(made),
  }
  console.log(JSON.stringify({ ...result, rows: await one(null, 'SELECT count(*)::int AS runs FROM runs') }, null, 2))
  await closeDb()
  process.exit(0)
}

void main()
