import { readFileSync, writeFileSync } from 'node:fs'
import { connectionSchema, type Connection } from '@/core/work/connections'
import { ActFault, contextOf, type Context } from './context'

/** Carries out one action that talks to others, as a process of its own: `bugle-agent.cjs act FILE`. Returns its exit code; a fault is the last line of standard error. */
export async function act(file: string): Promise<number> {
  const action = connectionSchema.parse(JSON.parse(readFileSync(file, 'utf8')))
  const context = contextOf(process.env)
  try {
    return (await carryOut(action, context)) ?? 0
  } catch (error) {
    const fault = error instanceof ActFault ? error.message : `Unforeseen: ${(error as Error).stack ?? String(error)}`
    context.warn(fault)
    if (process.env.BUGLE_FAULT) writeFileSync(process.env.BUGLE_FAULT, fault, { mode: 0o600 })
    return 1
  }
}

/** Libraries are loaded where they are used: an agent that only runs commands stays small. */
async function carryOut(action: Connection, context: Context): Promise<number | void> {
  switch (action.kind) {
    case 'reach':
      return (await import('./reach')).reach(action, context)
    case 'http':
      return (await import('./http')).http(action, context)
    case 'ticket':
      return (await import('./ticket')).ticket(action, context)
    case 'mail':
      return (await import('./mail')).mail(action, context)
    case 'sql':
      return (await import('./sql')).sql(action, context)
    case 'transfer':
      return (await import('./transfer')).transfer(action, context)
    case 'ssh':
      return (await import('./ssh')).ssh(action, context)
  }
}
