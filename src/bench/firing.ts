import { spawn, type ChildProcess } from 'node:child_process'
import { FORMAT } from '@/core/bundle/schema'
import { COMMAND_LINE } from '@/service/base/actor'
import { importBundle } from '@/service/exchange/bundle-in'
import { closeDb, execute, many, maybeOne, one } from '@/store/db'
import { notify } from '@/store/listen'
import { migrate } from '@/store/migrate'

/**
 * npm run bench:firing [triggers] [due] [off]: so many triggers of which so many are due in the same second, three times; one engine of two is killed at the second. A forecast is begun every other
 * second meanwhile; `off`: the engines make none.
 */
const TRIGGERS = Number(process.argv[2] ?? 5000)
const DUE = Number(process.argv[3] ?? 500)
const FORECAST = process.argv[4] === 'off' ? 'off' : 'on'
const LEAD_SECONDS = 8
const BETWEEN_SECONDS = 8
const pause = (ms: number): Promise<void> => new Promise((resolve) => setTimeout(resolve, ms))
const timeOfDay = (ms: number): string => new Date(ms).toISOString().slice(11, 19)

const engines = new Map<string, ChildProcess>()
function startEngine(name: string, port: number): void {
  const child = spawn(process.execPath, [`${process.env.BUGLE_DIST}/engine.cjs`], {
    env: { ...process.env, BUGLE_GATEWAY_PORT: String(port), BUGLE_LOG: 'fatal', BUGLE_FORECAST: FORECAST },
    stdio: 'ignore',
  })
  engines.set(name, child)
}

interface Lead {
  readonly epoch: number
  readonly pid: number | null
}
/** Who leads: engines register with their process id. */
async function lead(): Promise<Lead> {
  return one<Lead>(
    null,
    `SELECT l.epoch::int AS epoch, e.pid FROM leadership l LEFT JOIN engines e ON e.id = l.engine_id`,
  )
}

/** When each run of an occurrence could first be seen by others, milliseconds after the instant. */
async function watchWave(atMs: number): Promise<number[]> {
  const seen = new Map<number, number>()
  const until = atMs + 7000
  while (Date.now() < until && seen.size < DUE) {
    const rows = await many<{ id: number }>(null, 'SELECT id FROM runs WHERE occurrence = $1', [new Date(atMs)])
    const now = Date.now()
    for (const { id } of rows) if (!seen.has(id)) seen.set(id, now - atMs)
    await pause(5)
  }
  return [...seen.values()].sort((a, b) => a - b)
}

const at = (sorted: readonly number[], part: number): number | null =>
  sorted[Math.min(sorted.length - 1, Math.floor(part * sorted.length))] ?? null
const summary = (sorted: readonly number[]): object => ({
  runs: sorted.length,
  p50Ms: at(sorted, 0.5),
  p99Ms: at(sorted, 0.99),
  maxMs: sorted.at(-1) ?? null,
})

/** As many plain rows in one statement, for comparison. */
async function plainInsert(): Promise<number> {
  await execute(null, 'CREATE TABLE plain AS SELECT * FROM runs LIMIT 0')
  const began = process.hrtime.bigint()
  await execute(null, 'INSERT INTO plain SELECT * FROM runs LIMIT $1', [DUE])
  return Number(process.hrtime.bigint() - began) / 1e6
}

async function main(): Promise<void> {
  await migrate()
  const own = Number(process.env.BUGLE_GATEWAY_PORT)
  const nowMs = Date.now()
  const definitions = await define(nowMs)
  const definedMs = Date.now() - nowMs
  startEngine('one', own)
  startEngine('two', own + 1)
  while ((await lead()).pid === null) await pause(50)

  // The waves are set only now: making thousands of triggers takes its time.
  const first = Math.ceil(Date.now() / 1000) * 1000 + LEAD_SECONDS * 1000
  const waves = [0, 1, 2].map((i) => first + i * BETWEEN_SECONDS * 1000)
  await importBundle(COMMAND_LINE, { ...definitions, triggers: dueTriggers(waves) }, false)
  const waking = setInterval(() => void notify(null, { timing: true }), 2000)
  const calm = await watchWave(waves[0] as number)

  const before = await lead()
  const leader = [...engines.values()].find((child) => child.pid === before.pid)
  const killAt = (waves[1] as number) + 20
  let killedMs = 0
  setTimeout(() => {
    killedMs = Date.now()
    leader?.kill('SIGKILL')
  }, killAt - Date.now())
  const takeover = (async (): Promise<number> => {
    while (Date.now() < killAt || (await lead()).epoch === before.epoch) await pause(5)
    return Date.now() - killedMs
  })()
  const [killed, tookOverMs] = await Promise.all([watchWave(waves[1] as number), takeover])
  const after = await watchWave(waves[2] as number)
  clearInterval(waking)
  const { runs, distinct } = await one<{ runs: number; distinct: number }>(
    null,
    'SELECT count(*)::int AS runs, count(DISTINCT (trigger_id, occurrence))::int AS distinct FROM runs WHERE occurrence IS NOT NULL',
  )
  const plainMs = await plainInsert()
  process.stdout.write(
    `${JSON.stringify(
      {
        triggers: TRIGGERS,
        due: DUE,
        forecast: FORECAST,
        definedSeconds: definedMs / 1000,
        calm: summary(calm),
        leaderKilledAtTheInstant: { ...summary(killed), tookOverMs },
        after: summary(after),
        twice: runs - distinct,
        missing: DUE * 3 - distinct,
        plainInsertMs: Math.round(plainMs * 10) / 10,
        timesPlainInsert: Math.round(((at(calm, 0.99) ?? 0) / plainMs) * 10) / 10,
      },
      null,
      2,
    )}\n`,
  )
}

/** A job, a calendar, and triggers at all kinds of times from the day after tomorrow on. */
async function define(nowMs: number): Promise<object> {
  const from = new Date(nowMs + 2 * 86_400_000).toISOString().slice(0, 10)
  const base = {
    format: FORMAT,
    calendars: [
      {
        id: 'working-days',
        days: { all: [{ weekdays: ['MO', 'TU', 'WE', 'TH', 'FR'] }, { not: { holidays: { country: 'GB' } } }] },
      },
    ],
    pools: [{ id: 'all' }],
    jobs: [{ id: 'tick', kind: 'wait', wait: 'PT1M', pool: 'all' }],
  }
  const triggers = Array.from({ length: TRIGGERS - DUE }, (_, i) => ({
    id: `other-${i}`,
    start: { job: 'tick' },
    from,
    time: i % 2 === 0 ? { at: [timeOfDay((i % 1440) * 60_000)] } : { every: { step: `PT${5 + (i % 50)}M` } },
    ...(i % 3 === 0 ? { on: { calendar: 'working-days' } } : {}),
  }))
  await importBundle(COMMAND_LINE, { ...base, triggers }, false)
  return base
}

function dueTriggers(waves: readonly number[]): object[] {
  return Array.from({ length: DUE }, (_, i) => ({
    id: `due-${i}`,
    start: { job: 'tick' },
    time: { at: waves.map(timeOfDay) },
    overlap: 'start',
  }))
}

main()
  .catch((error: unknown) => {
    process.stderr.write(`${String(error)}\n`)
    process.exitCode = 1
  })
  .finally(async () => {
    for (const child of engines.values()) child.kill('SIGKILL')
    await maybeOne(null, 'SELECT 1 AS one').catch(() => undefined)
    await closeDb()
  })
