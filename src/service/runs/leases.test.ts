import { freshDatabase, OPERATOR } from '@/store/database.test-help'
import { execute, many, transaction } from '@/store/db'
import { connected, lease, makeAgent, makeJob, started } from '@/service/fixtures.test-help'
import { fleetForDispatch } from './dispatch-input'
import { extendLeases } from './heard'
import { giveUpLost } from './open-runs'
import { lockRuns } from './run-life'
import { storeAccepted, storeReports } from './reports'
import { startRun, startSchema } from './start'

freshDatabase()

interface Held {
  readonly agentId: number
  readonly attempt: number
  readonly token: number
}
let agents: number[]
let busy: number
let held: Held[]
beforeAll(async () => {
  agents = [await makeAgent('a1'), await makeAgent('a2'), await makeAgent('a3')]
  busy = await makeAgent('a4')
})
beforeEach(async () => {
  const jobId = await makeJob()
  held = []
  // The later an agent is in the fleet, the earlier its attempt: whoever goes by agents meets them the other way round than whoever goes by attempts.
  for (const agentId of [...agents].reverse()) {
    const { id } = await startRun(OPERATOR, startSchema.parse({ jobId }))
    held.push({ agentId, ...(await lease(id, agentId)) })
  }
  // As many others as make PostgreSQL look each one up, as it does in earnest.
  await execute(
    null,
    `INSERT INTO attempts (run_id, number, agent_id, state, lease_until, handed_at)
     SELECT run_id, 1000 + n, $2, 'handed', now(), now() FROM attempts, generate_series(1, 3000) n WHERE id = $1`,
    [held[0]?.attempt, busy],
  )
  await execute(null, 'ANALYZE attempts')
})

/** Somebody else is at the second attempt until both pieces of work wait: for it, or for each other. */
async function meanwhile(first: () => Promise<unknown>, other: () => Promise<unknown>): Promise<string[]> {
  const until = async (count: number): Promise<void> => {
    const waiting = `SELECT 1 FROM pg_stat_activity WHERE wait_event_type = 'Lock' AND datname = current_database()`
    while ((await many(null, waiting)).length < count);
  }
  const work: Promise<unknown>[] = []
  await transaction(async (tx) => {
    await execute(tx, 'UPDATE attempts SET lease_until = lease_until WHERE id = $1', [held[1]?.attempt])
    work.push(first())
    await until(1)
    work.push(other())
    await until(2)
  })
  return (await Promise.allSettled(work)).map((done) => (done.status === 'fulfilled' ? 'done' : String(done.reason)))
}

const accept = (): Promise<unknown> => storeAccepted(held)
const extend = async (): Promise<unknown> =>
  extendLeases((await connected(...agents)).map((each) => ({ ...each, load: 0.1 })))
const tell = (): Promise<unknown> => storeReports(held.map((each) => ({ ...each, seq: 1, body: started })))
const giveUp = (): Promise<unknown> =>
  giveUpLost(
    held.map(({ attempt }) => attempt),
    'Away.',
  )

async function deadlocks(): Promise<number> {
  await execute(null, 'SELECT pg_stat_force_next_flush(), pg_stat_clear_snapshot()')
  const [row] = await many<{ deadlocks: number }>(
    null,
    'SELECT deadlocks FROM pg_stat_database WHERE datname = current_database()',
  )
  return row?.deadlocks ?? 0
}

describe('what changes attempts of many agents at once', () => {
  it.each([
    ['a heartbeat and word of leases that arrived', extend, accept],
    ['word of leases that arrived and a heartbeat', accept, extend],
    ['a heartbeat and reports', extend, tell],
    ['reports and a heartbeat', tell, extend],
    ['what is lost and a heartbeat', giveUp, extend],
  ])('waits its turn, and neither breaks the other: %s', async (_, first, other) => {
    const before = await deadlocks()
    expect(await meanwhile(first, other)).toEqual(['done', 'done'])
    expect((await deadlocks()) - before).toBe(0)
  })
})

it('a lease that is extended while it is being given up is not given up', async () => {
  const [mine] = held as [Held]
  const [row] = await many<{ runId: number }>(null, 'SELECT run_id AS "runId" FROM attempts WHERE id = $1', [
    mine.attempt,
  ])
  await execute(null, 'DELETE FROM attempts WHERE agent_id = $1', [busy])
  await execute(null, `UPDATE attempts SET lease_until = now() - interval '1 minute' WHERE id = $1`, [mine.attempt])
  let lost: Promise<number[]> = Promise.resolve([])
  await transaction(async (tx) => {
    await lockRuns(tx, [row?.runId as number])
    lost = giveUpLost('expired', 'Away.')
    // It has found what has run out, and waits for the run.
    const waiting = `SELECT 1 FROM pg_stat_activity WHERE wait_event_type = 'Lock' AND datname = current_database()`
    while ((await many(null, waiting)).length === 0);
    await execute(tx, `UPDATE attempts SET lease_until = now() + interval '1 minute' WHERE id = $1`, [mine.attempt])
  })
  expect(await lost).not.toContain(row?.runId)
  const [state] = await many<{ state: string }>(null, 'SELECT state FROM attempts WHERE id = $1', [mine.attempt])
  expect(state?.state).toBe('handed')
})

it('an agent belongs to a pool only while pool and membership are switched on', async () => {
  await execute(null, `INSERT INTO pools (name, title) VALUES ('quay', 'Quay') ON CONFLICT DO NOTHING`)
  await execute(null, `INSERT INTO pool_members (pool_id, agent_id) SELECT id, $1 FROM pools WHERE name = 'quay'`, [
    busy,
  ])
  const isIn = async (): Promise<boolean | undefined> =>
    (await fleetForDispatch()).find(({ id }) => id === busy)?.pools.quay
  const set = async (table: string, active: boolean): Promise<void> => {
    await execute(null, `UPDATE ${table} SET active = $1`, [active])
  }
  expect(await isIn()).toBe(true)
  await set('pools', false)
  expect(await isIn()).toBe(false)
  await set('pools', true)
  await set('pool_members', false)
  expect(await isIn()).toBe(false)
  await set('pool_members', true)
  expect(await isIn()).toBe(true)
})
