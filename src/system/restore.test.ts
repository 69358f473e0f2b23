import type { SinceBackUp, Taken } from '@/service/runs/taking'
import { eventually, poolOfAll, startSystem, type System } from './harness.test-help'

jest.setTimeout(180_000)

let system: System
afterEach(() => system.stop())

const LINES = 60
const EXPECTED = Array.from({ length: LINES }, (_, i) => `line ${i + 1}`)

async function makeJob(title: string, script: string): Promise<number> {
  const { id: areaId } = await system.api<{ id: number }>('POST', '/areas', { title: `Area of ${title}` })
  const definition = {
    action: { kind: 'script', interpreter: 'sh', script },
    target: { pool: 'all' },
    folder: system.dir,
  }
  return (await system.api<{ id: number }>('POST', '/jobs', { title, areaId, definition })).id
}
const start = async (jobId: number): Promise<number> =>
  (await system.api<{ id: number }>('POST', '/runs', { jobId })).id
const stateOf = async (id: number): Promise<string | undefined> =>
  (await system.query<{ state: string }>('SELECT state FROM runs WHERE id = $1', [id]))[0]?.state
const linesStored = async (id: number): Promise<string[]> => {
  const chunks = await system.query<{ lines: [number, string, string][] }>(
    'SELECT c.lines FROM attempts a JOIN output_chunks c ON c.attempt_id = a.id WHERE a.run_id = $1 ORDER BY c.first_line',
    [id],
  )
  return chunks.flatMap((c) => c.lines.filter(([, stream]) => stream === 'o').map(([, , text]) => text))
}
const fired = async (): Promise<number> =>
  (await system.query<{ n: number }>('SELECT count(*)::int AS n FROM runs WHERE occurrence IS NOT NULL'))[0]?.n ?? 0

it('a back-up that was restored knows again what agents did since, and starts nothing a second time', async () => {
  system = await startSystem({ leaseSeconds: 60, slots: 8 })
  await poolOfAll(system)
  const all = ['web', 'engine1', 'engine2']
  for (const name of [...all, 'agent1', 'agent2']) await system.start(name)
  const ended = await makeJob('Ends meanwhile', `for i in $(seq 1 ${LINES}); do echo "line $i"; sleep 0.05; done`)
  const going = await makeJob('Goes on', `for i in $(seq 1 ${LINES}); do echo "line $i"; sleep 0.4; done`)
  const tick = await makeJob('Tick', 'true')
  await system.api('POST', '/triggers', {
    title: 'Every second',
    jobId: tick,
    definition: { zone: 'UTC', time: { every: { step: 'PT1S' } }, overlap: 'start', makeUp: 'each' },
    sure: true,
  })
  const [short, long] = [await start(ended), await start(going)]
  await eventually(
    'the first lines',
    async () => (await linesStored(short)).length > 5 && (await linesStored(long)).length > 1,
  )
  await eventually('some starts', async () => (await fired()) > 2)
  const file = await system.backUp()
  const last = (await system.query<{ id: number }>('SELECT max(id)::int AS id FROM runs'))[0]?.id ?? 0

  await eventually('the end of what was going', async () => (await stateOf(short)) === 'succeeded')
  const since = await start(tick)
  await eventually('the end of what was begun since', async () => (await stateOf(since)) === 'succeeded')
  await eventually(
    'an occurrence that was carried out since',
    async () =>
      ((
        await system.query<{ n: number }>(
          `SELECT count(*)::int AS n FROM runs WHERE occurrence IS NOT NULL AND state = 'succeeded' AND id > ${last}`,
        )
      )[0]?.n ?? 0) > 0,
  )
  for (const name of all) await system.kill(name)
  await system.restore(file)
  const before = await fired()
  expect(await stateOf(since)).not.toBe('succeeded')
  expect(await system.bugle('restored')).toEqual({ starts: 'off' })
  for (const name of all) await system.start(name)

  await eventually('the end as it was', async () => (await stateOf(short)) === 'succeeded')
  await eventually('the end of what went on', async () => (await stateOf(long)) === 'succeeded')
  expect(await linesStored(short)).toEqual(EXPECTED)
  expect(await linesStored(long)).toEqual(EXPECTED)
  const tries = await system.query<{ n: number }>('SELECT count(*)::int AS n FROM attempts WHERE run_id = ANY($1)', [
    [short, long],
  ])
  expect(tries[0]?.n).toBe(2)
  // Nothing that was due meanwhile was started, and a person is told.
  expect(await fired()).toBe(before)
  expect(await system.api<{ on: boolean }>('GET', '/starts')).toMatchObject({ on: false })
  expect((await system.api<{ title: string }[]>('GET', '/matters')).map(({ title }) => title)).toContain(
    'The database was restored from a back-up',
  )
  // What was begun since is known again, and goes into the record as it was, with its output and its occurrence.
  const found = async (): Promise<SinceBackUp> => system.api<SinceBackUp>('GET', '/since-back-up')
  // Both agents tell, each in its time.
  await eventually('what was begun since', async () => {
    const { runs } = await found()
    return runs.some(({ run }) => run === since) && runs.some(({ run, by }) => run > last && by === 'Every second')
  })
  const attempts = (await found()).runs.map(({ attempt, token }) => ({ attempt, token }))
  const taken = await system.api<Taken>('POST', '/since-back-up', { act: 'take', attempts })
  expect(taken).toEqual({ done: expect.arrayContaining([since]), passedOver: [] })
  await eventually('how it went', async () => (await stateOf(since)) === 'succeeded')
  await eventually('the occurrences that were carried out', async () => (await fired()) > before)
  // New numbers are not those that were given out since the back-up.
  expect(await start(tick)).toBeGreaterThan(since)
})
