import { requirementKey, whatLacks } from './eligible'
import { compareTurn, nextLevelChangeMs } from './order'
import type { AgentState, HeldWork, Placing, ReadyRun } from './types'
import { makePlacing } from './placing'

/** Runs that ask for the same, and the agents that could take them. */
export interface Group {
  readonly sample: ReadyRun
  /** One kept turn for each pool; for other targets, for each different set of eligible agents. */
  readonly pool: string | null
  /** Slots in the board's arrays of the eligible agents, ascending. */
  eligible: number[]
  setKey: string
  members: number
}

export interface Entry {
  readonly run: ReadyRun
  readonly group: Group
  readonly lockNames: readonly string[]
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
  readonly held: Map<number, HeldWork>[] = []
  readonly lockUnits = new Map<string, number>()
  /** lock → run number → units */
  readonly lockHolders = new Map<string, Map<number, number>>()
  private readonly indexByName = new Map<string, number>()
  private readonly agentOfRun = new Map<number, number>()
  private readonly groups = new Map<string, Group>()
  private readonly entries = new Map<number, Entry>()
  private ordered: Entry[] = []
  private fresh: Entry[] = []
  private removed = 0
  private nextLevelChange = Infinity
  private orderedAtMs = -Infinity

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
      for (const work of [...(this.held[index]?.values() ?? [])]) this.endWork(work.number)
    }
    this.agents[index] = agent
    this.used[index] = 0
    this.held[index] = new Map()
    for (const work of agent.running) this.startWork(agent.name, work)
    for (const group of this.groups.values()) this.judge(group, index)
  }

  removeAgent(name: string): void {
    const index = this.indexByName.get(name)
    if (index === undefined) return
    for (const number of [...(this.held[index]?.keys() ?? [])]) this.endWork(number)
    this.agents[index] = undefined
    this.indexByName.delete(name)
    for (const group of this.groups.values()) this.judge(group, index)
  }

  /** A run started on this agent, by this board's placing or known from elsewhere. */
  startWork(agentName: string, work: HeldWork): void {
    const index = this.indexByName.get(agentName)
    if (index === undefined) return
    this.endWork(work.number)
    this.held[index]?.set(work.number, work)
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
    const work = this.held[index]?.get(number)
    if (!work) return
    this.held[index]?.delete(number)
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
      group = { sample: run, pool: 'pool' in run.target ? run.target.pool : null, eligible: [], setKey: '', members: 0 }
      this.groups.set(key, group)
      this.fillGroup(group)
    }
    group.members++
    const entry: Entry = { run, group, lockNames: Object.keys(run.locks) }
    this.entries.set(run.number, entry)
    this.fresh.push(entry)
  }

  removeRun(number: number): void {
    const entry = this.entries.get(number)
    if (!entry) return
    this.entries.delete(number)
    this.removed++
    entry.group.members--
    if (entry.group.members === 0) this.groups.delete(requirementKey(entry.run))
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
    return makePlacing(this, this.inOrder(nowMs), nowMs)
  }

  /** All ready runs by turn. Costs one pass when little changed: sorted runs are merged with the new ones. */
  private inOrder(nowMs: number): readonly Entry[] {
    const compare = (a: Entry, b: Entry): number => compareTurn(a.run, b.run, nowMs)
    const present = (entry: Entry): boolean => this.entries.get(entry.run.number) === entry
    if (nowMs >= this.nextLevelChange || nowMs < this.orderedAtMs) {
      this.ordered = [...this.entries.values()].sort(compare)
      this.nextLevelChange = Infinity
      for (const { run } of this.ordered) {
        this.nextLevelChange = Math.min(this.nextLevelChange, nextLevelChangeMs(run, nowMs))
      }
      this.orderedAtMs = nowMs
    } else if (this.fresh.length > 0 || this.removed > 0) {
      const added = this.fresh.filter(present).sort(compare)
      const kept = this.removed > 0 ? this.ordered.filter(present) : this.ordered
      this.ordered = added.length === 0 ? kept : merge(kept, added, compare)
      for (const { run } of added) {
        this.nextLevelChange = Math.min(this.nextLevelChange, nextLevelChangeMs(run, nowMs))
      }
    }
    this.fresh = []
    this.removed = 0
    return this.ordered
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

function merge(left: readonly Entry[], right: readonly Entry[], compare: (a: Entry, b: Entry) => number): Entry[] {
  const out: Entry[] = []
  let j = 0
  for (const entry of left) {
    let other = right[j]
    while (other && compare(other, entry) < 0) {
      out.push(other)
      other = right[++j]
    }
    out.push(entry)
  }
  for (; j < right.length; j++) out.push(right[j] as Entry)
  return out
}
