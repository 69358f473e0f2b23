import { Umzug } from 'umzug'
import { db, many } from './db'
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
import type { Migration } from './migrations/migration'
import { WALLS_ROLE } from './walls'

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
]
/** Any number, the same for all: one process migrates at a time. */
const MIGRATION_LOCK = 4_380_001

/** Names of what the schema of this program has and the database has not yet. */
export async function missingMigrations(): Promise<string[]> {
  const [table] = await many<{ is: boolean }>(null, `SELECT to_regclass('migrations') IS NOT NULL AS is`)
  const done = table?.is ? await many<{ name: string }>(null, 'SELECT name FROM migrations') : []
  const names = new Set(done.map(({ name }) => name))
  return MIGRATIONS.map(({ name }) => name).filter((name) => !names.has(name))
}

/**
 * Brings the schema up to date; returns the names of what was run. Safe to call from several processes at once.
 *
 * @param to the last that is run; for tests of what comes after it
 */
export async function migrate(to?: string): Promise<string[]> {
  const { sequelize } = db()
  return sequelize.transaction(async (transaction) => {
    await sequelize.query(`SELECT pg_advisory_xact_lock(${MIGRATION_LOCK})`, { transaction })
    await sequelize.query(WALLS_ROLE, { transaction })
    await sequelize.query(
      'CREATE TABLE IF NOT EXISTS migrations (name text PRIMARY KEY, at timestamptz NOT NULL DEFAULT now())',
      {
        transaction,
      },
    )
    const umzug = new Umzug({
      migrations: MIGRATIONS.map(({ name, up, then }) => ({
        name,
        up: async () => {
          await sequelize.query(up, { transaction })
          await then?.(
            async (sql, bind) => (await sequelize.query(sql, { bind: [...(bind ?? [])], transaction }))[0] as never,
          )
        },
      })),
      storage: {
        executed: async () => {
          const [rows] = await sequelize.query('SELECT name FROM migrations ORDER BY name', { transaction })
          return (rows as { name: string }[]).map((row) => row.name)
        },
        logMigration: async ({ name }) => {
          await sequelize.query('INSERT INTO migrations (name) VALUES ($1)', { bind: [name], transaction })
        },
        unlogMigration: async () => undefined,
      },
      logger: undefined,
    })
    return (await umzug.up(to === undefined ? {} : { to })).map((done) => done.name)
  })
}
