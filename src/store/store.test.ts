import { freshDatabase } from './database.test-help'
import { execute, many, maybeOne, one, sqlState, transaction, type Tx } from './db'
import { isoText } from './iso'
import { listen, notify, type Change } from './listen'
import { migrate } from './migrate'

freshDatabase()

beforeAll(() =>
  execute(null, 'CREATE TABLE berths (id int PRIMARY KEY, boats int NOT NULL DEFAULT 0 CHECK (boats >= 0))'),
)
beforeEach(async () => {
  await execute(null, 'DELETE FROM berths')
  await execute(null, 'INSERT INTO berths VALUES (1), (2)')
})
const boats = async (): Promise<number[]> =>
  (await many<{ boats: number }>(null, 'SELECT boats FROM berths ORDER BY id')).map((row) => row.boats)
const moor = (tx: Tx, id: number): Promise<number> =>
  execute(tx, 'UPDATE berths SET boats = boats + 1 WHERE id = $1', [id])

describe('a transaction', () => {
  it('that the database undid to end a deadlock is repeated: both are done, once', async () => {
    const tries = { there: 0, back: 0 }
    const met: (() => void)[] = []
    const both = new Promise<void>((resolve) => met.push(resolve))
    let inside = 0
    const cross = (name: keyof typeof tries, from: number, to: number): Promise<void> =>
      transaction(async (tx) => {
        tries[name]++
        await moor(tx, from)
        if (++inside === 2) met[0]?.()
        // At the first try each holds one row before it asks for the other’s.
        await both
        await moor(tx, to)
      })
    await Promise.all([cross('there', 1, 2), cross('back', 2, 1)])
    expect(await boats()).toEqual([2, 2])
    expect(tries.there + tries.back).toBe(3)
  })

  it('that fails for any other reason is not, leaves nothing behind, and says the database’s code', async () => {
    let tries = 0
    const failed = await transaction(async (tx) => {
      tries++
      await moor(tx, 1)
      await execute(tx, 'UPDATE berths SET boats = -1 WHERE id = 2')
    }).catch((error: unknown) => error)
    expect([tries, sqlState(failed), await boats()]).toEqual([1, '23514', [0, 0]])
    const own = new Error('No berth.')
    expect(await transaction(() => Promise.reject(own)).catch((error: unknown) => error)).toBe(own)
    expect(sqlState(own)).toBeUndefined()
  })

  it('gives up after five tries', async () => {
    let tries = 0
    const failed = await transaction(async (tx) => {
      tries++
      await moor(tx, 1)
      await execute(tx, `DO 'BEGIN RAISE EXCEPTION ''again'' USING ERRCODE = ''40001''; END'`)
    }).catch((error: unknown) => error)
    expect([tries, sqlState(failed), await boats()]).toEqual([5, '40001', [0, 0]])
  })
})

it('a query gives as many rows as its name says', async () => {
  expect(await maybeOne(null, 'SELECT id FROM berths WHERE id = $1', [9])).toBeUndefined()
  expect(await one(null, 'SELECT id FROM berths WHERE id = $1', [2])).toEqual({ id: 2 })
  await expect(one(null, 'SELECT id FROM berths WHERE id = $1', [9])).rejects.toThrow('exactly one row')
  expect(await execute(null, 'UPDATE berths SET boats = 1')).toBe(2)
  expect(await execute(null, 'INSERT INTO berths SELECT generate_series(21, 23)')).toBe(3)
  expect(await execute(null, 'DELETE FROM berths WHERE id > 20')).toBe(3)
})

it('the schema is brought up to date once, whoever starts at the same time', async () => {
  const { done } = await one<{ done: number }>(null, 'SELECT count(*)::int AS done FROM migrations')
  expect(done).toBeGreaterThan(5)
  await execute(null, 'DROP SCHEMA public, bugle_server CASCADE')
  await execute(null, 'CREATE SCHEMA public')
  const ran = await Promise.all([migrate(), migrate(), migrate()])
  expect(ran.map((names) => names.length).sort()).toEqual([0, 0, done])
  expect(await migrate()).toEqual([])
  await execute(null, 'CREATE TABLE berths (id int PRIMARY KEY, boats int NOT NULL DEFAULT 0)')
})

describe('who listens', () => {
  const heard: Change[] = []
  let deaf: () => Promise<void>
  const until = async (what: () => boolean): Promise<void> => {
    while (!what()) await new Promise((resolve) => setTimeout(resolve, 20))
  }
  beforeEach(async () => {
    heard.length = 0
    deaf = listen((change) => heard.push(change))
    await until(() => heard.length > 0)
  })
  afterEach(() => deaf())
  const runsHeard = (): (readonly number[])[] => heard.flatMap(({ runs }) => (runs && runs.length > 0 ? [runs] : []))

  it('hears what is committed, and nothing of what is not', async () => {
    await transaction(async (tx) => {
      await notify(tx, { runs: [1] })
      throw new Error('No berth.')
    }).catch(() => undefined)
    await transaction((tx) => notify(tx, { runs: [2], place: true }))
    await until(() => runsHeard().length > 0)
    expect(heard.at(-1)).toEqual({ runs: [2], place: true })
    expect(runsHeard()).toEqual([[2]])
  })

  it('looks at everything where more runs changed than a notice can name', async () => {
    await notify(null, { runs: Array.from({ length: 5000 }, (_, i) => 1e12 + i), matters: true })
    await until(() => heard.length > 1)
    expect(heard.at(-1)).toEqual({ runs: [], matters: true })
  })

  it('listens again after its connection was cut, and looks at everything once for what it missed', async () => {
    await execute(
      null,
      `SELECT pg_terminate_backend(pid) FROM pg_stat_activity WHERE datname = current_database() AND query LIKE 'LISTEN%'`,
    )
    await until(() => heard.length > 1)
    expect(heard[1]).toMatchObject({ runs: [], place: true, deliver: true, timing: true })
    await notify(null, { runs: [7] })
    await until(() => runsHeard().length > 0)
    expect(runsHeard()).toEqual([[7]])
  })
})

it('an instant said by the database is what JSON says of it', async () => {
  const rows = await many<{ at: Date; said: string; none: string | null }>(
    null,
    `SELECT at, ${isoText('at')} AS said, ${isoText('NULL::timestamptz')} AS none
       FROM (SELECT '1999-12-31T23:59:59.999999Z'::timestamptz + i * interval '17 days 3 hours 0.000777 s' AS at FROM generate_series(0, 700) AS i) t`,
  )
  expect(rows.map(({ said }) => said)).toEqual(rows.map(({ at }) => at.toISOString()))
  expect(rows[0]).toMatchObject({ said: '1999-12-31T23:59:59.999Z', none: null })
})

describe('the schema', () => {
  it('finds what refers to a row by an index, so that a row can go at once', async () => {
    const missing = await many<{ what: string }>(
      null,
      `SELECT c.conrelid::regclass || '.' || a.attname AS what
         FROM pg_constraint c JOIN pg_attribute a ON a.attrelid = c.conrelid AND a.attnum = c.conkey[1]
        WHERE c.contype = 'f' AND c.connamespace = 'public'::regnamespace AND NOT EXISTS (
          SELECT 1 FROM pg_index i WHERE i.indrelid = c.conrelid AND i.indkey[0] = c.conkey[1]
             AND (i.indpred IS NULL OR pg_get_expr(i.indpred, i.indrelid) = format('(%I IS NOT NULL)', a.attname)))
        ORDER BY 1`,
    )
    expect(missing.map(({ what }) => what)).toEqual([])
  })
})
