import { isEligible, requirementKey } from './eligible'
import { turnOf } from './order'
import type { BoardFacts, Entry, Group } from './board-facts'
import { makePlacing } from './placing'
import { Queue } from './queue'
import { Room } from './room'
import type { AgentState, HeldWork, Placing, ReadyRun, Place, Target } from './types'

/** So many requirements are remembered that no run has at present. */
const MOST_EMPTY = 256

/**
 * What is ready and who could take it, kept from one placing to the next so that one change costs little.
 * It is an index over the facts it was given and nothing else: a new board filled with the same facts
 * places the same way.
 *
 * Agents live in parallel arrays under a small integer; a gap left by one that went is reused.
 */
export class Board implements BoardFacts {
  readonly agents: (AgentState | undefined)[] = []
  /** Slots of each agent, and how many of them are free. */
  readonly slots: number[] = []
  readonly free: number[] = []
  /** Milliseconds since the epoch; -Infinity: it has started nothing yet. */
  readonly lastStart: number[] = []
  /** What runs on each agent, by natural end: start + usual length. */
  readonly held: HeldWork[][] = []
  readonly lockUnits = new Map<string, number>()
  /** lock → run number → units */
  readonly lockHolders = new Map<string, Map<number, number>>()
  private readonly indexByPlace = new Map<string, number>()
  private readonly agentOfRun = new Map<number, number>()
  private readonly groups = new Map<string, Group>()
  /** Groups with a run. */
  private readonly wanted = new Set<Group>()
  /** Groups without a run that are kept for the next one like it, the longest empty first. */
  private readonly empty = new Set<Group>()
  /** Of groups that are gone. */
  private readonly freeIndexes: number[] = []
  private readonly entries = new Map<number, Entry>()
  private readonly room = new Room(this)

  setLocks(locks: Readonly<Record<string, number>>): void {
    this.lockUnits.clear()
    for (const [name, units] of Object.entries(locks)) this.lockUnits.set(name, units)
  }

  /** Adds an agent or replaces what is known of it, what runs on it included. */
  putAgent(agent: AgentState): void {
    let index = this.indexByPlace.get(keyOf(placeOf(agent)))
    if (index === undefined) {
      index = this.agents.indexOf(undefined)
      if (index < 0) index = this.agents.length
      this.indexByPlace.set(keyOf(placeOf(agent)), index)
    } else {
      for (const work of [...(this.held[index] ?? [])]) this.endWork(work.number)
    }
    this.agents[index] = agent
    this.slots[index] = agent.slots
    this.free[index] = agent.slots
    this.lastStart[index] = agent.lastStartAtMs ?? -Infinity
    this.room.touch(index)
    this.held[index] = []
    for (const work of agent.running) this.startWork(placeOf(agent), work)
    for (const group of this.groups.values()) this.judge(group, index)
  }

  removeAgent(place: Place): void {
    const index = this.indexByPlace.get(keyOf(place))
    if (index === undefined) return
    for (const { number } of [...(this.held[index] ?? [])]) this.endWork(number)
    this.agents[index] = undefined
    this.slots[index] = 0
    this.free[index] = 0
    this.indexByPlace.delete(keyOf(place))
    for (const group of this.groups.values()) this.judge(group, index)
  }

  /** A run started on this agent, by this board's placing or known from elsewhere. */
  startWork(place: Place, work: HeldWork): void {
    const index = this.indexByPlace.get(keyOf(place))
    if (index === undefined) return
    this.endWork(work.number)
    const held = this.held[index] as HeldWork[]
    const after = held.findIndex((other) => naturalEnd(other) > naturalEnd(work))
    held.splice(after < 0 ? held.length : after, 0, work)
    this.free[index] = (this.free[index] as number) - work.slots
    this.room.touch(index)
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
    this.free[index] = (this.free[index] as number) + work.slots
    this.room.touch(index)
    this.agentOfRun.delete(number)
    for (const lock of Object.keys(work.locks)) this.lockHolders.get(lock)?.delete(number)
  }

  /** Remembers the instant of a start: ties between agents go to the one whose last start is longest ago. */
  noteStart(place: Place, atMs: number): void {
    const index = this.indexByPlace.get(keyOf(place))
    if (index === undefined) return
    this.lastStart[index] = atMs
    this.room.touch(index)
  }

  putRun(run: ReadyRun): void {
    this.removeRun(run.number)
    const key = requirementKey(run)
    let group = this.groups.get(key)
    if (!group) {
      const pool = poolKey(run.target)
      group = {
        index: this.freeIndex(),
        sample: run,
        pool,
        queue: new Queue(),
        key,
        eligible: [],
        setKey: '',
        withLocks: 0,
      }
      this.groups.set(key, group)
      this.fillGroup(group)
    }
    this.empty.delete(group)
    this.wanted.add(group)
    const locks = Object.keys(run.locks)
    const { level, latestStartMs, readyAtMs } = turnOf(run, -Infinity)
    // Written out in one piece: spread objects are several times slower to go through.
    const entry: Entry = {
      run,
      level,
      latestStartMs,
      readyAtMs,
      group,
      stopped: run.held ? 'held' : run.off ? 'off' : run.kindOff === undefined ? null : 'kind',
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
    group.queue.clear()
    this.wanted.delete(group)
    this.empty.add(group)
    if (this.empty.size <= MOST_EMPTY) return
    const [oldest] = this.empty
    if (!oldest) return
    this.empty.delete(oldest)
    this.groups.delete(oldest.key)
    this.freeIndexes.push(oldest.index)
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

  /** Decides what starts where, now. Changes nothing on the board: the caller tells it what really started. What is asked of a placing counts until the next one, or the next change. */
  place(nowMs: number): Placing {
    const queues: (readonly Entry[])[] = []
    for (const { queue } of this.wanted) queues.push(queue.inOrder(nowMs))
    return makePlacing(this, this.room.renew(), queues, nowMs)
  }

  private fillGroup(group: Group): void {
    group.eligible = []
    this.agents.forEach((agent, index) => {
      if (agent && isEligible(group.sample, agent)) group.eligible.push(index)
    })
    group.setKey = group.pool === null ? group.eligible.join(',') : ''
  }

  private judge(group: Group, index: number): void {
    const agent = this.agents[index]
    const fits = agent !== undefined && isEligible(group.sample, agent)
    const at = group.eligible.indexOf(index)
    if (fits === at >= 0) return
    if (fits) group.eligible = [...group.eligible, index].sort((a, b) => a - b)
    else group.eligible.splice(at, 1)
    group.setKey = group.pool === null ? group.eligible.join(',') : ''
  }
}

/** An agent and a robot of one name are two places. */
const keyOf = (place: Place): string => (typeof place === 'string' ? `agent ${place}` : `robot ${place.robot}`)
const placeOf = ({ name, robot }: AgentState): Place => (robot === null ? name : { robot: name })

/** A pool's agents and its robots keep a turn each. */
function poolKey(target: Target): string | null {
  if ('pool' in target) return `agents of ${target.pool}`
  return 'robotPool' in target ? `robots of ${target.robotPool}` : null
}

const naturalEnd = ({ startedAtMs, usualMs }: HeldWork): number => startedAtMs + usualMs
