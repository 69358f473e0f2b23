import pg from 'pg'
import { QueryTypes, Sequelize, type Transaction } from 'sequelize'
import { driver } from './client'
import { config } from './config'
import { defineModels, type Models } from './models'
import { entrance } from './organisation'
import { whoReads } from './walls'

export type Db = Models & { readonly sequelize: Sequelize }
export type Tx = Transaction

// The bundler may load this module once per entry: the connection and the classes tied to it are kept together, once per process.
const holder = globalThis as typeof globalThis & { bugleDb?: Db }

/**
 * For this connection only. Pages are in memory or on disks without arms, so reading one at random costs about what reading the next one does: with
 * PostgreSQL's default of four times that, “the last run of this job” walked back over all runs. Compiling a query (jit) takes longer than ours take.
 */
const PLANNER = '-c random_page_cost=1.1 -c jit=off'

/** This process's connection pool and models. */
export function db(): Db {
  if (holder.bugleDb) return holder.bugleDb
  // Ids and counts stay far below 2^53.
  pg.defaults.parseInt8 = true
  const sequelize = new Sequelize(config().databaseUrl, {
    dialect: 'postgres',
    dialectModule: driver,
    logging: false,
    dialectOptions: { options: PLANNER },
    pool: { max: config().poolSize, min: 0, idle: 10_000, acquire: 15_000 },
  })
  // A model asked without a transaction would look at the tables of whichever organisation comes first.
  sequelize.addHook('beforeQuery', (options: { transaction?: unknown }) => {
    if (!options.transaction && entrance(whoReads()) !== undefined)
      throw new Error('Asked outside a transaction, and so for no organisation.')
  })
  holder.bugleDb = { sequelize, ...defineModels(sequelize) }
  return holder.bugleDb
}

export async function closeDb(): Promise<void> {
  await holder.bugleDb?.sequelize.close()
  delete holder.bugleDb
}

/** Deadlock, serialisation failure: the transaction did nothing and may be tried again (PostgreSQL, appendix A, class 40). */
const REPEATABLE = new Set(['40001', '40P01'])

/** Runs the work in one transaction; repeats it, up to 5 times, only when the database says that it did nothing. */
export async function transaction<T>(work: (tx: Tx) => Promise<T>): Promise<T> {
  for (let attempt = 1; ; attempt++) {
    try {
      return await db().sequelize.transaction(async (tx) => {
        const statement = entrance(whoReads())
        if (statement !== undefined) await db().sequelize.query(statement, { transaction: tx })
        return work(tx)
      })
    } catch (error) {
      const code = sqlState(error)
      if (attempt >= 5 || code === undefined || !REPEATABLE.has(code)) throw error
    }
  }
}

/** PostgreSQL's five-letter code of a failed query, if it is one. */
export function sqlState(error: unknown): string | undefined {
  const original = (error as { original?: { code?: unknown } }).original ?? (error as { code?: unknown })
  return typeof original.code === 'string' ? original.code : undefined
}

export const UNIQUE_VIOLATION = '23505'

/** All rows of a parametrised query. The row type is the caller's promise about its own SQL. */
export async function many<Row extends object>(tx: Tx | null, sql: string, bind: unknown[] = []): Promise<Row[]> {
  // Walls, and an organisation, are there for the length of a transaction; a query by itself becomes one.
  if (tx === null && entrance(whoReads()) !== undefined) return transaction((own) => many<Row>(own, sql, bind))
  // As the driver gives them: of a SELECT each row would be copied once more.
  const [rows] = await db().sequelize.query(sql, { type: QueryTypes.RAW, bind, transaction: tx })
  return rows as Row[]
}

/** The one row, or undefined. */
export async function maybeOne<Row extends object>(
  tx: Tx | null,
  sql: string,
  bind: unknown[] = [],
): Promise<Row | undefined> {
  return (await many<Row>(tx, sql, bind))[0]
}

/** The one row; throws when there is none: for queries that always give one. */
export async function one<Row extends object>(tx: Tx | null, sql: string, bind: unknown[] = []): Promise<Row> {
  const row = await maybeOne<Row>(tx, sql, bind)
  if (!row) throw new Error('A query that gives exactly one row gave none.')
  return row
}

/** Runs a statement for its effect; returns how many rows it touched. */
export async function execute(tx: Tx | null, sql: string, bind: unknown[] = []): Promise<number> {
  if (tx === null && entrance(whoReads()) !== undefined) return transaction((own) => execute(own, sql, bind))
  const [, result] = await db().sequelize.query(sql, { bind, transaction: tx })
  // Sequelize tells of what was inserted by the number alone.
  return typeof result === 'number' ? result : ((result as { rowCount?: number } | undefined)?.rowCount ?? 0)
}
