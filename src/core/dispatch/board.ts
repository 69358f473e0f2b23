import { requirementKey, whatLacks } from './eligible'
import { turnOf } from './order'
import { makePlacing } from './placing'
import { Queue, type Waiting } from './queue'
import type { AgentState, HeldWork, Placing, ReadyRun } from './types'

/** Runs that ask for the same, and the agents that could take them. */
export interface Group {
  /** Small: what a placing knows of groups lies in an array. */
  readonly index: number
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
  readonly stopped: 'held' | 'off' | null
  /** null: none. */
  readonly lockNames: readonly string[] | null
}

/**
 * What is ready and who could take it, kept from one placing to the next so that one change costs little.
 * It is an index over the facts it was given and nothing else: a new board filled with the same facts
 * places the same way.
 *
 * Agents live in parallel arrays under a small integer; a gap left by one that went is reused.
 */
export class Board {
  readonly agents: (AgentState | undefined)[] = []
  readonly used: number[] = []
  /** What runs on each agent, by natural end: start + usual length. */
  readonly held: HeldWork[][] = []
  readonly lockUnits = new Map<string, number>()
  /** lock → run number → units */
  readonly lockHolders = new Map<string, Map<number, number>>()
  private readonly indexByName = new Map<string, number>()
  private readonly agentOfRun = new Map<number, number>()
  private readonly groups = new Map<string, Group>()
  /** Of groups that are gone. */
  private readonly freeIndexes: number[] = []
  private readonly entries = new Map<number, Entry>()

  setLocks(locks: Readonly<Record<string, number>>): void {
    this.lockUnits.clear()
    for (const [name, units] of Object.entries(locks)) this.lockUnits.set(name, units)
  }

  /** Adds an agent or replaces what is known of it, what runs on it included. */
  putAgent(agent: AgentState): void {
    let index = this.indexByName.get(agent.name)
    if (index === undefined) {
      index = this.agents.indexOf(undefined)
      if (index < 0) index = this.agents.length
      this.indexByName.set(agent.name, index)
    } else {
      for (const work of [...(this.held[index] ?? [])]) this.endWork(work.number)
    }
    this.agents[index] = agent
    this.used[index] = 0
    this.held[index] = []
    for (const work of agent.running) this.startWork(agent.name, work)
    for (const group of this.groups.values()) this.judge(group, index)
  }

  removeAgent(name: string): void {
    const index = this.indexByName.get(name)
    if (index === undefined) return
    for (const { number } of [...(this.held[index] ?? [])]) this.endWork(number)
    this.agents[index] = undefined
    this.indexByName.delete(name)
    for (const group of this.groups.values()) this.judge(group, index)
  }

  /** A run started on this agent, by this board's placing or known from elsewhere. */
  startWork(agentName: string, work: HeldWork): void {
    const index = this.indexByName.get(agentName)
    if (index === undefined) return
    this.endWork(work.number)
    const held = this.held[index] as HeldWork[]
    const after = held.findIndex((other) => naturalEnd(other) > naturalEnd(work))
    held.splice(after < 0 ? held.length : after, 0, work)
    this.used[index] = (this.used[index] ?? 0) + work.slots
    this.agentOfRun.set(work.number, index)
    for (const [lock, units] of Object.entries(work.locks)) {
      let holders = this.lockHolders.get(lock)
      if (!holders) this.lockHolders.set(lock, (holders = new Map()))
      holders.set(work.number, units)
    }
  }

  endWork(number: number): void {
    const index = this.agentOfRun.get(number)
    if (index === undefined) return
    const held = this.held[index] as HeldWork[]
    const at = held.findIndex((work) => work.number === number)
    const work = held[at]
    if (!work) return
    held.splice(at, 1)
    this.used[index] = (this.used[index] ?? 0) - work.slots
    this.agentOfRun.delete(number)
    for (const lock of Object.keys(work.locks)) this.lockHolders.get(lock)?.delete(number)
  }

  /** Remembers the instant of a start: ties between agents go to the one whose last start is longest ago. */
  noteStart(agentName: string, atMs: number): void {
    const index = this.indexByName.get(agentName)
    const agent = index === undefined ? undefined : this.agents[index]
    if (index !== undefined && agent) this.agents[index] = { ...agent, lastStartAtMs: atMs }
  }

  putRun(run: ReadyRun): void {
    this.removeRun(run.number)
    const key = requirementKey(run)
    let group = this.groups.get(key)
    if (!group) {
      const pool = 'pool' in run.target ? run.target.pool : null
      group = {
        index: this.freeIndex(),
        sample: run,
        pool,
        queue: new Queue(),
        eligible: [],
        setKey: '',
        withLocks: 0,
      }
      this.groups.set(key, group)
      this.fillGroup(group)
    }
    const locks = Object.keys(run.locks)
    const { level, latestStartMs, readyAtMs } = turnOf(run, -Infinity)
    // Written out in one piece: spread objects are several times slower to go through.
    const entry: Entry = {
      run,
      level,
      latestStartMs,
      readyAtMs,
      group,
      stopped: run.held ? 'held' : run.off ? 'off' : null,
      lockNames: locks.length > 0 ? locks : null,
      isGone: false,
    }
    if (entry.lockNames) group.withLocks++
    group.queue.add(entry)
    this.entries.set(run.number, entry)
  }

  removeRun(number: number): void {
    const entry = this.entries.get(number)
    if (!entry) return
    const { group } = entry
    this.entries.delete(number)
    group.queue.remove(entry)
    if (entry.lockNames) group.withLocks--
    if (group.queue.size > 0) return
    this.groups.delete(requirementKey(entry.run))
    this.freeIndexes.push(group.index)
  }

  private freeIndex(): number {
    return this.freeIndexes.pop() ?? this.groups.size
  }

  hasRun(number: number): boolean {
    return this.entries.has(number)
  }

  runNumbers(): IterableIterator<number> {
    return this.entries.keys()
  }

  entry(number: number): Entry | undefined {
    return this.entries.get(number)
  }

  /** Decides what starts where, now. Changes nothing on the board: the caller tells it what really started. */
  place(nowMs: number): Placing {
    return makePlacing(
      this,
      Array.from(this.groups.values(), ({ queue }) => queue.inOrder(nowMs)),
      nowMs,
    )
  }

  private fillGroup(group: Group): void {
    group.eligible = []
    this.agents.forEach((agent, index) => {
      if (agent && whatLacks(group.sample, agent).length === 0) group.eligible.push(index)
    })
    group.setKey = group.pool === null ? group.eligible.join(',') : ''
  }

  private judge(group: Group, index: number): void {
    const agent = this.agents[index]
    const fits = agent !== undefined && whatLacks(group.sample, agent).length === 0
    const at = group.eligible.indexOf(index)
    if (fits === at >= 0) return
    if (fits) group.eligible = [...group.eligible, index].sort((a, b) => a - b)
    else group.eligible.splice(at, 1)
    group.setKey = group.pool === null ? group.eligible.join(',') : ''
  }
}

const naturalEnd = ({ startedAtMs, usualMs }: HeldWork): number => startedAtMs + usualMs
