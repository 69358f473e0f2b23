import { randomUUID } from 'node:crypto'
import { firings } from '@/core/events/measure'
import { seededRandom } from '@/core/stats/random'
import { ADMIN, freshDatabase, OPERATOR, VIEWER } from '@/store/database.test-help'
import { execute, many, one } from '@/store/db'
import { ended, lease, makeAgent, makeJob, report, started } from '@/service/fixtures.test-help'
import { addItems, arriveSchema } from '@/service/queues/arrive'
import { addQueue, queueSchema } from '@/service/queues/queues'
import { takeLeadership } from '@/service/runs/leadership'
import { startRun, startSchema } from '@/service/runs/start'
import { addArea } from '@/service/work/areas'
import { oneJob } from '@/service/work/work'
import { decideEvents } from './events'
import { jobMeasures, listMeasures, measureListSchema } from './measure-list'
import { condenseMeasures, fireMeasures, measureQuerySchema, measureValues, sampleMeasures } from './measures'
import { makeTrigger } from './timing.test-help'
import { changeTriggers, oneTrigger, saveTrigger } from './triggers'

freshDatabase()

let db1: number
let db2: number
beforeAll(async () => {
  db1 = await makeAgent('kelda-db1')
  db2 = await makeAgent('kelda-db2')
  await execute(null, `INSERT INTO pools (name, title) VALUES ('data', 'Data')`)
  await execute(null, 'INSERT INTO pool_members SELECT p.id, a.id FROM pools p, agents a')
  await takeLeadership(randomUUID())
})
beforeEach(() => execute(null, 'DELETE FROM measure_values'))

const MINUTE = 60_000
const START = Date.now() - 3 * 3_600_000
/** Values of an agent's memory, a minute apart, from so many minutes after the start. */
async function memory(agentId: number, from: number, ...values: number[]): Promise<void> {
  for (const [i, value] of values.entries())
    await execute(null, `INSERT INTO measure_values VALUES ('agent', $1, 'memory', $2, $3)`, [
      agentId,
      new Date(START + (from + i) * MINUTE),
      value,
    ])
}
const MEASURE = { of: { agent: 'kelda-db1' }, name: 'memory', above: 90, times: 3, clear: 80 }
async function watching(measure: object = MEASURE): Promise<number> {
  const id = await makeTrigger({ time: undefined, measure, overlap: 'start' })
  await execute(null, 'UPDATE triggers SET counted_from = $2 WHERE id = $1', [id, new Date(START - MINUTE)])
  return id
}
async function look(): Promise<number> {
  const { epoch } = await one<{ epoch: number }>(null, 'SELECT epoch FROM leadership')
  await fireMeasures(epoch)
  return (await decideEvents(epoch, Date.now())).started
}
const firedBy = async (trigger: number): Promise<[string, number][]> =>
  (
    await many<{ facts: { of: string; value: number } }>(
      null,
      'SELECT e.facts FROM trigger_events e JOIN runs r ON r.event_id = e.id WHERE e.trigger_id = $1 ORDER BY e.id',
      [trigger],
    )
  ).map(({ facts }) => [facts.of, facts.value])

it('fires once when the row is complete, again only when it was cleared, however often it is looked at', async () => {
  const trigger = await watching()
  await memory(db1, 0, 91, 92)
  expect(await look()).toBe(0)
  await memory(db1, 2, 93, 94, 95)
  expect(await look()).toBe(1)
  expect(await look()).toBe(0)
  await memory(db1, 5, 85, 91, 92, 93)
  expect(await look()).toBe(0)
  await memory(db1, 9, 79, 91, 92, 96, 97)
  expect(await look()).toBe(1)
  expect(await firedBy(trigger)).toEqual([
    ['kelda-db1', 93],
    ['kelda-db1', 96],
  ])
  expect((await oneTrigger(ADMIN, trigger)).says).toBe(
    'when memory of kelda-db1 is above 90, 3 times in a row, again once it was below 80',
  )
  await changeTriggers(ADMIN, { ids: [trigger], change: { remove: true } })
})

it('looked at with each value it fires where a look at all of them would, also long after it fired', async () => {
  const random = seededRandom(7)
  const trigger = await watching({ of: { pool: 'data' }, name: 'memory', above: 90, times: 2, clear: 40 })
  const all: number[] = []
  for (let minute = 0; minute < 150; minute++) {
    // Cleared rarely, so that it lies further back than what is looked at.
    const value = random() < 0.02 ? 30 : 85 + Math.floor(random() * 12)
    all.push(value)
    await memory(db1, minute, value)
    if (minute % 3 === 0 || minute > 140) await look()
  }
  await look()
  const values = all.map((value, i) => ({ atMs: START + i * MINUTE, value }))
  const expected = firings({ above: 90, times: 2, clear: 40 }, values).map(({ value }) => ['kelda-db1', value])
  expect(expected.length).toBeGreaterThan(1)
  expect(await firedBy(trigger)).toEqual(expected)
  await changeTriggers(ADMIN, { ids: [trigger], change: { remove: true } })
})

it('of a pool each agent is looked at by itself', async () => {
  const trigger = await watching({ ...MEASURE, of: { pool: 'data' }, times: 2 })
  await memory(db1, 0, 91, 50, 91)
  await memory(db2, 0, 91, 92, 93)
  expect(await look()).toBe(1)
  await memory(db1, 3, 94)
  expect(await look()).toBe(1)
  expect(await firedBy(trigger)).toEqual([
    ['kelda-db2', 92],
    ['kelda-db1', 94],
  ])
  await changeTriggers(ADMIN, { ids: [trigger], change: { remove: true } })
})

it('what was before it was switched on, or its limits were changed, does not count', async () => {
  const trigger = await watching()
  await memory(db1, 0, 91, 92, 93)
  const { title, notes, jobId, enabled, definition, version } = await oneTrigger(ADMIN, trigger)
  const changed = { ...definition, measure: { ...MEASURE, above: 85, clear: undefined } } as typeof definition
  await saveTrigger(ADMIN, trigger, { title, notes, jobId, enabled, version, sure: true, definition: changed })
  expect(await look()).toBe(0)
  expect(await firedBy(trigger)).toEqual([])
  await changeTriggers(ADMIN, { ids: [trigger], change: { remove: true } })
})

/** A job whose runs handed this on, a minute after each other. */
async function measuring(name: string, values: readonly string[], title?: string): Promise<number> {
  const jobId = await makeJob({ target: { agent: 'kelda-db1' } }, title)
  // A minute apart, however long each takes to be made.
  const now = Date.now()
  for (const [i, value] of values.entries()) {
    const { id } = (await startRun(ADMIN, startSchema.parse({ jobId }))) as { id: number }
    const at = now - (values.length - i) * MINUTE
    await report(
      db1,
      await lease(id, db1),
      1,
      { ...started, at: at - 1000 },
      { ...ended(0), at, outputs: { [name]: value } },
    )
    // It cannot have ended before it was handed out: only so are they evenly apart.
    await execute(null, 'UPDATE attempts SET ended_at = $2 WHERE run_id = $1', [id, new Date(at)])
  }
  return jobId
}

it('of a job it looks at what its runs hand on; what is no number is no value', async () => {
  const job = await makeJob({ target: { agent: 'kelda-db1' } })
  const trigger = await watching({ of: { job: (await oneJob(ADMIN, job)).slug }, name: 'largest', above: 10, times: 2 })
  // Evenly, whatever the machine is busy with: a long gap would begin the row anew.
  let minute = 0
  const run = async (largest: string): Promise<void> => {
    const { id } = await startRun(ADMIN, startSchema.parse({ jobId: job }))
    await report(db1, await lease(id, db1), 1, started, { ...ended(0), outputs: { largest } })
    await execute(null, 'UPDATE attempts SET ended_at = $2 WHERE run_id = $1', [
      id,
      new Date(START + minute++ * MINUTE),
    ])
  }
  for (const value of ['11', 'many', '9', '12.5']) await run(value)
  expect(await look()).toBe(0)
  await run('1.3e1')
  expect(await look()).toBe(1)
  expect((await firedBy(trigger)).map(([, value]) => value)).toEqual([13])
  await changeTriggers(ADMIN, { ids: [trigger], change: { remove: true } })
})

it('of a job a number that no machine can hold is no value, and takes no other with it', async () => {
  const { slug } = await oneJob(
    ADMIN,
    await measuring('n', ['1', '1e999', '9'.repeat(400), `${'0'.repeat(90)}2`, '-.5e3']),
  )
  const [series] = await measureValues(VIEWER, measureQuerySchema.parse({ job: slug, name: 'n' }))
  expect(series?.values.map(({ value }) => value)).toEqual([1, 2, -500])
})

it('all that is measured is a list: what it is now, what it usually is, whether it drifts; a page at a time', async () => {
  const rising = await measuring(
    'rows',
    Array.from({ length: 20 }, (_, i) => String(1000 + 40 * i)),
    'Booking rows',
  )
  await memory(db1, 0, 40, 41, 42)
  await execute(null, `UPDATE agent_contacts SET measures = '{"memory": 42}' WHERE agent_id = $1`, [db1])
  const list = (change: object = {}): ReturnType<typeof listMeasures> =>
    listMeasures(VIEWER, measureListSchema.parse({ text: 'booking', ...change }))
  const { rows, total } = await list()
  expect([rows.length, total]).toEqual([1, 1])
  expect(rows[0]).toMatchObject({ kind: 'job', id: rising, title: 'Booking rows', name: 'rows', last: { value: 1760 } })
  expect(rows[0]?.band).toEqual({ low: 1038, middle: 1380, high: 1722 })
  expect(rows[0]?.drift?.change).toBeCloseTo(0.76, 1)
  const agents = await list({ text: 'memory', kind: 'agent' })
  expect(agents.rows).toMatchObject([
    { kind: 'agent', title: 'kelda-db1', last: { value: 42 }, band: null, drift: null },
  ])
  expect(await list({ skip: 1 })).toEqual({ rows: [], total: 1 })
  const { runs } = await jobMeasures(VIEWER, rising)
  expect(runs.map(({ values }) => values.rows)).toEqual(Array.from({ length: 20 }, (_, i) => 1000 + 40 * i))
})

it('one value a minute is kept of agents that were heard of and of queues that are on', async () => {
  const { id: areaId } = await addArea(ADMIN, { title: 'Refund desk' })
  const queue = await addQueue(ADMIN, queueSchema.parse({ title: 'Refunds', areaId }))
  await addItems(OPERATOR, queue.id, arriveSchema.parse({ items: [{ data: {} }, { data: {} }] }))
  await execute(null, `UPDATE items SET created_at = now() - interval '5 minutes'`)
  await execute(null, `UPDATE agent_contacts SET measures = '{"memory": 61.5, "disk": 40}' WHERE agent_id = $1`, [db1])
  await execute(
    null,
    `UPDATE agent_contacts SET measures = '{"memory": 10}', last_contact_at = now() - interval '2 minutes' WHERE agent_id = $1`,
    [db2],
  )
  await sampleMeasures()
  await sampleMeasures()
  const kept = await many<{ kind: string; name: string; value: number }>(
    null,
    'SELECT kind, name, value FROM measure_values ORDER BY kind, name',
  )
  expect(kept.filter(({ name }) => name !== 'oldest')).toEqual([
    { kind: 'agent', name: 'disk', value: 40 },
    { kind: 'agent', name: 'memory', value: 61.5 },
    { kind: 'queue', name: 'waiting', value: 2 },
  ])
  expect(kept.find(({ name }) => name === 'oldest')?.value).toBeGreaterThanOrEqual(300)
  const asked = measureQuerySchema.parse({ queue: queue.slug, name: 'waiting' })
  expect(await measureValues(VIEWER, asked)).toEqual([
    { of: 'Refunds', values: [{ atMs: expect.any(Number), value: 2 }] },
  ])
})

it('after two weeks the hour is left: least, median and most', async () => {
  const hour = new Date('2026-01-05T10:00:00Z').getTime()
  for (const [minutes, value] of [
    [0, 5],
    [20, 9],
    [59, 6],
    [60, 40],
  ] as const)
    await execute(null, `INSERT INTO measure_values VALUES ('agent', $1, 'memory', $2, $3)`, [
      db1,
      new Date(hour + minutes * MINUTE),
      value,
    ])
  while (await condenseMeasures());
  expect(await many(null, 'SELECT least, median, most FROM measure_hours ORDER BY at')).toEqual([
    { least: 5, median: 6, most: 9 },
    { least: 40, median: 40, most: 40 },
  ])
  expect(await many(null, 'SELECT FROM measure_values')).toEqual([])
})

it.each([
  [{ ...MEASURE, below: 3 }, 'definition.measure.above'],
  [{ ...MEASURE, clear: 95 }, 'definition.measure.clear'],
  [{ ...MEASURE, name: 'heat' }, 'definition.measure.name'],
  [{ ...MEASURE, of: { agent: 'a', pool: 'b' } }, 'definition.measure.of'],
])('%j is refused', async (measure, path) => {
  await expect(makeTrigger({ time: undefined, measure })).rejects.toMatchObject({
    issues: [expect.objectContaining({ path: path.split('.').slice(1) })],
  })
})
