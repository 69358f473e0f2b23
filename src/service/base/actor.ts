import { mayDo, missingRight, type Right, type Role } from '@/core/people/roles'
import { Problem } from './problem'

/** Who asks. */
export interface Actor {
  readonly id: number | null
  readonly name: string
  readonly email: string
  readonly role: Role
  readonly via: 'session' | 'token' | 'command-line' | 'engine'
  readonly address: string
  readonly sessionId: number | null
}

export function requireRight(actor: Actor, right: Right): void {
  if (!mayDo(actor.role, right)) throw new Problem('not-allowed', missingRight(right), [], { needed: right })
}

/** Whoever can run commands on the server with its secrets is an administrator of it. */
export const COMMAND_LINE: Actor = {
  id: null,
  name: 'command line',
  email: '',
  role: 'administrator',
  via: 'command-line',
  address: 'local',
  sessionId: null,
}
