import { readFileSync, writeFileSync } from 'node:fs'
import { connectionSchema, type Connection } from '@/core/work/connections'
import { ActFault, contextOf, reasonOf, type Context, type Surroundings } from './context'

/** What the agent writes into the attempt's folder before it starts the action. */
export interface Order extends Surroundings {
  readonly action: unknown
  /** Where a fault is written, for the record. */
  readonly faultFile: string
}

/** Of the agent's own open files, the one that named values are written to. */
const OUTPUTS_FD = 3

/** Carries out one action that talks to others, as a process of its own: `bugle-agent.cjs act FILE`. Returns its exit code; a fault is the last line of standard error. */
export async function act(file: string): Promise<number> {
  const order = JSON.parse(readFileSync(file, 'utf8')) as Order
  const action = connectionSchema.parse(order.action)
  const context = contextOf(order, OUTPUTS_FD)
  try {
    return (await carryOut(action, context)) ?? 0
  } catch (error) {
    const fault = error instanceof ActFault ? error.message : `Unforeseen: ${reasonOf(error)}.`
    context.warn(fault)
    writeFileSync(order.faultFile, fault, { mode: 0o600 })
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
    case 'report':
      return (await import('./report')).report(action, context)
  }
}
