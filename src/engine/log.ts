import pino from 'pino'

/** One JSON line for each thing worth knowing; never holds secrets, inputs or output. */
export const log = pino({ level: process.env.BUGLE_LOG ?? 'info', base: { process: 'engine' } })
