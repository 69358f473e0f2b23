import { spawn } from 'node:child_process'
import { monitorEventLoopDelay } from 'node:perf_hooks'
import { dirname, join } from 'node:path'
import { reportSchema } from '@/core/reports/definition'
import { jobDefinitionSchema } from '@/core/work/job'
import { exportFile } from '@/app/server/export-files'
import { COMMAND_LINE, type Actor } from '@/service/base/actor'
import { exportSchema } from '@/service/exports/exports'
import { actorOfPerson } from '@/service/people/sessions'
import { makeNext } from '@/service/reports/making'
import { addReport } from '@/service/reports/reports'
import { makeReport, oneResult } from '@/service/reports/results'
import { addArea } from '@/service/work/areas'
import { addJob } from '@/service/work/work'
import { closeDb, db, execute } from '@/store/db'
import { migrate } from '@/store/migrate'

const RUNS = 300_000
/** Reports look at the last of them. */
const REPORTED = 100_000
const JOBS = 400
const SECONDS_BETWEEN = 20

async function fill(): Promise<void> {
  await migrate()
  const { id: areaId } = await addArea(COMMAND_LINE, { title: 'Sailing', notes: '' })
  const definition = jobDefinitionSchema.parse({
    action: { kind: 'command', command: 'true' },
    target: { labels: { os: 'linux' } },
  })
  for (let i = 0; i < JOBS; i++)
    await addJob(COMMAND_LINE, { title: `Job ${i}`, notes: '', areaId, active: true, definition })
  await execute(
    null,
    `INSERT INTO runs (job_id, job_version, area_id, target, kind, cause, starter_name, state, priority, created_at, ready_at, started_at, ended_at, duration_ms, exit_code, attempts, reason, due_at)
     SELECT j.id, 1, j.area_id, '{"pool":"quay"}', 'command', 'trigger', 'nightly', CASE WHEN i % 33 = 0 THEN 'failed' ELSE 'succeeded' END, 2, t, t, t + interval '1 s',
            t + make_interval(secs => 5 + i % 900), (4 + i % 900) * 1000, 0, 1, 'Exit code ' || (i % 33 = 0)::int || '.', CASE WHEN i % 5 = 0 THEN t + interval '10 min' END
       FROM generate_series(1, ${RUNS}) AS i
       CROSS JOIN LATERAL (SELECT now() - make_interval(secs => (${RUNS} - i) * ${SECONDS_BETWEEN}) AS t) x
       JOIN jobs j ON j.id = 1 + (i * 7) % ${JOBS}`,
  )
  await execute(null, 'ANALYZE')
}

/** Seconds, the most memory above what it began with in MiB, and how long nothing else got its turn: 99 of 100 times no longer, in ms. */
async function measured(work: () => Promise<void>): Promise<{ seconds: number; memoryMiB: number; blockedMs: number }> {
  const delay = monitorEventLoopDelay({ resolution: 5 })
  delay.enable()
  globalThis.gc?.()
  const before = process.memoryUsage().rss
  let most = before
  const watch = setInterval(() => (most = Math.max(most, process.memoryUsage().rss)), 20)
  const began = performance.now()
  await work()
  clearInterval(watch)
  delay.disable()
  return {
    blockedMs: Math.round(delay.percentile(99) / 1e6),
    seconds: Math.round((performance.now() - began) / 10) / 100,
    memoryMiB: Math.round((most - before) / 1024 / 1024),
  }
}

async function taken(response: Response): Promise<number> {
  let bytes = 0
  for await (const piece of response.body as unknown as AsyncIterable<Uint8Array>) bytes += piece.byteLength
  return bytes
}

/** The same rows as the database itself writes them. */
const copied = (): Promise<void> =>
  new Promise((resolve, reject) => {
    const psql = join(dirname(process.env.BUGLE_BENCH_PGBENCH as string), 'psql')
    const sql = `COPY (SELECT r.*, j.title, a.path FROM runs r JOIN jobs j ON j.id = r.job_id JOIN areas a ON a.id = r.area_id ORDER BY r.id DESC) TO STDOUT (FORMAT csv)`
    const child = spawn(psql, [process.env.DATABASE_URL as string, '-c', sql], { stdio: ['ignore', 'pipe', 'inherit'] })
    child.stdout.resume()
    child.on('error', reject)
    child.on('exit', (code) => (code === 0 ? resolve() : reject(new Error(`psql ended with ${code}`))))
  })

async function report(actor: Actor, kind: string, details = false): Promise<object> {
  const days = Math.ceil((REPORTED * SECONDS_BETWEEN) / 86_400)
  const { id } = await addReport(
    actor,
    reportSchema.parse({ title: `All ${kind}`, kind, period: { days }, zone: 'Europe/London', options: { details } }),
  )
  const { id: resultId } = await makeReport(actor, id)
  const figures = await measured(async () => {
    await makeNext()
  })
  const { pages, state } = await oneResult(actor, resultId)
  return { ...figures, pages, state }
}

async function main(): Promise<void> {
  await fill()
  const person = await db().people.create({ email: 'p@marram.example', name: 'Person', role: 'administrator' })
  const actor = (await actorOfPerson(person.id, '')) as Actor
  const copy = await measured(copied)
  const exports: Record<string, object> = {}
  for (const format of ['csv', 'jsonl', 'xlsx'] as const) {
    let bytes = 0
    const figures = await measured(async () => {
      bytes = await taken(await exportFile(actor, exportSchema.parse({ list: 'runs', format })))
    })
    exports[format] = {
      ...figures,
      MiB: Math.round(bytes / 1024 / 1024),
      timesCopy: Math.round((10 * figures.seconds) / copy.seconds) / 10,
    }
  }
  const reports: Record<string, object> = {}
  for (const kind of ['runs', 'failures', 'deadlines', 'load', 'worth']) reports[kind] = await report(actor, kind)
  reports['runs with details'] = await report(actor, 'runs', true)
  process.stdout.write(
    `${JSON.stringify({ rows: RUNS, copySeconds: copy.seconds, exports, runsReported: REPORTED, reports }, null, 2)}\n`,
  )
  await closeDb()
}

void main()
