import { mkdirSync, renameSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { crashChance, eventually, killAtRandom, pause, poolOfAll, startSystem, type System } from './harness.test-help'

jest.setTimeout(300_000)

let system: System
afterEach(() => system.stop())

const CALLS = 25
const FILES = 25

it('each call, each file and each end that a trigger waits for starts exactly one run while everything is killed at random', async () => {
  const random = crashChance()
  system = await startSystem({ leaseSeconds: 30, slots: 8 })
  const everything = ['engine1', 'engine2', 'web', 'agent1', 'agent2']
  for (const name of everything) await system.start(name)
  await poolOfAll(system)
  const { id: areaId } = await system.api<{ id: number }>('POST', '/areas', { title: 'Harbour' })
  const job = async (title: string, ...inputs: string[]): Promise<number> => {
    const { id } = await system.api<{ id: number }>('POST', '/jobs', {
      title,
      areaId,
      definition: {
        action: { kind: 'command', command: 'true' },
        target: { pool: 'all' },
        folder: system.dir,
        inputs: inputs.map((name) => ({ name, type: 'text' })),
      },
    })
    return id
  }
  const trigger = async (title: string, jobId: number, definition: object): Promise<number> => {
    const request = { title, jobId, definition: { overlap: 'start', stopAfter: 1000, ...definition } }
    return (await system.api<{ id: number }>('POST', '/triggers', request)).id
  }
  const folder = join(system.dir, 'in')
  mkdirSync(folder)
  const arrive = await job('Arrive', 'vessel')
  const called = await trigger('Called', arrive, { call: {}, with: { vessel: { from: '/vessel' } } })
  const filed = await trigger('Filed', await job('File', 'file'), {
    file: { on: { agent: 'agent1' }, path: join(folder, '*.csv'), settled: 'PT1S' },
  })
  const after = await trigger('Told', await job('Tell', 'number'), {
    after: { work: 'arrive', when: 'ended' },
    with: { number: '${run}' },
  })
  const { path } = await system.api<{ path: string }>('POST', `/triggers/${called}/call`, {})

  const numbers = new Map<number, number>()
  const call = async (n: number): Promise<void> => {
    const headers = { 'content-type': 'application/json', 'webhook-id': `arrival-${n}` }
    const answer = await eventually(
      `call ${n}`,
      async () => {
        const response = await system.call(path, JSON.stringify({ vessel: `v${n}` }), headers)
        return response.status === 202 && ((await response.json()) as { run: number | null })
      },
      120,
    )
    // Sent again it has the same number; while it still waits it has none.
    if (answer.run === null) return
    expect(numbers.get(n) ?? answer.run).toBe(answer.run)
    numbers.set(n, answer.run)
  }
  const calling = (async () => {
    for (let n = 0; n < CALLS; n++) {
      await call(n)
      await pause(random() * 400)
    }
  })()
  const filing = (async () => {
    for (let n = 0; n < FILES; n++) {
      writeFileSync(join(folder, `till-${n}.csv.part`), `${n}`)
      renameSync(join(folder, `till-${n}.csv.part`), join(folder, `till-${n}.csv`))
      await pause(random() * 500)
    }
  })()
  await killAtRandom(system, everything, { times: 8, random, restMs: [300, 1200] })
  await Promise.all([calling, filing])
  for (const n of numbers.keys()) await call(n)

  const runsOf = (id: number): Promise<{ id: string; inputs: Record<string, string>; state: string }[]> =>
    system.query('SELECT id, inputs, state FROM runs WHERE trigger_id = $1 ORDER BY id', [id])
  await eventually(
    'all of them to have ended',
    async () => {
      const [all] = await system.query<{ n: number; open: number }>(
        `SELECT count(*)::int AS n, count(*) FILTER (WHERE state IN ('waiting','ready','running'))::int AS open FROM runs`,
      )
      await pause(300)
      return (all?.n ?? 0) >= 2 * CALLS + FILES && all?.open === 0
    },
    200,
  )
  const arrivals = await runsOf(called)
  expect(arrivals.map(({ inputs }) => inputs.vessel).sort()).toEqual(
    Array.from({ length: CALLS }, (_, n) => `v${n}`).sort(),
  )
  for (const { id, inputs } of arrivals) expect(numbers.get(Number(inputs.vessel?.slice(1)))).toBe(Number(id))
  expect((await runsOf(filed)).map(({ inputs }) => inputs.file).sort()).toEqual(
    Array.from({ length: FILES }, (_, n) => join(folder, `till-${n}.csv`)).sort(),
  )
  expect((await runsOf(after)).map(({ inputs }) => inputs.number).sort()).toEqual(arrivals.map(({ id }) => id).sort())
})
