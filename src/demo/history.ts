import { Timings, type TriggerTiming } from '@/core/bundle/timings'
import { isoDay, parseIsoDay } from '@/core/calendar/days'
import { SHIPPED_HOLIDAYS } from '@/core/calendar/holiday-data'
import { Board, isMeant, type Place, type AgentState, type ReadyRun, type Target } from '@/core/dispatch'
import { slugOf } from '@/core/schema/slug'
import { planOf, type Plan, type PlanStep, type PlanSource } from '@/core/flow/plan'
import { lookOn, type IsDay } from '@/core/flow/rehearse'
import { FlowRun, isEnd } from '@/core/flow/state'
import { plainValues } from '@/core/events/values'
import type { TimeRule } from '@/core/timing/rule'
import { stepValues } from '@/core/flow/step-values'
import { seededRandom } from '@/core/stats/random'
import { finishBy } from '@/core/timing/finish-by'
import { ACTION_KINDS } from '@/core/work/job'
import { bundleFlow, flowDefinitionSchema } from '@/core/work/flow'
import type { Input } from '@/core/work/inputs'
import { FLOWS, type DemoFlow } from './flows'
import { perform } from './play'
import { JOBS, MACHINES, type DemoJob, ROBOTS } from './scenario'
import { LOCKS, sharedOf } from './shared'
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
  /** The step of a flow run that it was the run of. */
  readonly step: { readonly flow: PastFlow; readonly index: number; readonly path: string } | null
  readonly attempts: readonly PastAttempt[]
}

/** One flow run of the made-up past. */
export interface PastFlow {
  readonly flow: DemoFlow
  readonly inputs: Record<string, string>
  readonly createdAtMs: number
  readonly trigger: NonNullable<PastRun['trigger']>
  readonly plan: Plan
  readonly run: FlowRun
  /** When each step was decided or began, and ended, by index. */
  readonly times: Map<number, { startMs: number; endMs: number | null }>
  endMs: number | null
}

export interface PastAttempt {
  readonly agent: string
  readonly startMs: number
  readonly endMs: number
  readonly fails: boolean
  readonly lines: readonly { readonly atMs: number; readonly stream: 'o' | 'e'; readonly text: string }[]
}

type Start = Omit<PastRun, 'attempts'>
type FlowStart = Pick<PastFlow, 'flow' | 'inputs' | 'createdAtMs' | 'trigger'>
interface Waiting extends Start {
  readonly attempts: PastAttempt[]
  hasEnded?: true
}
const keyOf = ({ title, forAgent }: { title: string; forAgent: string | null }): string => `${title} ${forAgent}`

/** An occurrence that was left out, since the run before still went on. */
interface LeftOut {
  readonly trigger: string
  readonly atMs: number
  readonly forAgent: string | null
  /** When the run was made that still went on. */
  readonly otherAtMs: number
}

export interface Past {
  readonly done: readonly PastRun[]
  /** Flow runs that ended; the runs of their steps are among `done`. */
  readonly flows: readonly PastFlow[]
  readonly leftOut: readonly LeftOut[]
  /** What ran or waited at the end; flows begin anew. */
  readonly open: readonly Start[]
  readonly openFlows: readonly FlowStart[]
}

const JOB_OF = new Map(JOBS.map((job) => [slugOf(job.title), job]))
export const titleOfStep = ({ definition, job, path }: PlanStep): string =>
  definition.title ?? JOB_OF.get(job ?? '')?.title ?? path
const PLAN_SOURCE: PlanSource = {
  flows: FLOWS.map(({ slug, definition }) => bundleFlow(slug, flowDefinitionSchema.parse(definition))),
  jobs: [...JOB_OF.keys()].map((id) => ({ id, active: true })),
}

const DAY_MS = 86_400_000
/** Refunds that people start by hand, each day. */
const BY_HAND = 3

interface World {
  readonly timings: Timings
  readonly isDay: IsDay
}

function worldAt(toMs: number): World {
  const calendars = demoCalendars(new Date(toMs)).map(({ slug, title, rule }) => ({ id: slug, title, days: rule }))
  const timings = new Timings(calendars, SHIPPED_HOLIDAYS, 'Europe/London')
  return { timings, isDay: (rule, day) => timings.daysOf(rule).has(day) }
}

/** What was started when, in order: by the demo's triggers, on the same schedules as the engine's, and now and then by people. */
function startsOf(fromMs: number, toMs: number, seed: number, { timings }: World): (Start | FlowStart)[] {
  const random = seededRandom(seed)
  const starts: (Start | FlowStart)[] = []
  for (const trigger of TRIGGERS) {
    const flow = trigger.isFlow ? flowCalled(trigger.job) : null
    const job = flow ? null : jobCalled(trigger.job)
    const target = job?.definition.target ?? null
    if (trigger.enabled === false || isOfTheLab(target) || flow?.definition.steps?.some(runsInTheLab)) continue
    const machines =
      target && trigger.definition.spread === 'each' ? MACHINES.filter((machine) => fits(machine, target)) : [null]
    const since = trigger.sinceDays === undefined ? fromMs : Math.max(fromMs, toMs - trigger.sinceDays * DAY_MS)
    const time = trigger.past ?? (trigger.definition.time as TimeRule | undefined)
    if (!time) continue
    const given = plainValues(trigger.with ?? {})
    for (const { at, day } of timings
      .schedule({ ...(trigger.definition as Omit<TriggerTiming, 'time'>), time })
      .between(since / 1000, toMs / 1000)) {
      for (const machine of machines) {
        const cause = {
          title: trigger.title,
          day: isoDay(day),
          dueAtMs: finishBy(trigger.definition, at * 1000),
          forAgent: machine?.name ?? null,
          skips: trigger.definition.overlap === 'skip',
        }
        const createdAtMs = at * 1000
        if (flow) starts.push({ flow, inputs: { ...defaultsOf(flow), ...given }, createdAtMs, trigger: cause })
        else if (job)
          starts.push({
            job,
            inputs: { ...defaultsOf(job), ...given },
            target: machine ? { agent: machine.name } : job.definition.target,
            createdAtMs,
            trigger: cause,
            step: null,
          })
      }
    }
  }
  const refund = jobCalled('Refund')
  for (let day = fromMs; day < toMs; day += DAY_MS)
    for (let i = 0; i < BY_HAND; i++) {
      const createdAtMs = day + Math.floor(random() * DAY_MS)
      random()
      if (createdAtMs < toMs)
        starts.push({
          job: refund,
          inputs: {},
          target: refund.definition.target,
          createdAtMs,
          trigger: null,
          step: null,
        })
    }
  return starts.sort((a, b) => a.createdAtMs - b.createdAtMs)
}

/** What runs for real has no made-up past. */
const isOfTheLab = (target: Target | null): boolean => target !== null && 'pool' in target && target.pool === 'lab'
export const runsInTheLab = (step: { readonly job?: string | undefined }): boolean =>
  isOfTheLab(JOB_OF.get(step.job ?? '')?.definition.target ?? null)

function jobCalled(title: string): DemoJob {
  const job = JOBS.find((each) => each.title === title)
  if (!job) throw new Error(`The demo has no job ${title}.`)
  return job
}

function flowCalled(title: string): DemoFlow {
  const flow = FLOWS.find((each) => each.title === title)
  if (!flow) throw new Error(`The demo has no flow ${title}.`)
  return flow
}

const defaultsOf = (job: {
  readonly definition: {
    readonly inputs?:
      readonly { name: string; type: Input['type']; default?: Input['default'] | undefined }[] | undefined
  }
}): Record<string, string> =>
  Object.fromEntries(
    (job.definition.inputs ?? [])
      .filter(({ type }) => type !== 'secret')
      .map((input) => [input.name, textOf(input.default ?? null)]),
  )

const textOf = (value: Input['default']): string =>
  (typeof value === 'object' && value !== null ? sharedOf(value) : value) ?? ''

const fits = ({ name, pools, labels }: (typeof MACHINES)[number], target: Target): boolean =>
  isMeant(target, { name, isRobot: false, pools, labels })

/** The past from `fromMs` to `toMs`: the same starts placed by the same dispatcher as the engine's, the same for the same seed. */
export function makeHistory(fromMs: number, toMs: number, seed: number): Past {
  const board = new Board()
  for (const machine of MACHINES) board.putAgent(agentState(machine))
  for (const robot of ROBOTS) board.putAgent(robotState(robot))
  board.setLocks(Object.fromEntries(LOCKS.map(({ name, units }) => [name, units])))
  const world = worldAt(toMs)
  const starts = startsOf(fromMs, toMs, seed, world)
  const done: PastRun[] = []
  const leftOut: LeftOut[] = []
  /** The newest open run of each trigger that skips, on each machine. */
  const newest = new Map<string, { readonly createdAtMs: number; readonly isOver: () => boolean }>()
  const flows: PastFlow[] = []
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
      const start = starts[cursor++] as Start | FlowStart
      if (isLeftOut(start)) continue
      if ('flow' in start) beginFlow(start)
      else {
        const run = queue(start, nowMs)
        if (start.trigger?.skips)
          newest.set(keyOf(start.trigger), { createdAtMs: start.createdAtMs, isOver: () => run.hasEnded === true })
      }
    }
    for (const { number, agent, robot } of board.place(nowMs).starts)
      startOne(number, agent, robot === undefined ? agent : { robot }, nowMs)
  }
  const isOver = (run: { readonly step: PastRun['step'] }): boolean => run.step === null || run.step.flow.endMs !== null
  return {
    done: done.filter(isOver),
    flows: flows.filter(({ endMs }) => endMs !== null),
    leftOut,
    open: [...waiting.values()].filter(({ step }) => step === null),
    openFlows: flows.filter(({ endMs }) => endMs === null),
  }

  function queue(start: Start, nowMs: number): Waiting {
    const number = nextNumber++
    const run: Waiting = { ...start, attempts: [] }
    waiting.set(number, run)
    board.putRun(readyRun(number, start, nowMs))
    return run
  }

  function beginFlow(start: FlowStart): void {
    const plan = planOf(PLAN_SOURCE, start.flow.slug, start.inputs)
    const run = new FlowRun(plan, lookOn(parseIsoDay(start.trigger.day) ?? 0, world.isDay))
    const past: PastFlow = { ...start, plan, run, times: new Map(), endMs: null }
    flows.push(past)
    if (start.trigger.skips)
      newest.set(keyOf(start.trigger), { createdAtMs: start.createdAtMs, isOver: () => past.endMs !== null })
    goOn(past, start.createdAtMs)
  }

  /** Queues what goes ahead in a flow, and notes what ended with it. */
  function goOn(past: PastFlow, nowMs: number): void {
    const { plan, run, times } = past
    run.endDueFlows()
    for (const index of run.takeAhead()) {
      const step = plan.steps[index] as Plan['steps'][number]
      times.set(index, { startMs: nowMs, endMs: null })
      const job = step.job === null ? null : JOB_OF.get(step.job)
      if (!job) continue
      const retries = step.definition.retry?.times ?? job.definition.retries ?? 0
      queue(
        {
          job: { ...job, definition: { ...job.definition, retries } },
          inputs: { ...defaultsOf(job), ...stepValues(step.definition.with ?? {}, step.inputs) },
          target: job.definition.target,
          createdAtMs: nowMs,
          trigger: null,
          step: { flow: past, index, path: step.path },
        },
        nowMs,
      )
    }
    run.endDueFlows()
    for (const { index } of plan.steps) {
      if (!isEnd(run.result(index))) continue
      const time = times.get(index)
      if (!time) times.set(index, { startMs: nowMs, endMs: nowMs })
      else time.endMs ??= nowMs
    }
    if (run.state !== 'running') past.endMs = nowMs
  }

  function isLeftOut({ trigger, createdAtMs }: Start | FlowStart): boolean {
    const other = trigger?.skips ? newest.get(keyOf(trigger)) : undefined
    if (!trigger || !other || other.isOver()) return false
    leftOut.push({
      trigger: trigger.title,
      atMs: createdAtMs,
      forAgent: trigger.forAgent,
      otherAtMs: other.createdAtMs,
    })
    return true
  }

  function startOne(number: number, agent: string, place: Place, nowMs: number): void {
    const run = waiting.get(number)
    if (!run) return
    const weeks = (nowMs - fromMs) / (7 * DAY_MS)
    const act = perform(run.job.title, [seed, number, run.attempts.length], weeks)
    const endMs = nowMs + act.seconds * 1000
    run.attempts.push({
      agent,
      startMs: nowMs,
      endMs,
      fails: act.fails,
      lines: act.lines.map((l) => ({ ...l, atMs: Math.round(nowMs + l.at * act.seconds * 1000) })),
    })
    board.removeRun(number)
    board.startWork(place, {
      number,
      slots: run.job.definition.slots ?? 1,
      locks: run.job.definition.locks ?? {},
      startedAtMs: nowMs,
      usualMs: run.job.behaviour.seconds * 1000,
    })
    board.noteStart(place, nowMs)
    const at = ends.findIndex((end) => end.atMs > endMs)
    ends.splice(at < 0 ? ends.length : at, 0, { atMs: endMs, number })
  }

  function endOne({ number }: { number: number }, nowMs: number): void {
    board.endWork(number)
    const run = waiting.get(number)
    const last = run?.attempts.at(-1)
    if (!run || !last) return
    if (last.fails && run.attempts.length <= (run.job.definition.retries ?? 0)) {
      board.putRun(readyRun(number, run, nowMs))
      return
    }
    waiting.delete(number)
    run.hasEnded = true
    done.push(run)
    if (!run.step) return
    run.step.flow.run.end(run.step.index, last.fails ? 'failed' : 'succeeded')
    goOn(run.step.flow, nowMs)
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
    abilities: ACTION_KINDS,
    accounts: [],
    robot: null,
    lastStartAtMs: null,
    running: [],
  }
}

/** Those with a secret that was good all the time; where a person sits, what is meant for that robot alone, which they have let it do. */
const robotState = ({ name, machine, kind, goodForDays }: (typeof ROBOTS)[number]): AgentState => ({
  ...agentState(MACHINES.find((one) => one.name === machine) as (typeof MACHINES)[number]),
  name,
  slots: 1,
  on: (goodForDays ?? 1) > 0,
  ...(kind === 'attended' ? { pools: {} } : {}),
  robot: { agent: machine, isAgentOn: true, isAttended: false, outOfHours: null, accountFault: null },
})

function readyRun(number: number, { job, target }: Start, readyAtMs: number): ReadyRun {
  const usualMs = job.behaviour.seconds * 1000
  return {
    number,
    target,
    kind: job.definition.action.kind,
    slots: job.definition.slots ?? 1,
    locks: job.definition.locks ?? {},
    account: null,
    minVersion: null,
    priority: job.definition.priority ?? 'normal',
    dueAtMs: null,
    usualMs,
    chainMs: usualMs,
    readyAtMs,
    held: false,
    off: false,
  }
}
