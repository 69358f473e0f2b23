import { Board, place, type AgentState, type Fleet, type ReadyRun, type Start } from '@/core/dispatch'
import { compareTurns, turnOf } from '@/core/dispatch/order'
import { seededRandom } from '@/core/stats/random'

const NOW = Date.UTC(2027, 2, 9, 2, 14)
const AGENTS = 1000
const RUNS = 10_000
const ROUNDS = 15

const random = seededRandom(7)
const pick = <T>(list: readonly T[]): T => list[Math.floor(random() * list.length)] as T
const pools = Array.from({ length: 20 }, (_, i) => `pool-${i}`)

function agent(i: number, busy: boolean): AgentState {
  const slots = 2 + Math.floor(random() * 6)
  const running = busy
    ? Array.from({ length: slots }, (_, k) => ({
        number: 1_000_000 + i * 10 + k,
        slots: 1,
        locks: {},
        startedAtMs: NOW - 60_000,
        usualMs: 60_000 + Math.floor(random() * 3_600_000),
      }))
    : []
  return {
    name: `agent-${i}`,
    slots,
    on: true,
    draining: false,
    connected: true,
    pools: { [pools[i % 20] as string]: true },
    labels: { os: i % 3 ? 'linux' : 'windows' },
    version: '1.0.0',
    abilities: ['command'],
    accounts: [],
    robot: null,
    lastStartAtMs: NOW - Math.floor(random() * 1e6),
    running,
  }
}

function run(number: number): ReadyRun {
  const usualMs = 60_000 + Math.floor(random() * 3_600_000)
  return {
    number,
    target: random() < 0.9 ? { pool: pick(pools) } : { labels: { os: 'linux' } },
    kind: 'command',
    slots: random() < 0.85 ? 1 : 2,
    locks: {},
    account: null,
    minVersion: null,
    priority: pick(['urgent', 'high', 'normal', 'normal', 'low'] as const),
    dueAtMs: random() < 0.3 ? NOW + Math.floor(random() * 1e7) : null,
    usualMs,
    chainMs: usualMs,
    readyAtMs: NOW - Math.floor(random() * 3_600_000),
    held: false,
    off: false,
  }
}

const median = (values: number[]): number => [...values].sort((a, b) => a - b)[Math.floor(values.length / 2)] ?? 0
const time = (work: () => void): number => {
  const began = performance.now()
  work()
  return performance.now() - began
}
const round = (ms: number): number => Math.round(ms * 1000) / 1000

const idle: Fleet = { agents: Array.from({ length: AGENTS }, (_, i) => agent(i, false)), locks: {} }
const full: Fleet = { agents: Array.from({ length: AGENTS }, (_, i) => agent(i, true)), locks: {} }
const ready = Array.from({ length: RUNS }, (_, i) => run(i + 1))

// The yardstick run beside it: bringing the same runs into order with the language's own sort.
const sorting = median(
  Array.from({ length: ROUNDS }, () => time(() => ready.map((each) => turnOf(each, NOW)).sort(compareTurns))),
)

let started = 0
const fromNothing = median(
  Array.from({ length: ROUNDS }, () => time(() => (started = place(idle, ready, NOW).starts.length))),
)

/** A board as the engine keeps it: only the placing itself. */
function board(fleet: Fleet): Board {
  const made = new Board()
  for (const one of fleet.agents) made.putAgent(one)
  for (const one of ready) made.putRun(one)
  return made
}
const kept = median(
  Array.from({ length: ROUNDS }, () => {
    const fresh = board(idle)
    return time(() => fresh.place(NOW))
  }),
)
/** One change and the placing after it. What that starts is told to the board afterwards, as the engine does: so each change meets a board at rest. */
function changed(change: () => void): number {
  let starts: readonly Start[] = []
  const took = time(() => {
    change()
    starts = waiting.place(NOW).starts
  })
  for (const { number, agent: name } of starts) {
    const started = waiting.entry(number)?.run
    if (!started) continue
    waiting.removeRun(number)
    waiting.startWork(name, { number, slots: started.slots, locks: {}, startedAtMs: NOW, usualMs: started.usualMs })
    waiting.noteStart(name, NOW)
  }
  return took
}
const CHANGES = 60
const waiting = board(full)
changed(() => undefined)
const ends = Array.from({ length: CHANGES }, (_, i) =>
  changed(() => waiting.endWork(full.agents[i * 7]?.running[0]?.number ?? 0)),
)
const comes = Array.from({ length: CHANGES }, (_, i) =>
  changed(() => waiting.putAgent({ ...agent(5000 + i, false), pools: { 'pool-1': true } })),
)
const arrives = Array.from({ length: CHANGES }, (_, i) => changed(() => waiting.putRun(run(50_000 + i))))

console.log(
  JSON.stringify(
    {
      agents: AGENTS,
      ready: RUNS,
      placedAtOnce: started,
      milliseconds: {
        everythingFromNothing: round(fromNothing),
        placingOfAKeptBoard: round(kept),
        oneRunEnds: round(median(ends)),
        oneAgentComes: round(median(comes)),
        oneRunArrives: round(median(arrives)),
      },
      yardstick: { sortingTheRunsMs: round(sorting), everythingFromNothingIsTimesThat: round(fromNothing / sorting) },
      aims: { placingMs: 50, oneChangeMs: 2 },
    },
    null,
    2,
  ),
)
