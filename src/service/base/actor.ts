import { heightOf, levelOf, LEVELS, type Level } from '@/core/people/rights'
import { mayDo, missingRight, type Right, type Role } from '@/core/people/roles'
import { behindWalls } from '@/store/walls'
import { Problem } from './problem'

/** Who asks. */
export interface Actor {
  readonly id: number | null
  readonly name: string
  readonly email: string
  /** In the whole organisation; of a token no more than it may. */
  readonly role: Role
  readonly via: 'session' | 'token' | 'command-line' | 'engine'
  readonly address: string
  readonly sessionId: number | null
  /** What areas have to do with it; left out where the role says everything. */
  readonly areas?: ActorAreas
}

export interface ActorAreas {
  /** There are areas that this person may not see, or there could be: reads happen behind walls. */
  readonly isWalled: boolean
  /** The most that is granted to them or to their groups, on any area. */
  readonly granted: Level | 'none'
  /** No more than this, on whatever area: what the token may. */
  readonly atMost: Level
}

const notAllowed = (right: Right): Problem => new Problem('not-allowed', missingRight(right), [], { needed: right })

/** For what belongs to the whole organisation: fleet, calendars, people, notices. */
export function requireRight(actor: Actor, right: Right): void {
  if (!mayDo(actor.role, right)) throw notAllowed(right)
}

/** For what lies in areas: whether there could be an area at all on which the actor may do this. Which one it is, the caller looks at (`area-rights.ts`), or the walls do. */
export function requireSomewhere(actor: Actor, right: Right): void {
  if (mayDo(actor.role, right)) return
  const { granted, atMost } = actor.areas ?? { granted: 'none', atMost: 'manage' }
  const height = Math.min(heightOf(granted), heightOf(atMost))
  if (height < heightOf(levelOf(right))) throw notAllowed(right)
}

/** The lower of what somebody may on an area and what the token that they use may. */
export function capped(actor: Actor, height: number): Level | 'none' {
  const most = Math.min(height, heightOf(actor.areas?.atMost ?? 'manage'))
  return most === 0 ? 'none' : (LEVELS[most - 1] as Level)
}

/** Reads as this person may: behind walls where there is something that they may not see. */
export function seenBy<T>(actor: Actor, work: () => T): T {
  return actor.areas?.isWalled && actor.id !== null ? behindWalls(actor.id, work) : work()
}

/** What an engine does by itself. */
export const ENGINE: Actor = {
  id: null,
  name: 'Bugle',
  email: '',
  role: 'administrator',
  via: 'engine',
  address: 'local',
  sessionId: null,
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
