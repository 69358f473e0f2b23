import type { BoardFacts, Entry, Group } from './board-facts'
import { allowanceOf } from '../fleet/allowance'
import { whatLacks } from './eligible'
import { expectedEndMs } from './order'
import { Merge } from './queue'
import type { Room } from './room'
import { isRobotTarget } from './target'
import type { HeldWork, Placing, ReadyRun, Reason, Start } from './types'

/** A turn kept on one agent for the first run in order that found no room. */
interface KeptTurn {
  readonly run: ReadyRun
  /** Its place among the kept turns. */
  readonly index: number
  readonly agent: number
  readonly atMs: number
  /** Slots free on that agent at that instant beyond what the kept run takes. */
  spare: number
}

/** Bare marks, turned into sentences only for the runs someone asks about. */
type Mark =
  | { readonly why: 'held' | 'off' | 'kind' | 'agent' | 'slot' }
  | { readonly why: 'lock'; readonly lock: string }
  | { readonly why: 'keeps'; readonly turn: KeptTurn }
  | { readonly why: 'turn'; readonly for: number }

const HELD: Mark = { why: 'held' }
const OFF: Mark = { why: 'off' }
const KIND: Mark = { why: 'kind' }
const NO_AGENT: Mark = { why: 'agent' }
const NO_SLOT: Mark = { why: 'slot' }

/**
 * One placing: takes the runs once by turn, from the queues of the board's groups, and decides which start where. Room only shrinks on the way, so nothing is
 * tried twice, and a queue whose group has no room left is left. Backfilling keeps one reservation for each pool (Lifka 1995, "The ANL/IBM SP Scheduling
 * System"; Mu'alem & Feitelson 2001), extended to locks.
 *
 * @param room as the board says; it is used up
 */
export function makePlacing(
  board: BoardFacts,
  room: Room,
  queues: readonly (readonly Entry[])[],
  nowMs: number,
): Placing {
  const state = new Scratch(board, room, nowMs)
  const marks = new Map<number, Mark>()
  const starts: Start[] = []
  const started = new Set<number>()
  const merge = new Merge(queues)
  for (let entry = merge.first; entry; entry = merge.first) {
    const decided = state.decide(entry)
    if (typeof decided === 'number') {
      starts.push(state.startOf(entry.run.number, decided))
      started.add(entry.run.number)
    } else if (decided !== NO_SLOT) marks.set(entry.run.number, decided)
    merge.next(state.isClosed(entry.group))
  }
  const markOf = (number: number): { entry: Entry; mark: Mark } | undefined => {
    const entry = board.entry(number)
    return !entry || started.has(number) ? undefined : { entry, mark: marks.get(number) ?? state.markOfClosed(entry) }
  }
  return {
    starts,
    reasonFor: (number) => {
      const found = markOf(number)
      return found && state.explain(found.entry, found.mark)
    },
    whyNot: (number) => {
      const found = markOf(number)
      const why = found?.mark.why
      if (found?.mark.why === 'lock' && allowanceOf(found.mark.lock) !== null) return 'allowance'
      return why === 'keeps' ? 'slot' : why === 'agent' && isAsked(found?.entry.run) ? 'person' : why
    },
  }
}

/** What a placing knows of a group. */
interface GroupState {
  /** Eligible agents that have room still: room only shrinks, so those that are full are not looked at again. */
  readonly withRoom: number[]
  /** None of them has more free slots than this. */
  mostFree: number
  isTurnKept: boolean
  /**
   * A run without locks that was turned away everywhere: the first agent on which it had room. Room and what is spare beside kept turns only shrink, so one
   * that takes as many slots or more for as long or longer is turned away too, as long as that agent has room for it.
   */
  away: { readonly slots: number; readonly endMs: number; readonly agent: number } | null
}

/** The room that is left while a placing goes on. */
class Scratch {
  private readonly free: readonly number[]
  private readonly slots: readonly number[]
  private readonly lastStart: readonly number[]
  private readonly groups: (GroupState | undefined)[] = []
  // Most placings know of none of these: they are made when the first comes.
  private started: Map<number, HeldWork[]> | null = null
  private turns: KeptTurn[] | null = null
  private keptByPool: Set<string> | null = null
  /** Kept turns of each agent, in the order in which they were kept. */
  private turnsOfAgent: Map<number, KeptTurn[]> | null = null
  private lockLeft: Map<string, number> | null = null
  private closedLocks: Set<string> | null = null
  private startedLockHolders: Map<string, number[]> | null = null

  constructor(
    private readonly board: BoardFacts,
    private readonly room: Room,
    private readonly nowMs: number,
  ) {
    this.slots = board.slots
    this.free = room.free
    this.lastStart = room.lastStart
  }

  /** The agent's index if the run starts, else why not. */
  decide(entry: Entry): number | Mark {
    const { run, group, lockNames } = entry
    if (entry.stopped !== null || group.eligible.length === 0) return this.markOfClosed(entry)
    const wanted = run.slots
    const lacking = lockNames === null ? undefined : this.closeLackingLocks(run, lockNames)
    if (lacking !== undefined) return { why: 'lock', lock: lacking }
    const state = this.stateOf(group)
    if (state.mostFree < wanted) return state.isTurnKept ? NO_SLOT : this.keepTurn(run, group, state)

    const { free } = this
    const endMs = expectedEndMs(this.nowMs, run.usualMs, this.nowMs)
    const { away } = state
    if (away && lockNames === null && wanted >= away.slots && endMs >= away.endMs) {
      const turn = (free[away.agent] as number) >= wanted && this.turnInTheWay(wanted, away.agent, endMs, undefined)
      if (turn) return { why: 'turn', for: turn.run.number }
    }
    const lockedOutBy = lockNames === null ? undefined : this.turnThatNeedsItsLocks(run, lockNames, endMs)
    const { withRoom } = state
    let kept = 0
    let best = -1
    let mostFree = 0
    let turnedAwayFor: KeptTurn | undefined
    let turnedAwayOn = -1
    for (let i = 0; i < withRoom.length; i++) {
      const agent = withRoom[i] as number
      const room = free[agent] as number
      if (room <= 0) continue
      withRoom[kept++] = agent
      if (room > mostFree) mostFree = room
      if (room < wanted) continue
      if (lockedOutBy || this.turnsOfAgent !== null) {
        const turn = this.turnInTheWay(wanted, agent, endMs, lockedOutBy)
        if (turn) {
          if (!turnedAwayFor) {
            turnedAwayFor = turn
            turnedAwayOn = agent
          }
          continue
        }
      }
      if (best < 0 || this.isBetter(agent, best, wanted)) best = agent
    }
    withRoom.length = kept
    if (best >= 0) {
      this.start(run, best, endMs, lockNames)
      return best
    }
    state.mostFree = mostFree
    if (turnedAwayFor && lockNames === null && (!away || (wanted <= away.slots && endMs <= away.endMs)))
      state.away = { slots: wanted, endMs, agent: turnedAwayOn }
    return turnedAwayFor ? { why: 'turn', for: turnedAwayFor.run.number } : this.keepTurn(run, group, state)
  }

  /** Nothing of the group can start or change anything in this placing any more. Runs that take locks can still close a lock for others. */
  isClosed(group: Group): boolean {
    if (group.eligible.length === 0) return true
    if (group.withLocks > 0) return false
    const state = this.groups[group.index]
    return state !== undefined && state.isTurnKept && state.mostFree < group.sample.slots
  }

  /** Why a run of a closed group does not start. */
  markOfClosed({ stopped, group }: Entry): Mark {
    if (stopped !== null) return stopped === 'held' ? HELD : stopped === 'off' ? OFF : KIND
    return group.eligible.length === 0 ? NO_AGENT : NO_SLOT
  }

  private stateOf(group: Group): GroupState {
    return (this.groups[group.index] ??= {
      withRoom: group.eligible.slice(),
      mostFree: Infinity,
      isTurnKept: false,
      away: null,
    })
  }

  /** Closes every lock of which too few units are left: no later run of this placing gets any. Returns the first such lock. */
  private closeLackingLocks(run: ReadyRun, lockNames: readonly string[]): string | undefined {
    let first: string | undefined
    for (const lock of lockNames) {
      const short = this.unitsLeft(lock) < (run.locks[lock] ?? 0)
      if (short) (this.closedLocks ??= new Set()).add(lock)
      if (short || this.closedLocks?.has(lock)) first ??= lock
    }
    return first
  }

  private unitsLeft(lock: string): number {
    let left = this.lockLeft?.get(lock)
    if (left === undefined) {
      left = this.board.lockUnits.get(lock) ?? 0
      for (const units of this.board.lockHolders.get(lock)?.values() ?? []) left -= units
      ;(this.lockLeft ??= new Map()).set(lock, left)
    }
    return left
  }

  /** The first kept turn, of any agent, for whose locks too few units would be left. */
  private turnThatNeedsItsLocks(run: ReadyRun, lockNames: readonly string[], endMs: number): KeptTurn | undefined {
    return this.turns?.find(
      (turn) =>
        endMs > turn.atMs &&
        lockNames.some((lock) => (turn.run.locks[lock] ?? 0) > this.unitsLeft(lock) - (run.locks[lock] ?? 0)),
    )
  }

  /** The first kept turn that the run may not go before on this agent. */
  private turnInTheWay(
    slots: number,
    agent: number,
    endMs: number,
    lockedOutBy: KeptTurn | undefined,
  ): KeptTurn | undefined {
    const here = this.turnsOfAgent?.get(agent)?.find((turn) => endMs > turn.atMs && turn.spare < slots)
    return here && lockedOutBy ? (here.index < lockedOutBy.index ? here : lockedOutBy) : (here ?? lockedOutBy)
  }

  /** Smaller share of used slots after taking the run, compared exactly; then longest since its last start; then name. */
  private isBetter(a: number, b: number, slots: number): boolean {
    const slotsOfA = this.slots[a] as number
    const slotsOfB = this.slots[b] as number
    const usedA = slotsOfA - (this.free[a] as number) + slots
    const usedB = slotsOfB - (this.free[b] as number) + slots
    const byShare = usedA * slotsOfB - usedB * slotsOfA
    if (byShare !== 0) return byShare < 0
    const lastA = this.lastStart[a] as number
    const lastB = this.lastStart[b] as number
    if (lastA !== lastB) return lastA < lastB
    return this.nameOf(a) < this.nameOf(b)
  }

  private start(run: ReadyRun, agent: number, endMs: number, lockNames: readonly string[] | null): void {
    this.room.take(agent, run.slots, this.nowMs)
    const work = {
      number: run.number,
      slots: run.slots,
      locks: run.locks,
      startedAtMs: this.nowMs,
      usualMs: run.usualMs,
    }
    const list = this.started?.get(agent)
    if (list) list.push(work)
    else (this.started ??= new Map()).set(agent, [work])
    for (const lock of lockNames ?? []) {
      const left = this.unitsLeft(lock) - (run.locks[lock] ?? 0)
      ;(this.lockLeft ??= new Map()).set(lock, left)
      const holders = this.startedLockHolders?.get(lock) ?? []
      ;(this.startedLockHolders ??= new Map()).set(lock, [...holders, run.number])
    }
    for (const turn of this.turnsOfAgent?.get(agent) ?? []) if (endMs > turn.atMs) turn.spare -= run.slots
  }

  private keepTurn(run: ReadyRun, group: Group, state: GroupState): Mark {
    const key = group.pool === null ? `set ${group.setKey}` : `pool ${group.pool}`
    if (this.keptByPool?.has(key)) {
      state.isTurnKept = true
      return NO_SLOT
    }
    const first = this.earliestRoom(run, group)
    if (!first) return NO_SLOT
    const { agent, atMs, free } = first
    const turns = (this.turns ??= [])
    const turn: KeptTurn = { run, index: turns.length, agent, atMs, spare: free - run.slots }
    ;(this.keptByPool ??= new Set()).add(key)
    state.isTurnKept = true
    turns.push(turn)
    const byAgent = (this.turnsOfAgent ??= new Map())
    const here = byAgent.get(agent)
    if (here) here.push(turn)
    else byAgent.set(agent, [turn])
    return { why: 'keeps', turn }
  }

  /** Where, by expected ends, the run's slots suffice earliest; ties by name. What this placing started is counted. */
  private earliestRoom(run: ReadyRun, group: Group): { agent: number; atMs: number; free: number } | undefined {
    let best: { agent: number; atMs: number; free: number } | undefined
    for (const agent of group.eligible) {
      const found = this.roomOn(agent, run.slots, best?.atMs ?? Infinity)
      if (!found) continue
      const isEarlier =
        !best || found.atMs < best.atMs || (found.atMs === best.atMs && this.nameOf(agent) < this.nameOf(best.agent))
      if (isEarlier) best = { agent, ...found }
    }
    return best
  }

  /** When the agent has this many slots free, if not after `latestMs`, and how many it has then. */
  private roomOn(agent: number, slots: number, latestMs: number): { atMs: number; free: number } | undefined {
    const { nowMs } = this
    let free = this.free[agent] as number
    if (free >= slots) return { atMs: nowMs, free }
    const held = this.board.held[agent] as readonly HeldWork[]
    const started = this.started?.get(agent)
    const soonest = held[0]
    // What runs is kept by natural end. Work that is overdue comes first there, and may be expected to end after some that is not.
    const isInOrder = !started && (!soonest || soonest.startedAtMs + soonest.usualMs > nowMs)
    const works = isInOrder ? held : [...held, ...(started ?? [])].sort(byExpectedEnd(nowMs))
    for (let i = 0; i < works.length; i++) {
      const work = works[i] as HeldWork
      const endMs = endOf(work, nowMs)
      if (endMs > latestMs) return undefined
      free += work.slots
      // All that ends at one instant ends together.
      const next = works[i + 1]
      if (free >= slots && (!next || endOf(next, nowMs) !== endMs)) return { atMs: endMs, free }
    }
    return undefined
  }

  startOf(number: number, place: number): Start {
    const robot = this.board.agents[place]?.robot
    return robot ? { number, agent: robot.agent, robot: this.nameOf(place) } : { number, agent: this.nameOf(place) }
  }

  private nameOf(agent: number): string {
    return this.board.agents[agent]?.name ?? ''
  }

  explain({ run, group }: Entry, mark: Mark): Reason {
    const robots: { isRobot?: true } = isRobotTarget(run.target) ? { isRobot: true } : {}
    switch (mark.why) {
      case 'held':
      case 'off':
        return { why: mark.why }
      case 'kind':
        return { why: 'kind', kind: run.kind, because: run.kindOff ?? '' }
      case 'agent':
        if (isAsked(run)) return { why: 'person', ...run.desk.live }
        return { why: 'agent', lacks: this.lacking(run), ...robots }
      case 'lock': {
        const holders = [
          ...(this.board.lockHolders.get(mark.lock)?.keys() ?? []),
          ...(this.startedLockHolders?.get(mark.lock) ?? []),
        ]
        const of = allowanceOf(mark.lock)
        if (of !== null) return { why: 'allowance', of, units: this.board.lockUnits.get(mark.lock) ?? 0, holders }
        return { why: 'lock', lock: mark.lock, holders }
      }
      case 'keeps':
        return { why: 'slot', agent: this.nameOf(mark.turn.agent), atMs: mark.turn.atMs, ...robots }
      case 'turn':
        return { why: 'turn', for: mark.for }
      case 'slot': {
        const first = this.earliestRoom(run, group)
        return first ? { why: 'slot', agent: this.nameOf(first.agent), atMs: first.atMs, ...robots } : { why: 'soon' }
      }
    }
  }

  /** Of robots for a robot task, else of agents. The nearest first: fewest things lacking, then name. */
  private lacking(run: ReadyRun): { agent: string; lacks: string[] }[] {
    const forRobots = isRobotTarget(run.target)
    return this.board.agents
      .flatMap((agent) =>
        agent && (agent.robot !== null) === forRobots ? [{ agent: agent.name, lacks: whatLacks(run, agent) }] : [],
      )
      .sort((a, b) => a.lacks.length - b.lacks.length || (a.agent < b.agent ? -1 : 1))
  }
}

/** Somebody is asked, or has said when: until then nobody else can take it. */
const isAsked = (run: ReadyRun | undefined): run is ReadyRun & { desk: { live: { how: 'asked' | 'later' } & Live } } =>
  run?.desk?.live ? run.desk.live.how !== 'agreed' : false
type Live = NonNullable<NonNullable<ReadyRun['desk']>['live']>

const endOf = ({ startedAtMs, usualMs }: HeldWork, nowMs: number): number => expectedEndMs(startedAtMs, usualMs, nowMs)
const byExpectedEnd =
  (nowMs: number) =>
  (a: HeldWork, b: HeldWork): number =>
    endOf(a, nowMs) - endOf(b, nowMs)
