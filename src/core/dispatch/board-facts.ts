import type { Queue, Waiting } from './queue'
import type { AgentState, HeldWork, ReadyRun } from './types'

/** Runs that ask for the same, and the agents that could take them. */
export interface Group {
  /** Small: what a placing knows of groups lies in an array. */
  readonly index: number
  /** What its runs ask for, as text. */
  readonly key: string
  readonly sample: ReadyRun
  /** One kept turn for each pool; for other targets, for each different set of eligible agents. */
  readonly pool: string | null
  readonly queue: Queue<Entry>
  /** Slots in the board's arrays of the eligible agents, ascending. */
  eligible: number[]
  setKey: string
  /** How many of its runs take locks. */
  withLocks: number
}

export interface Entry extends Waiting {
  readonly group: Group
  readonly stopped: 'held' | 'off' | 'kind' | null
  /** null: none. */
  readonly lockNames: readonly string[] | null
}

/** What a placing asks a board for. Agents lie in parallel arrays under a small integer; undefined: one that went. */
export interface BoardFacts {
  readonly agents: readonly (AgentState | undefined)[]
  readonly slots: readonly number[]
  readonly free: readonly number[]
  /** Milliseconds since the epoch; -Infinity: none yet. */
  readonly lastStart: readonly number[]
  /** What runs on each agent, by natural end: start + usual length. */
  readonly held: readonly (readonly HeldWork[])[]
  readonly lockUnits: ReadonlyMap<string, number>
  /** lock → run number → units */
  readonly lockHolders: ReadonlyMap<string, ReadonlyMap<number, number>>
  readonly entry: (number: number) => Entry | undefined
}
