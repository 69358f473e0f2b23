import { crashChance, eventually, pause, startSystem, type System } from './harness.test-help'

jest.setTimeout(240_000)

let system: System
afterEach(() => system.stop())

async function makeJob(): Promise<number> {
  await system.query(`INSERT INTO pools (id, name, title) VALUES (1, 'all', 'All')`)
  const { id: areaId } = await system.api<{ id: number }>('POST', '/areas', { title: 'Clockwork' })
  const definition = { action: { kind: 'wait', minutes: 0 }, target: { pool: 'all' } }
  return (await system.api<{ id: number }>('POST', '/jobs', { title: 'Tick', areaId, definition })).id
}

async function makeTrigger(jobId: number, title: string, definition: object): Promise<number> {
  const body = { title, jobId, definition: { zone: 'Europe/London', ...definition }, sure: true }
  return (await system.api<{ id: number }>('POST', '/triggers', body)).id
}

interface Fired {
  readonly trigger: number
  readonly at: string
  readonly version: number
}
const fired = (): Promise<Fired[]> =>
  system.query<Fired>(
    'SELECT trigger_id::int AS trigger, occurrence AS at, trigger_version AS version FROM runs WHERE occurrence IS NOT NULL ORDER BY occurrence',
  )
const secondsOf = (rows: readonly Fired[], trigger: number): number[] =>
  rows.filter((row) => row.trigger === trigger).map((row) => new Date(row.at).getTime() / 1000)

const TRIGGERS = 8
const SECONDS = 16

it('each occurrence is started once, whichever engine or database dies', async () => {
  const random = crashChance()
  system = await startSystem({ leaseSeconds: 60 })
  for (const name of ['web', 'engine1', 'engine2']) await system.start(name)
  const jobId = await makeJob()
  const ids: number[] = []
  for (let i = 0; i < TRIGGERS; i++)
    ids.push(
      await makeTrigger(jobId, `Every second ${i}`, {
        time: { every: { step: 'PT1S' } },
        overlap: 'start',
        makeUp: 'each',
      }),
    )
  await eventually('the first starts', async () => (await fired()).length > TRIGGERS)
  const until = Date.now() + SECONDS * 1000
  while (Date.now() < until) {
    await pause(400 + random() * 1600)
    const what = random()
    if (what < 0.15) system.killDatabase()
    else {
      const name = what < 0.6 ? 'engine1' : 'engine2'
      await system.kill(name)
      if (random() < 0.7) await system.start(name)
    }
  }
  for (const name of ['engine1', 'engine2']) {
    await system.kill(name)
    await system.start(name)
  }
  await eventually('starts to be up to date', async () => {
    const [row] = await system.query<{ behind: number }>(
      "SELECT count(*)::int AS behind FROM triggers WHERE next_at < now() - interval '1500 milliseconds'",
    )
    return row?.behind === 0
  })
  for (const id of ids) await system.query('UPDATE triggers SET enabled = false WHERE id = $1', [id])
  await pause(1000)
  const rows = await fired()
  for (const id of ids) {
    const seconds = secondsOf(rows, id)
    const [first, last] = [seconds[0] as number, seconds.at(-1) as number]
    expect(seconds).toEqual(Array.from({ length: last - first + 1 }, (_, i) => first + i))
    expect(last - first).toBeGreaterThan(SECONDS - 2)
  }
  expect(await system.query('SELECT id FROM not_started')).toEqual([])
})

it('after an outage the late is made up within its allowance, once or each, and the rest is on record', async () => {
  system = await startSystem({ leaseSeconds: 60 })
  for (const name of ['web', 'engine1']) await system.start(name)
  const jobId = await makeJob()
  const rule = { time: { every: { step: 'PT10M' } }, overlap: 'start' }
  const once = await makeTrigger(jobId, 'Once', { ...rule, lateStart: 'PT2H', makeUp: 'once' })
  const each = await makeTrigger(jobId, 'Each', { ...rule, lateStart: 'PT2H', makeUp: 'each' })
  const late = await makeTrigger(jobId, 'Late', { ...rule, lateStart: 'PT1M', makeUp: 'once' })
  await system.kill('engine1')
  // As if nothing had been started for an hour: what comes next was due then.
  await system.query(`UPDATE triggers SET next_at = next_at - interval '60 minutes'`)
  await system.start('engine1')
  await system.start('engine2')
  await eventually('all to be up to date', async () => {
    const [row] = await system.query<{ behind: number }>(
      'SELECT count(*)::int AS behind FROM triggers WHERE next_at < now()',
    )
    return row?.behind === 0
  })
  const rows = await fired()
  const missed = await system.query<{ trigger: number; why: string; times: number; run: string | null }>(
    'SELECT trigger_id::int AS trigger, why, times, run_id AS run FROM not_started ORDER BY trigger_id',
  )
  // The hour holds six of them; one more where the clock passes a mark meanwhile.
  const starts = secondsOf(rows, each).length
  expect([6, 7]).toContain(starts)
  expect(secondsOf(rows, once)).toEqual(secondsOf(rows, each).slice(-1))
  expect(missed.find(({ trigger }) => trigger === once)).toEqual({
    trigger: once,
    why: 'made up',
    times: starts - 1,
    run: expect.anything() as unknown,
  })
  const lateRow = missed.find(({ trigger }) => trigger === late)
  expect(lateRow).toMatchObject({ why: 'late', run: null })
  expect((lateRow?.times ?? 0) + secondsOf(rows, late).length).toBe(starts)
  expect(missed.some(({ trigger }) => trigger === each)).toBe(false)
})
