import { randomUUID } from 'node:crypto'
import pg from 'pg'
import type { Actor } from '@/service/base/actor'
import { closeDb, execute } from './db'
import { migrate } from './migrate'

/** What `now()` says in a database with a clock of its own. It stands before PostgreSQL’s own because its schema is looked through first. */
const OWN_CLOCK = `
  CREATE TABLE test_clock (at timestamptz NOT NULL);
  INSERT INTO test_clock VALUES (pg_catalog.now());
  CREATE FUNCTION now() RETURNS timestamptz STABLE LANGUAGE sql AS 'SELECT at FROM public.test_clock';`

/**
 * A database of its own for each test file, on the cluster that scripts/test.mjs started. Call at the top of the file.
 *
 * @param ownClock its `now()` is what `setClock` says: whole nights pass in seconds
 */
export function freshDatabase({ ownClock = false }: { ownClock?: boolean } = {}): void {
  const cluster = process.env.BUGLE_TEST_DATABASE
  if (!cluster) throw new Error('Start these tests with npm run test:db: they need a PostgreSQL.')
  const name = `t_${randomUUID().replaceAll('-', '')}`
  const admin = async (sql: string, connectionString = cluster): Promise<void> => {
    const client = new pg.Client({ connectionString })
    await client.connect()
    await client.query(sql)
    await client.end()
  }
  process.env.DATABASE_URL = cluster.replace(/\/postgres$/, `/${name}`)
  process.env.BUGLE_DEMO = '1'
  beforeAll(async () => {
    await admin(`CREATE DATABASE ${name}`)
    if (ownClock) {
      await admin(OWN_CLOCK, process.env.DATABASE_URL)
      await admin(`ALTER DATABASE ${name} SET search_path = public, pg_catalog`)
    }
    await migrate()
  })
  afterAll(async () => {
    // Threads that answered requests of the test have connections of their own.
    await (globalThis as { bugleWorkers?: { pool: { destroy: () => Promise<void> } } }).bugleWorkers?.pool.destroy()
    await closeDb()
    await admin(`DROP DATABASE ${name} WITH (FORCE)`)
  })
}

/** In a database with a clock of its own: the time, there and for this process. Milliseconds since the epoch. */
export async function setClock(atMs: number): Promise<void> {
  jest.useFakeTimers({ now: atMs, doNotFake: [...TICKING] })
  await execute(null, 'UPDATE test_clock SET at = $1', [new Date(atMs)])
}
/** All but the date goes on as it does. */
const TICKING = [
  'hrtime',
  'nextTick',
  'performance',
  'queueMicrotask',
  'setImmediate',
  'clearImmediate',
  'setInterval',
  'clearInterval',
  'setTimeout',
  'clearTimeout',
] as const

export function actor(role: Actor['role'], change: Partial<Actor> = {}): Actor {
  return { id: null, name: `the ${role}`, email: '', role, via: 'session', address: 'test', sessionId: null, ...change }
}

export const ADMIN = actor('administrator')
export const OPERATOR = actor('operator')
export const VIEWER = actor('viewer')
