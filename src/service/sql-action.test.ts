import { told } from '@/act/act.test-help'
import { sql } from '@/act/sql'
import type { SignIn } from '@/core/work/account'
import { connectionSchema, type Connection } from '@/core/work/connections'
import { freshDatabase } from '@/store/database.test-help'
import { execute, one } from '@/store/db'

freshDatabase()

type Sql = Extract<Connection, { kind: 'sql' }>
const at = (): { host: string; port: number; database: string; account: SignIn } => {
  const { hostname, port, pathname, username, password, searchParams } = new URL(process.env.DATABASE_URL as string)
  return {
    host: searchParams.get('host') ?? (hostname || '127.0.0.1'),
    port: Number(port || searchParams.get('port') || 5432),
    database: pathname.slice(1),
    account: {
      account: 'database',
      user: decodeURIComponent(username),
      secret: decodeURIComponent(password),
      hosts: ['*'],
      plain: false,
      unknownHosts: false,
    },
  }
}
const run = (change: Partial<Sql>, values: Record<string, string> = {}) => {
  const { account, ...where } = at()
  const all = told(values, account)
  return { ...all, done: sql(connectionSchema.parse({ kind: 'sql', ...where, ...change }) as Sql, all.context) }
}
beforeAll(async () => {
  await execute(null, 'CREATE TABLE fares (harbour text, amount numeric)')
  await execute(null, `INSERT INTO fares SELECT 'h' || n, n FROM generate_series(1, 500) n`)
})

it('binds its parameters, keeps rows as a table up to a limit, and hands on the first', async () => {
  const { done, lines, warnings, outputs } = run(
    {
      statement: 'SELECT harbour, amount FROM fares WHERE amount > $1 ORDER BY amount',
      parameters: ['${from}'],
      keepRows: 2,
    },
    { from: '490' },
  )
  await done
  expect(lines.slice(-5)).toEqual(['harbour  amount', '───────  ──────', 'h491     491', 'h492     492', '10 rows'])
  expect(warnings).toEqual(['Only the first 2 rows are kept here.'])
  expect(outputs).toEqual({ harbour: 'h491', amount: '491', rows: '10' })
})

it('never reads a value as code', async () => {
  const evil = `x'; DROP TABLE fares; --`
  const { done, outputs } = run(
    { statement: 'SELECT * FROM fares WHERE harbour = $1', parameters: ['${name}'] },
    { name: evil },
  )
  await done
  expect(outputs.rows).toBe('0')
  expect(await one(null, 'SELECT count(*)::int AS n FROM fares')).toEqual({ n: 500 })
})

it('carries out several statements, and counts what they change', async () => {
  const { done, outputs } = run({
    statement: `UPDATE fares SET amount = 0 WHERE amount = 1; DELETE FROM fares WHERE amount = 2`,
    leastRows: 2,
    mostRows: 2,
  })
  await done
  expect(outputs.rows).toBe('2')
})

it('fails by its row count, by a fault of the statement, and where nothing answers, each told', async () => {
  await expect(run({ statement: 'SELECT 1', leastRows: 2 }).done).rejects.toThrow('1 rows; at least 2 were to come.')
  await expect(run({ statement: 'SELECT 1 UNION SELECT 2', mostRows: 1 }).done).rejects.toThrow('at most 1')
  await expect(run({ statement: 'SELEC 1' }).done).rejects.toThrow(/syntax error.*\[42601\]/)
  await expect(run({ statement: 'SELECT 1', host: '127.0.0.1', port: 1 }).done).rejects.toThrow(
    'The database cannot be reached',
  )
})
