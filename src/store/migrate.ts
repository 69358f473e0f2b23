import { Umzug } from 'umzug'
import { db, many, transaction, type Tx } from './db'
import { foundation } from './migrations/0001-foundation'
import { timing } from './migrations/0002-timing'
import { flows } from './migrations/0003-flows'
import { connections } from './migrations/0004-connections'
import { notices } from './migrations/0005-notices'
import { sharedValues } from './migrations/0006-shared-values'
import { bounds } from './migrations/0007-bounds'
import { record } from './migrations/0008-record'
import { room } from './migrations/0009-room'
import { versions } from './migrations/0010-versions'
import { mailServers } from './migrations/0011-mail-servers'
import { references } from './migrations/0012-references'
import { lists } from './migrations/0013-lists'
import { forecast } from './migrations/0014-forecast'
import { foundAttempts } from './migrations/0015-found-attempts'
import { lengthsByChoice } from './migrations/0016-lengths-by-choice'
import { areasInAreas } from './migrations/0017-areas-in-areas'
import { letters } from './migrations/0018-letters'
import { organisations } from './migrations/0019-organisations'
import { secondFactors } from './migrations/0020-second-factors'
import { elsewhere } from './migrations/0021-elsewhere'
import { serviceAccounts } from './migrations/0022-service-accounts'
import { robots } from './migrations/0023-robots'
import { queues } from './migrations/0024-queues'
import { events } from './migrations/0025-events'
import { desks } from './migrations/0026-desks'
import { kinds } from './migrations/0027-kinds'
import { allowances } from './migrations/0028-allowances'
import { traces } from './migrations/0029-traces'
import { lines } from './migrations/0030-lines'
import { views } from './migrations/0031-views'
import { reports } from './migrations/0032-reports'
import { systems } from './migrations/0033-systems'
import { outputLooks } from './migrations/0034-output-looks'
import { shiftLog } from './migrations/0035-shift-log'
import type { Migration } from './migrations/migration'
import { FIRST, handOver, inOrganisation, onServer, roleOf, roleThere, schemaOf, walledRoleOf } from './organisation'

/** What each organisation's schema is made of. */
const MIGRATIONS: readonly Migration[] = [
  foundation,
  timing,
  flows,
  connections,
  notices,
  sharedValues,
  bounds,
  record,
  room,
  versions,
  mailServers,
  references,
  lists,
  forecast,
  foundAttempts,
  lengthsByChoice,
  areasInAreas,
  letters,
  organisations,
  secondFactors,
  elsewhere,
  serviceAccounts,
  robots,
  queues,
  events,
  desks,
  kinds,
  allowances,
  traces,
  lines,
  views,
  reports,
  systems,
  outputLooks,
  shiftLog,
]
/** The list of organisations is made once, with the first. */
const listFor = (id: number): readonly Migration[] =>
  id === FIRST ? MIGRATIONS : MIGRATIONS.filter((one) => one !== organisations)
/** Any number, the same for all: one process migrates at a time. */
const MIGRATION_LOCK = 4_380_001

/** Names of what the schema of this program has and an organisation of the database has not yet. */
export async function missingMigrations(): Promise<string[]> {
  const ids = await organisationIds()
  const missing = new Set<string>()
  for (const id of ids) {
    const done = await onServer(() => doneOf(null, id))
    for (const { name } of listFor(id)) if (!done.has(name)) missing.add(name)
  }
  return MIGRATIONS.map(({ name }) => name).filter((name) => missing.has(name))
}

async function doneOf(tx: Tx | null, id: number): Promise<Set<string>> {
  const [table] = await many<{ is: boolean }>(tx, `SELECT to_regclass($1) IS NOT NULL AS is`, [
    `${schemaOf(id)}.migrations`,
  ])
  const done = table?.is ? await many<{ name: string }>(tx, `SELECT name FROM ${schemaOf(id)}.migrations`) : []
  return new Set(done.map(({ name }) => name))
}

/** Those that there are; the first is there before anything is. */
async function organisationIds(tx: Tx | null = null): Promise<number[]> {
  return onServer(async () => {
    const [table] = await many<{ is: boolean }>(
      tx,
      `SELECT to_regclass('bugle_server.organisations') IS NOT NULL AS is`,
    )
    if (!table?.is) return [FIRST]
    const rows = await many<{ id: number }>(tx, 'SELECT id FROM bugle_server.organisations ORDER BY id')
    return rows.map(({ id }) => id)
  })
}

/**
 * Brings the schema of every organisation up to date; returns the names of what was run, each once. Safe to call from several processes at once.
 *
 * @param to the last that is run; for tests of what comes after it
 */
export async function migrate(to?: string): Promise<string[]> {
  return onServer(() =>
    transaction(async (tx) => {
      await many(tx, `SELECT pg_advisory_xact_lock(${MIGRATION_LOCK})`)
      const names = new Set<string>()
      const ids = await organisationIds(tx)
      for (const id of ids) for (const name of await migrateOne(tx, id, to)) names.add(name)
      // Also where a back-up was brought back by another user.
      if (ids.length > 1)
        for (const id of ids)
          for (const sql of [roleThere(roleOf(id)), handOver(id)]) await db().sequelize.query(sql, { transaction: tx })
      return [...names]
    }),
  )
}

/** One organisation, in the transaction of all. */
async function migrateOne(tx: Tx, id: number, to?: string): Promise<string[]> {
  const run = async (sql: string, bind?: readonly unknown[]): Promise<never> =>
    (await db().sequelize.query(sql, { ...(bind ? { bind: [...bind] } : {}), transaction: tx }))[0] as never
  await run(roleThere(walledRoleOf(id)))
  await run(`SET LOCAL search_path = ${id === FIRST ? 'DEFAULT' : schemaOf(id)}`)
  await run('CREATE TABLE IF NOT EXISTS migrations (name text PRIMARY KEY, at timestamptz NOT NULL DEFAULT now())')
  const umzug = new Umzug({
    migrations: listFor(id).map(({ name, up, then }) => ({
      name,
      up: async () => {
        await run(inSchema(id, up))
        await inOrganisation(id, async () => then?.(run))
      },
    })),
    storage: {
      executed: async () => [...(await doneOf(tx, id))].sort(),
      logMigration: async ({ name }) => {
        await run('INSERT INTO migrations (name) VALUES ($1)', [name])
      },
      unlogMigration: async () => undefined,
    },
    logger: undefined,
  })
  return (await umzug.up(to === undefined ? {} : { to })).map((done) => done.name)
}

/** Migrations are written for the first organisation: its schema and the role of its walls are named in them. */
function inSchema(id: number, sql: string): string {
  return id === FIRST
    ? sql
    : sql.replaceAll('bugle_walled', walledRoleOf(id)).replaceAll('SCHEMA public', `SCHEMA ${schemaOf(id)}`)
}

/** Makes the tables of one more organisation, in the transaction that enters it in the list. */
export async function makeSchema(tx: Tx, id: number): Promise<void> {
  const run = (sql: string): Promise<unknown> => db().sequelize.query(sql, { transaction: tx })
  for (const each of [FIRST, id]) await run(roleThere(roleOf(each)))
  await run(`CREATE SCHEMA ${schemaOf(id)} AUTHORIZATION ${roleOf(id)}`)
  await migrateOne(tx, id)
  await run('SET LOCAL search_path = DEFAULT')
  for (const each of [FIRST, id]) await run(handOver(each))
}
