import { BaseError } from 'sequelize'
import { many, sqlState } from './db'

/** Codes that say that the database is not there, or has no room now, and nothing about what was asked (PostgreSQL, appendix A). */
const OUTAGE = /^(08|53|57P|58|40|55P03|25006)/
/** What the system says of a connection that broke or cannot be had (errno, POSIX.1). */
const BROKEN = /^(EPIPE|ETIMEDOUT|EAI_AGAIN|ENOTFOUND|ECONN[A-Z]+|E(HOST|NET)[A-Z]+)$/
/** What the driver says, without a code, when a connection ends under it: also of one that Sequelize was only about to hand out. */
const ENDED = /^(Connection terminated|Client (was closed|has encountered a connection error) and is not queryable)/

/** Whether the same query may well succeed a little later: the database is away, starting, full or busy. Anything else is the query's own fault. */
export function isOutage(error: unknown): boolean {
  const code = sqlState(error)
  if (code !== undefined && BROKEN.test(code)) return true
  if (code !== undefined && /^[0-9A-Z]{5}$/.test(code)) return OUTAGE.test(code)
  if (error instanceof Error && ENDED.test(error.message)) return true
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
