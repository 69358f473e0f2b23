import { createHash } from 'node:crypto'
import { existsSync } from 'node:fs'
import { join } from 'node:path'
import { writeWhole } from './whole-file'

declare global {
  /** The supervisor's program, put into the agent's one file when that is built (scripts/lib/build.mjs). */
  var BUGLE_SUPERVISOR: string
}

/** Lays the supervisor's program beside the agent's state, under a name of its own for each version: older ones may still be at work. */
export function supervisorFile(stateDir: string): string {
  const source = globalThis.BUGLE_SUPERVISOR
  const file = join(stateDir, `supervisor-${createHash('sha256').update(source).digest('hex').slice(0, 16)}.cjs`)
  if (!existsSync(file)) writeWhole(file, source)
  return file
}
