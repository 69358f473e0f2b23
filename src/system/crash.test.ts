import { existsSync, readFileSync } from 'node:fs'
import { join } from 'node:path'
import { crashChance, eventually, killAtRandom, pause, poolOfAll, startSystem, type System } from './harness.test-help'

jest.setTimeout(240_000)

let system: System
afterEach(() => system.stop())

interface RunRow {
  readonly id: number
  readonly state: string
  readonly attempts: number
  readonly reason: string
}

async function makeJob(script: string, more: object = {}): Promise<number> {
  const { id: areaId } = await system.api<{ id: number }>('POST', '/areas', { title: `Area ${Math.random()}` })
  const definition = {
    action: { kind: 'script', interpreter: 'sh', script },
    target: { pool: 'all' },
    folder: system.dir,
    ...more,
  }
  const { id } = await system.api<{ id: number }>('POST', '/jobs', { title: 'Counted', areaId, definition })
  return id
}

const rowsOf = (): Promise<RunRow[]> =>
  system.query<RunRow>('SELECT id::int, state, attempts, reason FROM runs ORDER BY id')
const executions = (): string[] =>
  existsSync(join(system.dir, 'executed')) ? readFileSync(join(system.dir, 'executed'), 'utf8').trim().split('\n') : []

/** The command's own lines of a run, of all its tries, in order. */
async function linesOf(runId: number): Promise<string[]> {
  const chunks = await system.query<{ lines: [number, string, string][] }>(
    'SELECT c.lines FROM attempts a JOIN output_chunks c ON c.attempt_id = a.id WHERE a.run_id = $1 ORDER BY a.number, c.first_line',
    [runId],
  )
  return chunks.flatMap((c) => c.lines.filter(([, stream]) => stream === 'o').map(([, , text]) => text))
}

const LINES = 25
/** Says that it began, writes numbered lines over some seconds. */
const COUNTED = `echo "$BUGLE_RUN" >> executed\nfor i in $(seq 1 ${LINES}); do echo "line $i"; sleep 0.1; done\n`
const EXPECTED = Array.from({ length: LINES }, (_, i) => `line ${i + 1}`)

async function allEnded(count: number): Promise<RunRow[]> {
  return eventually(
    'all runs to end',
    async () => {
      const rows = await rowsOf()
      return (
        rows.length === count &&
        rows.every((r) => ['succeeded', 'failed', 'lost', 'cancelled'].includes(r.state)) &&
        rows
      )
    },
    120,
  )
}

describe('anything may be killed at any moment', () => {
  it.each([1, 2, 3])(
    'no run is lost, started twice or left in doubt, and no stored line is lost (round %i)',
    async (round) => {
      const random = crashChance(round)
      system = await startSystem({ leaseSeconds: 60, slots: 6 })
      const everything = ['engine1', 'engine2', 'web', 'agent1', 'agent2']
      for (const name of everything) await system.start(name)
      await poolOfAll(system)
      const jobId = await makeJob(COUNTED)
      const count = 24
      const starting = (async () => {
        for (let i = 0; i < count; i++) {
          // An answer that a kill swallowed is asked for again, with the same key.
          await system.api('POST', '/runs', { jobId, requestKey: `run-number-${i}` })
          await pause(random() * 400)
        }
      })()
      await killAtRandom(system, everything, { times: 9, random, restMs: [300, 900] })
      await starting
      const rows = await allEnded(count)
      const begun = executions()
      for (const row of rows) {
        const times = begun.filter((line) => line === String(row.id)).length
        expect([row.id, row.attempts]).toEqual([row.id, 1])
        expect([row.id, row.state, row.reason, times]).toEqual([row.id, 'succeeded', 'Exit code 0.', 1])
        expect([row.id, await linesOf(row.id)]).toEqual([row.id, EXPECTED])
      }
      const history = await system.query<{ n: number }>(
        `SELECT count(*)::int AS n FROM attempts a JOIN runs r ON r.id = a.run_id
        WHERE a.started_at IS NULL AND r.state = 'succeeded' OR a.ended_at IS NULL OR a.state IN ('handed','accepted','running')`,
      )
      expect(history[0]?.n).toBe(0)
    },
  )
})

describe('an agent cut off from the server', () => {
  it('for a while goes on, and reports everything when it is back', async () => {
    system = await startSystem({ leaseSeconds: 60 })
    for (const name of ['engine1', 'engine2', 'web', 'agent1', 'agent2']) await system.start(name)
    await poolOfAll(system)
    const jobId = await makeJob(COUNTED, { target: { agent: 'agent1' } })
    const { id } = await system.api<{ id: number }>('POST', '/runs', { jobId })
    await eventually('first output', async () => (await linesOf(id)).length > 2)
    // Its engine vanishes: the agent has nobody to talk to, and the lease is far from over.
    await system.kill('engine1')
    await eventually('the command to end meanwhile', async () => (await pause(4000), true))
    expect((await rowsOf())[0]?.state).toBe('running')
    const matters = await eventually('a person to be told', async () => {
      const found = await system.api<{ kind: string }[]>('GET', '/matters')
      return found.length > 0 && found
    })
    expect(matters.map((m) => m.kind)).toEqual(['agent-away'])
    await system.start('engine1')
    expect((await allEnded(1))[0]).toMatchObject({ state: 'succeeded', attempts: 1 })
    expect(await linesOf(id)).toEqual(EXPECTED)
    await eventually(
      'the matter to close by itself',
      async () => (await system.api<unknown[]>('GET', '/matters')).length === 0,
    )
  })

  it('for longer than its lease loses the run; another agent does it; what the first one says later changes nothing', async () => {
    system = await startSystem({ leaseSeconds: 4 })
    for (const name of ['engine1', 'engine2', 'web', 'agent1']) await system.start(name)
    await poolOfAll(system)
    const jobId = await makeJob(
      `echo "$BUGLE_RUN $BUGLE_TRY" >> executed\nfor i in $(seq 1 150); do echo "line $i"; sleep 0.1; done\n`,
      { retries: 1, retryDelaySeconds: 0 },
    )
    const { id } = await system.api<{ id: number }>('POST', '/runs', { jobId })
    await eventually('first output', async () => (await linesOf(id)).length > 2)
    await system.start('agent2')
    system.signal('agent1', 'SIGSTOP')
    const second = await eventually(
      'the second try',
      async () =>
        (
          await system.query<{ agent: string; state: string }>(
            `SELECT g.name AS agent, a.state FROM attempts a JOIN agents g ON g.id = a.agent_id WHERE a.number = 2`,
          )
        )[0],
    )
    expect(second.agent).toBe('agent2')
    system.signal('agent1', 'SIGCONT')
    await eventually(
      'the old lease to be refused',
      async () =>
        ((await system.query<{ n: number }>('SELECT coalesce(sum(times), 0)::int AS n FROM refused_reports'))[0]?.n ??
          0) > 0,
    )
    expect((await allEnded(1))[0]).toMatchObject({ state: 'succeeded', attempts: 2 })
    expect(executions()).toEqual([`${id} 1`, `${id} 2`])
    const tries = await system.query<{ state: string }>('SELECT state FROM attempts ORDER BY number')
    expect(tries.map((t) => t.state)).toEqual(['lost', 'succeeded'])
    // The first agent has stopped the command and forgotten it.
    await eventually('the first agent to forget', async () => !existsSync(join(system.dir, 'agent1', 'tries', '1')))
  })
})

describe('a stop', () => {
  it('reaches a process that ignores SIGTERM, also when the engine is killed right after it was asked for', async () => {
    system = await startSystem({ leaseSeconds: 60 })
    for (const name of ['engine1', 'engine2', 'web', 'agent1', 'agent2']) await system.start(name)
    await poolOfAll(system)
    const jobId = await makeJob('trap "" TERM\necho up\nwhile :; do sleep 0.2; done\n')
    const { id } = await system.api<{ id: number }>('POST', '/runs', { jobId })
    await eventually('it to be up', async () => (await linesOf(id)).length > 0)
    await system.api('POST', `/runs/${id}/stop`)
    await system.kill('engine1')
    await system.kill('engine2')
    await system.start('engine1')
    await system.start('engine2')
    expect((await allEnded(1))[0]).toMatchObject({ state: 'cancelled' })
  })
})

it('a leader that hangs loses its lead within 15 s; woken, it does nothing as leader', async () => {
  system = await startSystem({ leaseSeconds: 30 })
  const lead = async (): Promise<{ epoch: number; pid: number } | undefined> =>
    (
      await system.query<{ epoch: number; pid: number }>(
        'SELECT l.epoch::int, e.pid FROM leadership l JOIN engines e ON e.id = l.engine_id',
      )
    )[0]
  await system.start('engine1')
  const first = await eventually('a leader', lead)
  await system.start('engine2')
  await eventually('a second engine', async () => (await system.query('SELECT 1 FROM engines')).length === 2)
  const stoppedAt = Date.now()
  system.signal('engine1', 'SIGSTOP')
  const second = await eventually('another leader', async () => {
    const now = await lead()
    return now && now.pid !== first.pid ? now : undefined
  })
  expect(Date.now() - stoppedAt).toBeLessThan(15_000)
  system.signal('engine1', 'SIGCONT')
  await pause(3000)
  expect(await lead()).toEqual(second)
})
