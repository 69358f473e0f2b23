import { Board, type AgentState, type ReadyRun } from '@/core/dispatch'
import { seededRandom } from '@/core/stats/random'
import { perform } from './play'
import { JOBS, MACHINES, type DemoJob } from './scenario'

/** One finished run of the made-up past. Instants are milliseconds since the epoch. */
export interface PastRun {
  readonly job: DemoJob
  readonly inputs: Record<string, string>
  readonly createdAtMs: number
  readonly tries: readonly PastTry[]
}

export interface PastTry {
  readonly agent: string
  readonly startMs: number
  readonly endMs: number
  readonly fails: boolean
  readonly lines: readonly { readonly atMs: number; readonly stream: 'o' | 'e'; readonly text: string }[]
}

interface Waiting {
  readonly job: DemoJob
  readonly inputs: Record<string, string>
  readonly createdAtMs: number
  readonly tries: PastTry[]
}

const DAY_MS = 86_400_000

/** When which jobs were started, in order. Times of day are read as UTC: close enough for a past that nobody asks to the minute. */
function startsOf(
  fromMs: number,
  toMs: number,
  seed: number,
): { atMs: number; job: DemoJob; inputs: Record<string, string> }[] {
  const random = seededRandom(seed)
  const starts: { atMs: number; job: DemoJob; inputs: Record<string, string> }[] = []
  for (const job of JOBS) {
    const inputsOf = job.history.inputs ?? [
      Object.fromEntries((job.definition.inputs ?? []).map((input) => [input.name, input.default ?? ''])),
    ]
    for (let day = fromMs; day < toMs; day += DAY_MS) {
      const minutes = job.history.everyMinutes
        ? Array.from(
            { length: Math.floor(1440 / job.history.everyMinutes) },
            (_, i) => i * (job.history.everyMinutes ?? 0),
          )
        : (job.history.at ?? []).map((time) => Number(time.slice(0, 2)) * 60 + Number(time.slice(3)))
      for (const minute of minutes) {
        for (const inputs of inputsOf) {
          const atMs = day + minute * 60_000 + Math.floor(random() * 20_000)
          if (atMs >= fromMs && atMs < toMs) starts.push({ atMs, job, inputs })
        }
      }
    }
  }
  return starts.sort((a, b) => a.atMs - b.atMs)
}

/** The past from `fromMs` to `toMs`: the same starts placed by the same dispatcher as the engine's, the same for the same seed. */
export function makeHistory(fromMs: number, toMs: number, seed: number): PastRun[] {
  const board = new Board()
  for (const machine of MACHINES) board.putAgent(agentState(machine))
  const starts = startsOf(fromMs, toMs, seed)
  const done: PastRun[] = []
  const waiting = new Map<number, Waiting>()
  const ends: { atMs: number; number: number }[] = []
  let nextNumber = 1
  let cursor = 0

  while (cursor < starts.length || ends.length > 0) {
    const nextStart = starts[cursor]?.atMs ?? Infinity
    const nextEnd = ends[0]?.atMs ?? Infinity
    const nowMs = Math.min(nextStart, nextEnd)
    if (nowMs >= toMs) break
    while (ends[0] && ends[0].atMs <= nowMs) endOne(ends.shift() as { number: number }, nowMs)
    while (starts[cursor] && (starts[cursor]?.atMs ?? Infinity) <= nowMs) {
      const { job, inputs } = starts[cursor++] as (typeof starts)[number]
      const number = nextNumber++
      waiting.set(number, { job, inputs, createdAtMs: nowMs, tries: [] })
      board.putRun(readyRun(number, job, nowMs))
    }
    for (const { number, agent } of board.place(nowMs).starts) startOne(number, agent, nowMs)
  }
  return done

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
      board.putRun(readyRun(number, run.job, nowMs))
      return
    }
    waiting.delete(number)
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

function readyRun(number: number, job: DemoJob, readyAtMs: number): ReadyRun {
  const usualMs = job.behaviour.seconds * 1000
  return {
    number,
    target: job.definition.target,
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
