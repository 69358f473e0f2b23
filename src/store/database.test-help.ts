import { randomUUID } from 'node:crypto'
import pg from 'pg'
import type { Actor } from '@/service/actor'
import { closeDb } from './db'
import { migrate } from './migrate'

/** A database of its own for each test file, on the cluster that scripts/test.mjs started. Call at the top of the file. */
export function freshDatabase(): void {
  const cluster = process.env.BUGLE_TEST_DATABASE
  if (!cluster) throw new Error('Start these tests with npm run test:db: they need a PostgreSQL.')
  const name = `t_${randomUUID().replaceAll('-', '')}`
  const admin = async (sql: string): Promise<void> => {
    const client = new pg.Client({ connectionString: cluster })
    await client.connect()
    await client.query(sql)
    await client.end()
  }
  process.env.DATABASE_URL = cluster.replace(/\/postgres$/, `/${name}`)
  process.env.BUGLE_DEMO = '1'
  beforeAll(async () => {
    await admin(`CREATE DATABASE ${name}`)
    await migrate()
  })
  afterAll(async () => {
    // Threads that answered requests of the test have connections of their own.
    await (globalThis as { bugleWorkers?: { pool: { destroy: () => Promise<void> } } }).bugleWorkers?.pool.destroy()
    await closeDb()
    await admin(`DROP DATABASE ${name} WITH (FORCE)`)
  })
}

export function actor(role: Actor['role'], change: Partial<Actor> = {}): Actor {
  return { id: null, name: `the ${role}`, email: '', role, via: 'session', address: 'test', sessionId: null, ...change }
}

export const ADMIN = actor('administrator')
export const OPERATOR = actor('operator')
export const VIEWER = actor('viewer')
