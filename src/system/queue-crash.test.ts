import { crashChance, eventually, killAtRandom, pause, poolOfAll, startSystem, type System } from './harness.test-help'

/** In full size, as an occasion of its own: BUGLE_CRASH_ITEMS=5000 BUGLE_CRASH_ROBOTS=40 node scripts/test.mjs system src/system/queue-crash */
const ITEMS = Math.ceil(Number(process.env.BUGLE_CRASH_ITEMS ?? 60) / 3) * 3
/** Runs that take items at once. */
const WORKERS = Number(process.env.BUGLE_CRASH_ROBOTS ?? 4)
const KILLS = Math.max(8, Math.round(ITEMS / 100))
/** Seconds for all of it. */
const PATIENCE = 200 + ITEMS / 2
jest.setTimeout((PATIENCE + 100 + KILLS * 3) * 1000)

let system: System
afterEach(() => system.stop())

/** Takes one after the other until none is left; an item that is taken is worked on for a moment. */
const WORK = `
while :; do
  got=$("$BUGLE_AGENT" item take berths --wait PT3M) || exit 3
  n=$(echo "$got" | sed -n 's/^{"item":\\([0-9][0-9]*\\).*/\\1/p')
  [ -n "$n" ] || exit 0
  sleep 0.3
  "$BUGLE_AGENT" item done "$n" --result "{\\"by\\": $BUGLE_RUN}" --wait PT3M || exit 4
done
`

it('each item of a queue ends exactly once while everything is killed at random', async () => {
  const random = crashChance()
  system = await startSystem({ leaseSeconds: 60, slots: Math.max(4, Math.ceil(WORKERS / 3)), agents: 3 })
  const everything = ['engine1', 'engine2', 'web', 'agent1', 'agent2', 'agent3']
  for (const name of everything) await system.start(name)
  await poolOfAll(system)
  const { id: areaId } = await system.api<{ id: number }>('POST', '/areas', { title: 'Harbour' })
  const queue = await system.api<{ id: number; slug: string }>('POST', '/queues', {
    title: 'Berths',
    areaId,
    tries: 20,
    delaySeconds: 0,
    keys: 'ever',
  })
  expect(queue.slug).toBe('berths')
  const { id: jobId } = await system.api<{ id: number }>('POST', '/jobs', {
    title: 'Work off',
    areaId,
    definition: {
      action: { kind: 'script', interpreter: 'sh', script: WORK },
      target: { pool: 'all' },
      folder: system.dir,
      queues: { take: ['berths'], add: [] },
    },
  })
  const arriving = (async () => {
    for (let i = 0; i < ITEMS; i += 3) {
      // An answer that a kill swallowed is asked for again, under the same key of the request.
      const items = [0, 1, 2].map((k) => ({ key: `berth-${i + k}`, data: { berth: i + k } }))
      await system.api('POST', `/queues/${queue.id}/items`, { items, requestKey: `arrival-${i}` })
      await pause((random() * 18_000) / ITEMS)
    }
  })()
  const work = async (keys: readonly string[]): Promise<void> => {
    for (const requestKey of keys) await system.api('POST', '/runs', { jobId, requestKey })
  }
  await work(Array.from({ length: WORKERS }, (_, i) => `first-run-${i}`))
  await killAtRandom(system, everything, { times: KILLS, random, restMs: [300, 900] })
  await arriving
  // Runs that found the queue empty between two arrivals have ended.
  let round = 0
  await eventually(
    'the queue to be worked off',
    async () => {
      const [left] = await system.query<{ n: number }>(
        `SELECT count(*)::int AS n FROM items WHERE state IN ('waiting','taken')`,
      )
      if (left?.n === 0) return true
      const [going] = await system.query<{ n: number }>(
        `SELECT count(*)::int AS n FROM runs WHERE state IN ('waiting','ready','running')`,
      )
      if (going !== undefined && going.n < Math.min(WORKERS, left?.n ?? 0) / 2) await work([`one-more-run-${round++}`])
      await pause(500)
      return false
    },
    PATIENCE,
  )
  const items = await system.query<{
    key: string
    state: string
    tries: number
    ends: number
    lost: number
    open: number
  }>(
    `SELECT i.key, i.state, i.tries, count(*) FILTER (WHERE t.outcome = 'done')::int AS ends, count(*) FILTER (WHERE t.outcome = 'lost')::int AS lost,
            count(*) FILTER (WHERE t.ended_at IS NULL)::int AS open FROM items i JOIN item_takes t ON t.item_id = i.id GROUP BY i.id ORDER BY i.id`,
  )
  expect(items.map(({ key }) => key).sort()).toEqual(Array.from({ length: ITEMS }, (_, i) => `berth-${i}`).sort())
  for (const { key, state, tries, ends, lost, open } of items)
    expect([key, state, ends, open, tries]).toEqual([key, 'done', 1, 0, lost])
  // The one that ended it is the one whose result it has.
  const wrong = await system.query(
    `SELECT i.id FROM items i JOIN item_takes t ON t.item_id = i.id AND t.outcome = 'done' WHERE (i.result->>'by')::bigint IS DISTINCT FROM t.run_id`,
  )
  expect(wrong).toEqual([])
  const [figures] = (await system.api<{ waiting: number; taken: number; doneToday: number }[]>('GET', '/queues')) ?? []
  expect(figures).toMatchObject({ waiting: 0, taken: 0 })
})
