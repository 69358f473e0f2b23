import type { Board, Entry, Group } from './board'
import { whatLacks } from './eligible'
import { expectedEndMs } from './order'
import type { HeldWork, Placing, ReadyRun, Reason, Start } from './types'

/** A turn kept on one agent for the first run in order that found no room. */
interface KeptTurn {
  readonly run: ReadyRun
  readonly agent: number
  readonly atMs: number
  /** Slots free on that agent at that instant beyond what the kept run takes. */
  spare: number
}

/** Bare marks, turned into sentences only for the runs someone asks about. */
type Mark =
  | { readonly why: 'held' | 'off' | 'agent' | 'slot' }
  | { readonly why: 'lock'; readonly lock: string }
  | { readonly why: 'keeps'; readonly turn: KeptTurn }
  | { readonly why: 'turn'; readonly for: number }

const HELD: Mark = { why: 'held' }
const OFF: Mark = { why: 'off' }
const NO_AGENT: Mark = { why: 'agent' }
const NO_SLOT: Mark = { why: 'slot' }

/**
 * One placing: takes the runs once in the given order and decides which start where. Room only shrinks on the way, so nothing
 * is tried twice. Backfilling keeps one reservation for each pool (Lifka 1995, "The ANL/IBM SP Scheduling System";
 * Mu'alem & Feitelson 2001), extended to locks.
 */
export function makePlacing(board: Board, order: readonly Entry[], nowMs: number): Placing {
  const state = new Scratch(board, nowMs)
  const marks = new Map<number, Mark>()
  const starts: Start[] = []
  for (const entry of order) {
    const decided = state.decide(entry)
    if (typeof decided === 'number') {
      const agent = board.agents[decided]
      if (agent) starts.push({ number: entry.run.number, agent: agent.name })
    } else {
      marks.set(entry.run.number, decided)
    }
  }
  return {
    starts,
    reasonFor: (number) => {
      const mark = marks.get(number)
      const entry = board.entry(number)
      return mark && entry ? state.explain(entry, mark) : undefined
    },
  }
}

/** The room that is left while a placing goes on. */
class Scratch {
  private readonly free: number[]
  private readonly lastStart: number[]
  /** No agent of the group has more than this many free slots: lets a full pool be passed over at once. */
  private readonly mostFree = new Map<Group, number>()
  private readonly started = new Map<number, HeldWork[]>()
  private readonly keptByPool = new Map<string, KeptTurn>()
  private readonly turns: KeptTurn[] = []
  private readonly lockLeft = new Map<string, number>()
  private readonly closedLocks = new Set<string>()
  private readonly startedLockHolders = new Map<string, number[]>()

  constructor(
    private readonly board: Board,
    private readonly nowMs: number,
  ) {
    this.free = board.agents.map((agent, i) => (agent ? agent.slots - (board.used[i] ?? 0) : 0))
    this.lastStart = board.agents.map((agent) => agent?.lastStartAtMs ?? -Infinity)
  }

  /** The agent's index if the run starts, else why not. */
  decide({ run, group, lockNames }: Entry): number | Mark {
    if (run.held) return HELD
    if (run.off) return OFF
    if (group.eligible.length === 0) return NO_AGENT
    const lacking = lockNames.length > 0 ? this.closeLackingLocks(run, lockNames) : undefined
    if (lacking !== undefined) return { why: 'lock', lock: lacking }
    if ((this.mostFree.get(group) ?? Infinity) < run.slots) return this.keepTurn(run, group)

    const endMs = expectedEndMs(this.nowMs, run.usualMs, this.nowMs)
    let best = -1
    let mostFree = 0
    let turnedAwayFor: KeptTurn | undefined
    for (const agent of group.eligible) {
      const free = this.free[agent] as number
      if (free > mostFree) mostFree = free
      if (free < run.slots) continue
      const turn = this.turnInTheWay(run, lockNames, agent, endMs)
      if (turn) turnedAwayFor ??= turn
      else if (best < 0 || this.isBetter(agent, best, run.slots)) best = agent
    }
    if (best >= 0) {
      this.start(run, best, endMs, lockNames)
      return best
    }
    this.mostFree.set(group, mostFree)
    return turnedAwayFor ? { why: 'turn', for: turnedAwayFor.run.number } : this.keepTurn(run, group)
  }

  /** Closes every lock of which too few units are left: no later run of this placing gets any. Returns the first such lock. */
  private closeLackingLocks(run: ReadyRun, lockNames: readonly string[]): string | undefined {
    let first: string | undefined
    for (const lock of lockNames) {
      const short = this.unitsLeft(lock) < (run.locks[lock] ?? 0)
      if (short) this.closedLocks.add(lock)
      if (short || this.closedLocks.has(lock)) first ??= lock
    }
    return first
  }

  private unitsLeft(lock: string): number {
    let left = this.lockLeft.get(lock)
    if (left === undefined) {
      left = this.board.lockUnits.get(lock) ?? 0
      for (const units of this.board.lockHolders.get(lock)?.values() ?? []) left -= units
      this.lockLeft.set(lock, left)
    }
    return left
  }

  private turnInTheWay(
    run: ReadyRun,
    lockNames: readonly string[],
    agent: number,
    endMs: number,
  ): KeptTurn | undefined {
    return this.turns.find((turn) => {
      if (endMs <= turn.atMs) return false
      if (turn.agent === agent && turn.spare < run.slots) return true
      return lockNames.some((lock) => (turn.run.locks[lock] ?? 0) > this.unitsLeft(lock) - (run.locks[lock] ?? 0))
    })
  }

  /** Smaller share of used slots after taking the run, compared exactly; then longest since its last start; then name. */
  private isBetter(a: number, b: number, slots: number): boolean {
    const agentA = this.board.agents[a]
    const agentB = this.board.agents[b]
    if (!agentA || !agentB) return false
    const usedA = agentA.slots - (this.free[a] as number) + slots
    const usedB = agentB.slots - (this.free[b] as number) + slots
    const byShare = usedA * agentB.slots - usedB * agentA.slots
    if (byShare !== 0) return byShare < 0
    const lastA = this.lastStart[a] as number
    const lastB = this.lastStart[b] as number
    if (lastA !== lastB) return lastA < lastB
    return agentA.name < agentB.name
  }

  private start(run: ReadyRun, agent: number, endMs: number, lockNames: readonly string[]): void {
    this.free[agent] = (this.free[agent] as number) - run.slots
    this.lastStart[agent] = this.nowMs
    const work = {
      number: run.number,
      slots: run.slots,
      locks: run.locks,
      startedAtMs: this.nowMs,
      usualMs: run.usualMs,
    }
    const list = this.started.get(agent)
    if (list) list.push(work)
    else this.started.set(agent, [work])
    for (const lock of lockNames) {
      this.lockLeft.set(lock, this.unitsLeft(lock) - (run.locks[lock] ?? 0))
      this.startedLockHolders.set(lock, [...(this.startedLockHolders.get(lock) ?? []), run.number])
    }
    for (const turn of this.turns) {
      if (turn.agent === agent && endMs > turn.atMs) turn.spare -= run.slots
    }
  }

  private keepTurn(run: ReadyRun, group: Group): Mark {
    const key = group.pool === null ? `set ${group.setKey}` : `pool ${group.pool}`
    if (this.keptByPool.has(key)) return NO_SLOT
    const first = this.earliestRoom(run, group)
    if (!first) return NO_SLOT
    const turn: KeptTurn = { run, agent: first.agent, atMs: first.atMs, spare: first.free - run.slots }
    this.keptByPool.set(key, turn)
    this.turns.push(turn)
    return { why: 'keeps', turn }
  }

  /** Where, by expected ends, the run's slots suffice earliest; ties by name. What this placing started is counted. */
  private earliestRoom(run: ReadyRun, group: Group): { agent: number; atMs: number; free: number } | undefined {
    let best: { agent: number; atMs: number; free: number } | undefined
    for (const agent of group.eligible) {
      const found = this.roomOn(agent, run.slots)
      if (!found) continue
      const isEarlier =
        !best || found.atMs < best.atMs || (found.atMs === best.atMs && this.nameOf(agent) < this.nameOf(best.agent))
      if (isEarlier) best = { agent, ...found }
    }
    return best
  }

  private roomOn(agent: number, slots: number): { atMs: number; free: number } | undefined {
    let free = this.free[agent] as number
    if (free >= slots) return { atMs: this.nowMs, free }
    const ends = [...(this.board.held[agent]?.values() ?? []), ...(this.started.get(agent) ?? [])]
      .map((work) => ({ slots: work.slots, endMs: expectedEndMs(work.startedAtMs, work.usualMs, this.nowMs) }))
      .sort((a, b) => a.endMs - b.endMs)
    for (let i = 0; i < ends.length; i++) {
      const end = ends[i] as { slots: number; endMs: number }
      free += end.slots
      // All that ends at one instant ends together.
      if (free >= slots && ends[i + 1]?.endMs !== end.endMs) return { atMs: end.endMs, free }
    }
    return undefined
  }

  private nameOf(agent: number): string {
    return this.board.agents[agent]?.name ?? ''
  }

  explain({ run, group }: Entry, mark: Mark): Reason {
    switch (mark.why) {
      case 'held':
      case 'off':
        return { why: mark.why }
      case 'agent':
        return { why: 'agent', lacks: this.lacking(run) }
      case 'lock':
        return {
          why: 'lock',
          lock: mark.lock,
          holders: [
            ...(this.board.lockHolders.get(mark.lock)?.keys() ?? []),
            ...(this.startedLockHolders.get(mark.lock) ?? []),
          ],
        }
      case 'keeps':
        return { why: 'slot', agent: this.nameOf(mark.turn.agent), atMs: mark.turn.atMs }
      case 'turn':
        return { why: 'turn', for: mark.for }
      case 'slot': {
        const first = this.earliestRoom(run, group)
        return first ? { why: 'slot', agent: this.nameOf(first.agent), atMs: first.atMs } : { why: 'soon' }
      }
    }
  }

  /** The nearest first: fewest things lacking, then name. */
  private lacking(run: ReadyRun): { agent: string; lacks: string[] }[] {
    return this.board.agents
      .flatMap((agent) => (agent ? [{ agent: agent.name, lacks: whatLacks(run, agent) }] : []))
      .sort((a, b) => a.lacks.length - b.lacks.length || (a.agent < b.agent ? -1 : 1))
  }
}
