import pino from 'pino'
import { sqlState } from '@/store/db'
import { FIRST, organisation } from '@/store/organisation'

/**
 * What the log says of an error. Errors of the database carry the values of their query with them, and so inputs, output and what stands in accounts: of them only the
 * code stays.
 */
export function factsOf(error: unknown): object {
  if (!(error instanceof Error)) return { message: String(error) }
  const code = sqlState(error)
  return { type: error.name, message: error.message, stack: error.stack, ...(code === undefined ? {} : { code }) }
}

/** One JSON line for each thing worth knowing; never holds secrets, inputs or output. */
export const log = pino({
  level: process.env.BUGLE_LOG ?? 'info',
  base: { process: 'engine' },
  serializers: { err: factsOf },
  mixin: () => (organisation() === FIRST ? {} : { organisation: organisation() }),
})
