import { BaseError } from 'sequelize'
import { many, sqlState } from './db'

/** Codes that say that the database is not there, or has no room now, and nothing about what was asked (PostgreSQL, appendix A). */
const OUTAGE = /^(08|53|57P|58|40|55P03|25006)/

/** Whether the same query may well succeed a little later: the database is away, starting, full or busy. Anything else is the query's own fault. */
export function isOutage(error: unknown): boolean {
  const code = sqlState(error)
  if (code !== undefined && /^[0-9A-Z]{5}$/.test(code)) return OUTAGE.test(code)
  return (
    error instanceof BaseError &&
    /^Sequelize(Connection|HostNot|AccessDenied|InvalidConnection|Database)/.test(error.name)
  )
}

/** Whether the database answers within three seconds. */
export async function databaseAnswers(): Promise<boolean> {
  let timer: NodeJS.Timeout | undefined
  const late = new Promise<boolean>((resolve) => (timer = setTimeout(() => resolve(false), 3000)))
  const answer = many(null, 'SELECT 1 AS one').then(
    () => true,
    () => false,
  )
  return Promise.race([answer, late]).finally(() => clearTimeout(timer))
}
