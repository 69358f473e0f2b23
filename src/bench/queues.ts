import { spawnSync } from 'node:child_process'
import { mkdtempSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { timesOf } from './shared'
import { COMMAND_LINE } from '@/service/base/actor'
import { listQueues, tideOf, tideSchema } from '@/service/queues/figures'
import { addFromFile } from '@/service/queues/from-file'
import { itemPageSchema, listItems } from '@/service/queues/items'
import { addQueue, queueSchema } from '@/service/queues/queues'
import { endTake, takeNext } from '@/service/queues/takes'
import { closeDb, execute, one, transaction } from '@/store/db'
import { migrate } from '@/store/migrate'

const ITEMS = 1_000_000
const WAITING = 100_000
const TAKERS = 8
const SECONDS = 8
const ROUNDS = 40
const FILE_ROWS = 100_000

/** A queue with a year behind it: most items done, one in thirty rejected or failed, a tenth waiting, each with its take. */
async function fill(): Promise<{ queue: number; attempts: number[] }> {
  await migrate()
  await execute(null, `INSERT INTO areas (id, title) VALUES (1, 'Refunds')`)
  const { id: queue } = await addQueue(COMMAND_LINE, queueSchema.parse({ title: 'Refunds', areaId: 1, keys: 'open' }))
  await execute(
    null,
    `INSERT INTO items (queue_id, key, data, priority, due, tries, state, reason, came_by, created_at, ended_at)
     SELECT $1, 'MS-' || i, jsonb_build_object('booking', 'MS-' || i, 'amount', i % 900), (ARRAY[0,1,2,2,2,2,3])[1 + i % 7],
            CASE WHEN i % 3 = 0 THEN t + interval '1 day' END, 1, s, '', 'bench', t, CASE WHEN s <> 'waiting' THEN t + interval '20 minutes' END
       FROM generate_series(1, ${ITEMS}) AS i
      CROSS JOIN LATERAL (SELECT now() - make_interval(secs => (${ITEMS} - i) * 30) AS t,
                                 CASE WHEN i > ${ITEMS - WAITING} THEN 'waiting' WHEN i % 60 = 0 THEN 'failed' WHEN i % 60 = 30 THEN 'rejected' ELSE 'done' END AS s) x`,
    [queue],
  )
  await execute(
    null,
    `INSERT INTO item_takes (item_id, agent, taken_at, ended_at, outcome) SELECT id, 'desk', ended_at - interval '9 s', ended_at, state FROM items WHERE ended_at IS NOT NULL`,
  )
  await execute(null, `INSERT INTO item_keys SELECT queue_id, key, id FROM items WHERE state = 'waiting'`)
  await execute(
    null,
    `INSERT INTO jobs (id, slug, title, area_id, saved_by) VALUES (1, 'refund', 'Refund', 1, 'bench')`,
  )
  await execute(null, `INSERT INTO job_versions (job_id, version, definition) VALUES (1, 1, '{}')`)
  await execute(
    null,
    `INSERT INTO agents (id, name, machine_id, host, system, arch, version, runtime, credential_hash) VALUES (1, 'desk', 'm', 'h', '', '', '1.0.0', '', 'hash')`,
  )
  const attempts: number[] = []
  for (let i = 0; i < TAKERS; i++) {
    const run = await one<{ id: number }>(
      null,
      `INSERT INTO runs (job_id, job_version, area_id, target, kind, cause, state, priority, ready_at) VALUES (1, 1, 1, '{"pool":"p"}', 'command', 'person', 'running', 2, now()) RETURNING id`,
    )
    const attempt = await one<{ id: number }>(
      null,
      `INSERT INTO attempts (run_id, number, agent_id, state, lease_until, handed_at) VALUES ($1, 1, 1, 'running', now(), now()) RETURNING id`,
      [run.id],
    )
    attempts.push(attempt.id)
  }
  await execute(null, 'VACUUM ANALYZE')
  return { queue, attempts }
}

/** Items taken and done a second, by takers beside each other, each take and each end a transaction as when an agent asks. */
async function takesPerSecond(queue: number, attempts: readonly number[]): Promise<number> {
  const until = performance.now() + SECONDS * 1000
  let done = 0
  await Promise.all(
    attempts.map(async (attemptId, i) => {
      const taker = { attemptId, runId: i + 1, agent: 'desk', robot: null }
      while (performance.now() < until) {
        const taken = await transaction((tx) => takeNext(tx, queue, taker))
        if (!taken) return
        await transaction((tx) => endTake(tx, attemptId, taken.item, { how: 'done' }, { result: { receipt: 'R-1' } }))
        done++
      }
    }),
  )
  return Math.round(done / SECONDS)
}

/** The same rows written by bare SQL, two transactions an item, by pgbench with as many connections. */
function bareTakesPerSecond(queue: number): number {
  const file = join(mkdtempSync(join(tmpdir(), 'bugle-pgbench-')), 'take.sql')
  writeFileSync(
    file,
    `UPDATE items SET state = 'taken', version = version + 1 WHERE id = (SELECT id FROM items WHERE queue_id = ${queue} AND state = 'waiting' AND not_before IS NULL
  ORDER BY priority, coalesce(due, 'infinity'), id LIMIT 1 FOR UPDATE SKIP LOCKED) RETURNING id AS item \\gset
INSERT INTO item_takes (item_id, attempt_id, run_id, agent) VALUES (:item, 1, 1, 'desk');
BEGIN;
UPDATE items SET state = 'done', version = version + 1, result = '{"receipt": "R-1"}', ended_at = now() WHERE id = :item;
UPDATE item_takes SET ended_at = now(), outcome = 'done' WHERE item_id = :item AND ended_at IS NULL;
DELETE FROM item_keys WHERE item_id = :item;
COMMIT;
`,
  )
  const ran = spawnSync(
    process.env.BUGLE_BENCH_PGBENCH as string,
    ['-n', '-c', String(TAKERS), '-j', '1', '-T', String(SECONDS), '-f', file, process.env.DATABASE_URL as string],
    { encoding: 'utf8' },
  )
  return Math.round(Number(/tps = ([\d.]+)/.exec(ran.stdout)?.[1] ?? Number.NaN))
}

async function listsOf(queue: number): Promise<Record<string, number>> {
  const day = (daysAgo: number): string => new Date(Date.now() - daysAgo * 86_400_000).toISOString()
  const FILTERS: Record<string, Record<string, string>> = {
    'first rows': {},
    waiting: { state: 'waiting' },
    'rejected and failed': { state: 'rejected,failed' },
    taken: { state: 'taken' },
    urgent: { priority: 'urgent' },
    'a key': { key: 'MS-4711' },
    'a number': { key: '4711' },
    'past due': { overdue: 'yes' },
    'a run': { run: '1' },
    'came on a day': { cameFrom: day(3), cameTo: day(2) },
    'ended on a day': { endedFrom: day(90), endedTo: day(89) },
  }
  const of: Record<string, number> = {}
  for (const [name, filter] of Object.entries(FILTERS))
    of[`items, ${name}`] = (
      await timesOf(ROUNDS, () => listItems(COMMAND_LINE, queue, itemPageSchema.parse(filter)))
    ).p95
  of['queues with their figures'] = (await timesOf(ROUNDS, () => listQueues(COMMAND_LINE))).p95
  for (const over of ['hour', 'day', 'week'])
    of[`tide of a ${over}`] = (await timesOf(ROUNDS, () => tideOf(COMMAND_LINE, queue, tideSchema.parse({ over })))).p95
  return of
}

async function fileSeconds(): Promise<number> {
  const { id } = await addQueue(
    COMMAND_LINE,
    queueSchema.parse({
      title: 'From a file',
      areaId: 1,
      keys: 'open',
      schema: { type: 'object', properties: { amount: { type: 'number' } }, required: ['amount'] },
    }),
  )
  const rows = Array.from({ length: FILE_ROWS }, (_, i) => `MS-${i},${i % 900},Tarness,normal\n`)
  const file = Buffer.from(`key,amount,from,priority\n${rows.join('')}`)
  const began = performance.now()
  await addFromFile(COMMAND_LINE, id, { format: 'csv' }, async function* () {
    await Promise.resolve()
    yield file
  })
  return Math.round((performance.now() - began) / 100) / 10
}

async function main(): Promise<void> {
  const { queue, attempts } = await fill()
  const lists = await listsOf(queue)
  const taker = { attemptId: attempts[0] as number, runId: 1, agent: 'desk', robot: null }
  const takeMs = await timesOf(400, () => transaction((tx) => takeNext(tx, queue, taker)))
  const perSecond = await takesPerSecond(queue, attempts)
  const bare = bareTakesPerSecond(queue)
  const csvSeconds = await fileSeconds()
  process.stdout.write(
    `${JSON.stringify({ items: ITEMS, waiting: WAITING, takeMs, takenAndDonePerSecond: perSecond, bare, ratio: Math.round((perSecond / bare) * 100) / 100, listsP95: lists, csvRows: FILE_ROWS, csvSeconds }, null, 2)}\n`,
  )
  await closeDb()
}

main().catch((error: unknown) => {
  process.stderr.write(`${String((error as Error).stack ?? error)}\n`)
  process.exit(1)
})
