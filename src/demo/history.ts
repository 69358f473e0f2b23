import { Timings, type TriggerTiming } from '@/core/bundle/timings'
import { isoDay } from '@/core/calendar/days'
import { SHIPPED_HOLIDAYS } from '@/core/calendar/holiday-data'
import { Board, type AgentState, type ReadyRun, type Target } from '@/core/dispatch'
import { seededRandom } from '@/core/stats/random'
import { finishBy } from '@/core/timing/finish-by'
import { perform } from './play'
import { JOBS, MACHINES, type DemoJob } from './scenario'
import { demoCalendars, TRIGGERS } from './timing'

/** One run of the made-up past. Instants are milliseconds since the epoch. */
export interface PastRun {
  readonly job: DemoJob
  readonly inputs: Record<string, string>
  readonly target: Target
  readonly createdAtMs: number
  /** null: started by a person. */
  readonly trigger: {
    readonly title: string
    readonly day: string
    readonly dueAtMs: number | null
    readonly forAgent: string | null
    /** Leaves a start out while the run before goes on. */
    readonly skips: boolean
  } | null
  readonly tries: readonly PastTry[]
}

export interface PastTry {
  readonly agent: string
  readonly startMs: number
  readonly endMs: number
  readonly fails: boolean
  readonly lines: readonly { readonly atMs: number; readonly stream: 'o' | 'e'; readonly text: string }[]
}

type Start = Omit<PastRun, 'tries'>
interface Waiting extends Start {
  readonly tries: PastTry[]
  hasEnded?: true
}
const keyOf = ({ title, forAgent }: { title: string; forAgent: string | null }): string => `${title} ${forAgent}`

/** An occurrence that was left out, since the run before still went on. */
export interface LeftOut {
  readonly trigger: string
  readonly atMs: number
  readonly forAgent: string | null
  /** When the run was made that still went on. */
  readonly otherAtMs: number
}

export interface Past {
  readonly done: readonly PastRun[]
  readonly leftOut: readonly LeftOut[]
  /** What ran or waited at the end. */
  readonly open: readonly Start[]
}

const DAY_MS = 86_400_000
/** Refunds that people start by hand, each day. */
const BY_HAND = 3

/** What was started when, in order: by the demo's triggers, on the same schedules as the engine's, and now and then by people. */
function startsOf(fromMs: number, toMs: number, seed: number): Start[] {
  const random = seededRandom(seed)
  const now = new Date(toMs)
  const calendars = demoCalendars(now).map(({ slug, title, rule }) => ({ id: slug, title, days: rule }))
  const timings = new Timings(calendars, SHIPPED_HOLIDAYS, 'Europe/London')
  const starts: Start[] = []
  for (const trigger of TRIGGERS) {
    const job = jobCalled(trigger.job)
    const { target } = job.definition
    if (trigger.enabled === false || ('pool' in target && target.pool === 'lab')) continue
    const machines = trigger.definition.spread === 'each' ? MACHINES.filter((machine) => fits(machine, target)) : [null]
    const since = trigger.sinceDays === undefined ? fromMs : Math.max(fromMs, toMs - trigger.sinceDays * DAY_MS)
    for (const { at, day } of timings
      .schedule(trigger.definition as TriggerTiming)
      .between(since / 1000, toMs / 1000)) {
      for (const machine of machines) {
        starts.push({
          job,
          inputs: { ...defaultsOf(job), ...trigger.with },
          target: machine ? { agent: machine.name } : target,
          createdAtMs: at * 1000,
          trigger: {
            title: trigger.title,
            day: isoDay(day),
            dueAtMs: finishBy(trigger.definition, at * 1000),
            forAgent: machine?.name ?? null,
            skips: trigger.definition.overlap === 'skip',
          },
        })
      }
    }
  }
  const refund = jobCalled('Refund')
  for (let day = fromMs; day < toMs; day += DAY_MS)
    for (let i = 0; i < BY_HAND; i++) {
      const createdAtMs = day + Math.floor(random() * DAY_MS)
      const inputs = { ticket: `M-${20_000 + Math.floor(random() * 900)}` }
      if (createdAtMs < toMs)
        starts.push({ job: refund, inputs, target: refund.definition.target, createdAtMs, trigger: null })
    }
  return starts.sort((a, b) => a.createdAtMs - b.createdAtMs)
}

function jobCalled(title: string): DemoJob {
  const job = JOBS.find((each) => each.title === title)
  if (!job) throw new Error(`The demo has no job ${title}.`)
  return job
}

const defaultsOf = (job: DemoJob): Record<string, string> =>
  Object.fromEntries((job.definition.inputs ?? []).map((input) => [input.name, input.default ?? '']))

function fits(machine: (typeof MACHINES)[number], target: Target): boolean {
  if ('agent' in target) return machine.name === target.agent
  if ('pool' in target) return machine.pools.includes(target.pool)
  return Object.entries(target.labels).every(([key, value]) => machine.labels[key] === value)
}

/** The past from `fromMs` to `toMs`: the same starts placed by the same dispatcher as the engine's, the same for the same seed. */
export function makeHistory(fromMs: number, toMs: number, seed: number): Past {
  const board = new Board()
  for (const machine of MACHINES) board.putAgent(agentState(machine))
  const starts = startsOf(fromMs, toMs, seed)
  const done: PastRun[] = []
  const leftOut: LeftOut[] = []
  /** The newest open run of each trigger that skips, on each machine. */
  const newest = new Map<string, Waiting>()
  const waiting = new Map<number, Waiting>()
  const ends: { atMs: number; number: number }[] = []
  let nextNumber = 1
  let cursor = 0

  while (cursor < starts.length || ends.length > 0) {
    const nextStart = starts[cursor]?.createdAtMs ?? Infinity
    const nextEnd = ends[0]?.atMs ?? Infinity
    const nowMs = Math.min(nextStart, nextEnd)
    if (nowMs >= toMs) break
    while (ends[0] && ends[0].atMs <= nowMs) endOne(ends.shift() as { number: number }, nowMs)
    while (starts[cursor] && (starts[cursor]?.createdAtMs ?? Infinity) <= nowMs) {
      const start = starts[cursor++] as Start
      if (isLeftOut(start)) continue
      const number = nextNumber++
      const run: Waiting = { ...start, tries: [] }
      waiting.set(number, run)
      if (start.trigger?.skips) newest.set(keyOf(start.trigger), run)
      board.putRun(readyRun(number, start, nowMs))
    }
    for (const { number, agent } of board.place(nowMs).starts) startOne(number, agent, nowMs)
  }
  return { done, leftOut, open: [...waiting.values()] }

  function isLeftOut({ trigger, createdAtMs }: Start): boolean {
    const other = trigger?.skips ? newest.get(keyOf(trigger)) : undefined
    if (!trigger || !other || other.hasEnded) return false
    leftOut.push({
      trigger: trigger.title,
      atMs: createdAtMs,
      forAgent: trigger.forAgent,
      otherAtMs: other.createdAtMs,
    })
    return true
  }

  function startOne(number: number, agent: string, nowMs: number): void {
    const run = waiting.get(number)
    if (!run) return
    const weeks = (nowMs - fromMs) / (7 * DAY_MS)
    const act = perform(run.job.title, [seed, number, run.tries.length], weeks)
    const endMs = nowMs + act.seconds * 1000
    run.tries.push({
      agent,
      startMs: nowMs,
      endMs,
      fails: act.fails,
      lines: act.lines.map((l) => ({ ...l, atMs: Math.round(nowMs + l.at * act.seconds * 1000) })),
    })
    board.removeRun(number)
    board.startWork(agent, {
      number,
      slots: run.job.definition.slots ?? 1,
      locks: {},
      startedAtMs: nowMs,
      usualMs: run.job.behaviour.seconds * 1000,
    })
    board.noteStart(agent, nowMs)
    const at = ends.findIndex((end) => end.atMs > endMs)
    ends.splice(at < 0 ? ends.length : at, 0, { atMs: endMs, number })
  }

  function endOne({ number }: { number: number }, nowMs: number): void {
    board.endWork(number)
    const run = waiting.get(number)
    const last = run?.tries.at(-1)
    if (!run || !last) return
    if (last.fails && run.tries.length <= (run.job.definition.retries ?? 0)) {
      board.putRun(readyRun(number, run, nowMs))
      return
    }
    waiting.delete(number)
    run.hasEnded = true
    done.push(run)
  }
}

function agentState(machine: (typeof MACHINES)[number]): AgentState {
  return {
    name: machine.name,
    slots: machine.slots,
    on: true,
    draining: false,
    connected: true,
    pools: Object.fromEntries(machine.pools.map((name) => [name, true])),
    labels: machine.labels,
    version: '1.0.0',
    abilities: ['command', 'script', 'wait'],
    accounts: [],
    robots: 0,
    lastStartAtMs: null,
    running: [],
  }
}

function readyRun(number: number, { job, target }: Start, readyAtMs: number): ReadyRun {
  const usualMs = job.behaviour.seconds * 1000
  return {
    number,
    target,
    kind: job.definition.action.kind,
    slots: job.definition.slots ?? 1,
    locks: {},
    account: null,
    minVersion: null,
    robot: false,
    priority: job.definition.priority ?? 'normal',
    dueAtMs: null,
    usualMs,
    chainMs: usualMs,
    readyAtMs,
    held: false,
    off: false,
  }
}
