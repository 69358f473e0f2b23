import { Board, type HeldWork, type Place } from '../dispatch'
import { FlowRun, type FlowState, type Outcome, type StepResult } from '../flow/state'
import { Agenda } from './heap'
import {
  USUAL,
  type Attempt,
  type Night,
  type Task,
  type Lengths,
  type Witness,
  type WaitReason,
  type Played,
} from './play'
import {
  ForecastFault,
  type Model,
  type Occurrence,
  type OpenModel,
  type StepModel,
  type TriggerModel,
  type Work,
} from './model'
import { placeName, type OpenRun } from './server'

/** The clock stops so long after the end of the stretch, in seconds. */
const LONGEST_AFTER = 7 * 86_400
/** More runs than this are refused: a few flows of many steps that fire each minute make millions in a week, more than there is memory for. */
const MOST_RUNS = 500_000

type Due =
  | { readonly task: Task; readonly token: number; readonly what: 'ends' | 'fails' | 'ready' }
  | { readonly night: Night; readonly what: 'begins' }

interface Coming {
  readonly at: number
  readonly agent: number
  /** It goes or comes with its agent: what runs there is lost. Else its hours begin or end. */
  readonly isLost: boolean
}

/**
 * An event simulation on one clock (Law 2015, “Simulation Modeling and Analysis”, ch. 1). Throws a ForecastFault where there is too much of it. It decides nothing itself: occurrences are those of core/timing, flows move on by core/flow,
 * who starts where is core/dispatch's to say.
 */
export class Simulation {
  private now: number
  private numbers = 0
  /** Runs that were made. */
  private made = 0
  private readonly board = new Board()
  private readonly due = new Agenda<Due>()
  private readonly nights: Night[] = []
  private readonly occurrences: readonly Occurrence[]
  private nextOccurrence = 0
  /** The first instant at which there is something to do though nothing happens; then endless. */
  private begins = Infinity
  private readonly comings: readonly Coming[]
  private nextComing = 0
  private readonly lastStart = new Map<string, number>()
  private readonly runningOn = new Map<string, Map<number, Task>>()
  private readonly ready = new Map<number, Task>()
  /** By place in the list of triggers. */
  private readonly going: Set<Night>[]
  private readonly waiting: Occurrence[][]
  private readonly places: ReadonlyMap<TriggerModel, number>
  /** Numbers of runs that wait for the one before: a server makes them at their instant, a file numbers them when they go. */
  private readonly reserved = new Map<Occurrence, number>()
  /** Triggers one of whose occurrences has ended at this instant while others wait. */
  private readonly freed = new Set<number>()

  constructor(
    private readonly model: Model,
    private readonly lengths: Lengths = USUAL,
    private readonly witness: Witness | null = null,
    private readonly mostRuns = MOST_RUNS,
  ) {
    this.now = model.from
    this.places = new Map(model.triggers.map((trigger, place) => [trigger, place]))
    this.going = model.triggers.map(() => new Set())
    this.waiting = model.triggers.map(() => [])
    this.occurrences = model.triggers
      .flatMap(({ occurrences }) => occurrences)
      .sort((a, b) => a.at - b.at || a.trigger.index - b.trigger.index)
    this.comings = model.agents
      .flatMap(({ away, closed = [] }, agent) => [
        ...away.flatMap(({ from, to }) => [
          { at: from, agent, isLost: true },
          { at: to, agent, isLost: true },
        ]),
        ...closed.flatMap(({ from, to }) => [
          { at: from, agent, isLost: false },
          { at: to, agent, isLost: false },
        ]),
      ])
      .filter(({ at }) => at > model.from)
      .sort((a, b) => a.at - b.at)
    this.board.setLocks(model.locks)
    model.agents.forEach((agent, i) => {
      this.runningOn.set(agent.name, new Map())
      this.putAgent(i)
    })
    for (const [name, { lastStart }] of model.facts ?? []) if (lastStart !== null) this.lastStart.set(name, lastStart)
    for (const { night } of model.open)
      this.numbers = Math.max(this.numbers, night.number, ...night.runs.map((run) => run.number))
    for (const each of model.open) this.takeUp(each)
    if (model.open.length > 0) this.begins = model.from
  }

  /** What was open when the stretch began: it stands where it stood. */
  private takeUp({ of, night: was, work }: OpenModel): void {
    const place = this.places.get(of.trigger) as number
    if (was.waits === 'earlier') {
      this.waiting[place]?.push(of)
      this.freed.add(place)
      if (!work.plan) this.reserved.set(of, was.number)
      return
    }
    const stood = work.plan && was.waits === null ? work.plan.steps.map(({ path }) => was.steps[path] ?? WAITING) : null
    const byPath = new Map(work.plan?.steps.map(({ path, index }) => [path, index]))
    const held = new Set(was.held.flatMap((path) => byPath.get(path) ?? []))
    const night = this.newNight(place, of, work, stood, of.at, held)
    for (const run of was.runs) {
      const step = work.steps[run.step === null ? 0 : (byPath.get(run.step) ?? -1)]
      if (step) this.takeUpRun(night, step, run)
    }
    if (typeof was.waits === 'number') this.due.add(Math.max(this.now, was.waits), { night, what: 'begins' })
    else if (night.flow) {
      night.flow.endDueFlows()
      const has = new Set([...night.open.values()].map(({ step }) => step.index))
      // Between a step that went ahead and its run there is nothing but the look of an engine.
      for (const step of work.steps)
        if (step && !has.has(step.index) && night.flow.result(step.index).state === 'ready') this.newTask(night, step)
      this.moveOn(night, has)
    } else if (night.open.size === 0) this.newTask(night, work.steps[0] as StepModel)
  }

  private takeUpRun(night: Night, step: StepModel, run: OpenRun): void {
    const task: Task = {
      night,
      step,
      number: run.number,
      begun: run.begun,
      failed: run.failed,
      held: run.held,
      token: 0,
      agent: null,
      attempt: undefined as unknown as Attempt,
    }
    night.open.set(task.number, task)
    if (run.startAfter !== null && run.startAfter > this.now)
      this.due.add(run.startAfter, { task, token: 0, what: 'ready' })
    else if (run.agent === null || run.started === null || !this.runningOn.has(run.agent))
      this.makeReady(task, Math.min(run.ready, this.now))
    else {
      const { number, agent, started } = { ...run, agent: run.agent, started: run.started }
      task.attempt = { task, ready: run.ready, start: started, end: null, agent, state: 'running' }
      this.witness?.attempt(task.attempt)
      const { slots, load, locks, length, pool } = step
      this.board.startWork(this.placeOf(agent), {
        number,
        slots,
        locks,
        startedAtMs: started * 1000,
        usualMs: length.p50 * 1000,
      })
      this.runningOn.get(agent)?.set(number, task)
      task.agent = agent
      this.witness?.used(pool, load)
      const ends = started + this.lengths.beyond(task, this.now - started)
      const what = this.lengths.fails(task) ? 'fails' : 'ends'
      this.due.add(Math.max(this.now, ends), { task, token: 0, what })
    }
  }

  /** To the end: until nothing can happen any more, or seven days after the end of the stretch. */
  play(): Played {
    const latest = this.model.to + LONGEST_AFTER
    for (;;) {
      const next = Math.min(
        this.begins,
        this.due.first,
        this.occurrences[this.nextOccurrence]?.at ?? Infinity,
        this.isOver() ? Infinity : (this.comings[this.nextComing]?.at ?? Infinity),
      )
      if (next > latest) {
        const stopped = next === Infinity ? this.now : latest
        return { nights: this.nights, waiting: new Set(this.waiting.flat()), stopped }
      }
      this.now = next
      this.begins = Infinity
      this.end()
      this.comeAndGo()
      this.occur()
      this.place()
    }
  }

  /** Agents may come and go as they like when nothing is left to be done. */
  private isOver(): boolean {
    return this.ready.size === 0 && this.due.first === Infinity && this.nextOccurrence >= this.occurrences.length
  }

  /** 1. What ends, ends; then flows move on, in the order in which they were made. */
  private end(): void {
    if (this.due.first !== this.now) return
    const ends = new Map<Night, [index: number, outcome: Outcome][]>()
    for (const due of this.due.take()) {
      if (due.what === 'begins') {
        this.begin(due.night)
        continue
      }
      const { task, token, what } = due
      if (token !== task.token) continue
      if (what === 'ready') {
        this.makeReady(task)
        continue
      }
      const isAgain = what === 'fails' && task.failed < task.step.retries
      this.stopRunning(task, what === 'ends' ? 'succeeded' : 'failed')
      if (isAgain) {
        task.failed++
        this.tryAgain(task)
        continue
      }
      const { night } = task
      night.open.delete(task.number)
      const outcome = what === 'ends' ? 'succeeded' : 'failed'
      if (!night.flow) this.finish(night, outcome)
      else {
        const list = ends.get(night)
        if (list) list.push([task.step.index, outcome])
        else ends.set(night, [[task.step.index, outcome]])
      }
    }
    const moving = ends.size < 2 ? ends : [...ends].sort(([a], [b]) => a.order - b.order)
    for (const [night, list] of moving) {
      night.flow?.endTogether(list)
      night.flow?.endDueFlows()
      this.moveOn(night)
    }
  }

  private tryAgain(task: Task): void {
    const at = this.now + task.step.retryDelay
    if (at === this.now) this.makeReady(task)
    else this.due.add(at, { task, token: task.token, what: 'ready' })
  }

  /** New runs of a flow, by their places in it, and its end. */
  private moveOn(night: Night, has: ReadonlySet<number> = NONE): void {
    const { flow, work } = night
    if (!flow) return
    for (const index of flow.takeAhead()) {
      const step = work.steps[index]
      if (step && !has.has(index)) this.newTask(night, step)
    }
    // What was cancelled before it started is in no one's way any more.
    if (flow.state !== 'running') this.finish(night, flow.state)
    else this.dropCancelled(night)
  }

  /** A step that ends its flow cancels what is ready beside it. */
  private dropCancelled(night: Night): void {
    for (const task of night.open.values())
      if (task.agent === null && night.flow?.result(task.step.index).state === 'cancelled') this.cancel(task)
  }

  private finish(night: Night, state: Exclude<FlowState, 'running'>): void {
    for (const task of [...night.open.values()]) this.cancel(task)
    night.state = state
    night.finish = this.now
    this.leave(night)
  }

  private leave(night: Night): void {
    const place = this.places.get(night.of.trigger) as number
    this.going[place]?.delete(night)
    if ((this.waiting[place] as Occurrence[]).length > 0) this.freed.add(place)
  }

  private newTask(night: Night, step: StepModel): void {
    if (++this.made > this.mostRuns)
      throw new ForecastFault(
        '',
        `More than ${this.mostRuns.toLocaleString('en')} runs lie in this stretch: take a shorter one.`,
      )
    const task: Task = {
      night,
      step,
      number: (night.flow ? undefined : this.reserved.get(night.of)) ?? ++this.numbers,
      begun: 0,
      failed: 0,
      held: night.held.has(step.index),
      token: 0,
      agent: null,
      attempt: undefined as unknown as Attempt,
    }
    night.open.set(task.number, task)
    this.makeReady(task)
  }

  private makeReady(task: Task, ready = this.now): void {
    const { step, night, number } = task
    task.attempt = { task, ready, start: null, end: null, agent: null, state: 'ready' }
    this.witness?.attempt(task.attempt)
    this.ready.set(number, task)
    this.board.putRun({
      number,
      target: step.target,
      kind: step.kind,
      slots: step.slots,
      locks: step.locks,
      account: step.account,
      minVersion: step.minVersion,
      priority: step.priority,
      dueAtMs: night.of.due === null ? null : night.of.due * 1000,
      usualMs: step.length.p50 * 1000,
      chainMs: (night.work.chains[step.index] as number) * 1000,
      readyAtMs: ready * 1000,
      held: task.held,
      off: step.off,
    })
  }

  private stopRunning(task: Task, state: Attempt['state']): void {
    const agent = task.agent as string
    task.token++
    task.agent = null
    task.attempt.end = this.now
    task.attempt.state = state
    this.board.endWork(task.number)
    this.runningOn.get(agent)?.delete(task.number)
    this.witness?.used(task.step.pool, -task.step.load)
  }

  /** Whatever it is doing, or waiting for. */
  private cancel(task: Task): void {
    if (task.agent !== null) this.stopRunning(task, 'cancelled')
    else if (this.ready.delete(task.number)) {
      this.board.removeRun(task.number)
      task.attempt.end = this.now
      task.attempt.state = 'cancelled'
    }
    task.token++
    task.night.open.delete(task.number)
  }

  /** Where it stands on the board. */
  private placeOf(name: string): Place {
    const facts = this.model.facts?.get(name)
    return facts && 'robot' in facts ? { robot: facts.name } : name
  }

  /** As it is at this instant: away or there, in its hours or out of them, with what it does. */
  private putAgent(index: number): void {
    const { name, slots, pools, away, closed = [] } = this.model.agents[index] as Model['agents'][number]
    const isIn = ({ from, to }: { from: number; to: number }): boolean => from <= this.now && this.now < to
    const connected = !away.some(isIn)
    const lastStart = this.lastStart.get(name) ?? this.model.facts?.get(name)?.lastStart ?? null
    const facts = this.model.facts?.get(name)
    const running = [...(this.runningOn.get(name)?.values() ?? [])].map(heldWork)
    const state = { slots, lastStartAtMs: lastStart === null ? null : lastStart * 1000, running }
    const robot = facts && 'robot' in facts ? { ...facts.robot, outOfHours: closed.some(isIn) ? 'then' : null } : null
    this.board.putAgent(
      facts
        ? { accounts: [], ...facts, ...state, robot, connected: connected && facts.connected }
        : {
            name,
            robot,
            ...state,
            on: true,
            draining: false,
            connected,
            pools: Object.fromEntries(pools.map((pool) => [pool, true])),
            labels: {},
            version: '1',
            abilities: [''],
            accounts: [],
          },
    )
  }

  /** 2. Agents go, and what runs on them starts over; agents come back. */
  private comeAndGo(): void {
    for (; this.comings[this.nextComing]?.at === this.now; this.nextComing++) {
      const { agent, isLost } = this.comings[this.nextComing] as Coming
      const running = isLost ? [...(this.runningOn.get(this.model.agents[agent]?.name ?? '')?.values() ?? [])] : []
      for (const task of running) this.stopRunning(task, 'lost')
      this.putAgent(agent)
      for (const task of running.sort((a, b) => a.number - b.number)) this.makeReady(task)
    }
  }

  /** 3. Occurrences of this instant make their runs, trigger by trigger, each first with what waited. */
  private occur(): void {
    const { freed } = this
    const fresh = new Map<number, Occurrence[]>()
    for (
      let of = this.occurrences[this.nextOccurrence];
      of?.at === this.now;
      of = this.occurrences[++this.nextOccurrence]
    ) {
      const place = this.places.get(of.trigger) as number
      const list = fresh.get(place)
      if (list) list.push(of)
      else fresh.set(place, [of])
    }
    if (freed.size === 0 && fresh.size === 0) return
    for (const place of [...new Set([...freed, ...fresh.keys()])].sort((a, b) => a - b)) {
      this.letWaiting(place)
      for (const occurrence of fresh.get(place) ?? []) this.start(place, occurrence)
    }
    freed.clear()
  }

  private letWaiting(place: number): void {
    const [waiting, going] = [this.waiting[place] as Occurrence[], this.going[place] as Set<Night>]
    while (waiting.length > 0 && going.size === 0) this.make(place, waiting.shift() as Occurrence)
  }

  private start(place: number, occurrence: Occurrence): void {
    const { overlap, waitMost } = occurrence.trigger
    const [waiting, going] = [this.waiting[place] as Occurrence[], this.going[place] as Set<Night>]
    if (overlap === 'skip' && going.size > 0) return
    if (overlap === 'wait' && (going.size > 0 || waiting.length > 0)) {
      if (waiting.length >= waitMost) return
      waiting.push(occurrence)
      if (this.model.facts && !occurrence.trigger.workOn(occurrence.day).plan)
        this.reserved.set(occurrence, ++this.numbers)
      return
    }
    if (overlap === 'replace') for (const night of [...going]) this.replace(night)
    this.make(place, occurrence)
  }

  private replace(night: Night): void {
    for (const task of [...night.open.values()]) this.cancel(task)
    night.state = 'replaced'
    this.leave(night)
  }

  private make(place: number, of: Occurrence): void {
    this.begin(this.newNight(place, of, of.trigger.workOn(of.day), null, this.now))
  }

  private newNight(
    place: number,
    of: Occurrence,
    work: Work,
    stood: readonly StepResult[] | null,
    letGo: number,
    held: Night['held'] = NONE,
  ): Night {
    const night: Night = {
      of,
      order: this.nights.length,
      work,
      flow: work.plan ? new FlowRun(work.plan, work.look, stood) : null,
      letGo,
      held,
      open: new Map(),
      state: 'running',
      finish: null,
    }
    this.nights.push(night)
    this.going[place]?.add(night)
    return night
  }

  private begin(night: Night): void {
    if (night.flow) {
      night.flow.endDueFlows()
      this.moveOn(night)
    } else this.newTask(night, night.work.steps[0] as StepModel)
  }

  /** 4. What is ready is placed. */
  private place(): void {
    const { board, now, ready, witness } = this
    if (ready.size === 0) {
      witness?.instant(now, () => NOBODY)
      return
    }
    const placing = board.place(now * 1000)
    for (const { number, agent, robot } of placing.starts)
      this.startOn(ready.get(number) as Task, robot === undefined ? agent : placeName(robot))
    witness?.instant(now, () => {
      const counts = { agent: 0, lock: 0, slot: 0, turn: 0 }
      for (const number of ready.keys()) {
        const why = placing.whyNot(number)
        if (why !== undefined && why in counts) counts[why as WaitReason]++
      }
      return counts
    })
  }

  private startOn(task: Task, agent: string): void {
    const { step, number } = task
    const { board, now } = this
    this.ready.delete(number)
    board.removeRun(number)
    const work: HeldWork = {
      number,
      slots: step.slots,
      locks: step.locks,
      startedAtMs: now * 1000,
      usualMs: step.length.p50 * 1000,
    }
    board.startWork(this.placeOf(agent), work)
    board.noteStart(this.placeOf(agent), now * 1000)
    this.lastStart.set(agent, now)
    this.runningOn.get(agent)?.set(number, task)
    task.agent = agent
    task.begun++
    const { attempt } = task
    attempt.start = now
    attempt.agent = agent
    attempt.state = 'running'
    task.night.flow?.started(step.index)
    this.witness?.used(step.pool, step.load)
    const what = this.lengths.fails(task) ? 'fails' : 'ends'
    this.due.add(now + this.lengths.seconds(task), { task, token: task.token, what })
  }
}

/** What of a task that runs its place holds. */
const heldWork = ({ number, step, attempt }: Task): HeldWork => ({
  number,
  slots: step.slots,
  locks: step.locks,
  startedAtMs: (attempt.start ?? 0) * 1000,
  usualMs: step.length.p50 * 1000,
})

const WAITING: StepResult = { state: 'waiting' }
const NONE: ReadonlySet<number> = new Set()
const NOBODY: Readonly<Record<WaitReason, number>> = { agent: 0, lock: 0, slot: 0, turn: 0 }
