import fc from 'fast-check'
import { PRIORITIES, type AgentState, type DeskAsk, type Fleet, type HeldWork, type ReadyRun } from './types'

export const NOW = Date.UTC(2027, 2, 9, 2, 14, 0)
const MINUTE = 60_000
const locks = fc.dictionary(
  fc.constantFrom('fares-db', 'printer', 'allowance slots in Sailing'),
  fc.integer({ min: 1, max: 2 }),
  { maxKeys: 2 },
)

const target = fc.oneof(
  fc.constantFrom('quay', 'data').map((pool) => ({ pool })),
  fc.constantFrom('a1', 'a2', 'a3').map((agent) => ({ agent })),
  fc.constantFrom('linux', 'windows').map((os) => ({ labels: { os } })),
)
const robotTarget = fc.oneof(
  fc.constantFrom('quay', 'data').map((robotPool) => ({ robotPool })),
  fc.constantFrom('a1', 'desk2').map((robot) => ({ robot })),
  fc.constantFrom('linux', 'windows').map((os) => ({ robotLabels: { os } })),
)

export const readyRun = (number: number): fc.Arbitrary<ReadyRun> =>
  fc
    .tuple(anyRun(number), fc.option(robotTarget, { freq: 3 }), fc.option(desk))
    .map(([run, robots, asked]) =>
      robots === null ? run : { ...run, target: robots, slots: 1, ...(asked ? { desk: asked } : {}) },
    )

/** Now and then somebody was asked. */
const desk: fc.Arbitrary<DeskAsk> = fc.record({
  live: fc.option(
    fc.record({
      robot: fc.constantFrom('a1', 'desk2'),
      how: fc.constantFrom('asked', 'later', 'agreed', 'agreed'),
      atMs: fc.constant(NOW + 5 * MINUTE),
    }),
    { freq: 3 },
  ),
  answers: fc.constantFrom({}, { desk3: 'the person at it said no' }),
})

const anyRun = (number: number): fc.Arbitrary<ReadyRun> =>
  fc
    .tuple(knownRun(number), fc.constantFrom({}, {}, {}, {}, { kindOff: 'It fills the disks.' }))
    .map(([run, off]) => ({ ...run, ...off }))

const knownRun = (number: number): fc.Arbitrary<ReadyRun> =>
  fc.record({
    number: fc.constant(number),
    target,
    kind: fc.constantFrom('command', 'command', 'script'),
    slots: fc.integer({ min: 1, max: 3 }),
    locks,
    account: fc.constant(null),
    minVersion: fc.constantFrom(null, null, '1.2'),
    priority: fc.constantFrom(...PRIORITIES),
    dueAtMs: fc.option(fc.integer({ min: -30, max: 90 }).map((m) => NOW + m * MINUTE)),
    usualMs: fc.integer({ min: 1, max: 40 }).map((m) => m * MINUTE),
    chainMs: fc.integer({ min: 1, max: 60 }).map((m) => m * MINUTE),
    readyAtMs: fc.integer({ min: 0, max: 200 }).map((m) => NOW - m * MINUTE),
    held: fc.constantFrom(false, false, false, true),
    off: fc.constantFrom(false, false, false, false, true),
  })

const agent = (name: string, index: number): fc.Arbitrary<AgentState> =>
  fc
    .record({
      slots: fc.integer({ min: 1, max: 6 }),
      on: fc.constantFrom(true, true, true, false),
      draining: fc.constantFrom(false, false, false, true),
      connected: fc.constantFrom(true, true, true, false),
      pools: fc.dictionary(fc.constantFrom('quay', 'data'), fc.boolean(), { maxKeys: 2 }),
      os: fc.constantFrom('linux', 'windows'),
      version: fc.constantFrom('1.0.0', '1.2.3'),
      abilities: fc.constantFrom(['command'], ['command', 'script']),
      lastStartAtMs: fc.option(fc.integer({ min: 0, max: 5 }).map((m) => NOW - m * MINUTE)),
      works: fc.array(
        fc.record({
          slots: fc.integer({ min: 1, max: 2 }),
          locks,
          ago: fc.integer({ min: 0, max: 60 }),
          // In whole minutes; or, now and then, ending within the second before or after now.
          usual: fc.integer({ min: 1, max: 60 }),
          endsInMs: fc.option(fc.integer({ min: -900, max: 1900 }), { freq: 3 }),
        }),
        { maxLength: 4 },
      ),
    })
    .map(({ os, works, ...rest }) => {
      const running: HeldWork[] = []
      let used = 0
      works.forEach((work, i) => {
        if (used + work.slots > rest.slots) return
        used += work.slots
        running.push({
          number: 10_000 + index * 10 + i,
          slots: work.slots,
          locks: work.locks,
          startedAtMs: NOW - work.ago * MINUTE,
          usualMs: work.endsInMs === null ? work.usual * MINUTE : Math.max(1, work.ago * MINUTE + work.endsInMs),
        })
      })
      return { ...rest, name, labels: { os }, accounts: [], robot: null, running }
    })

/** A robot of `a1`: it is one place, so of what an agent would do it does one thing at most. */
const robot = (name: string, index: number): fc.Arbitrary<AgentState> =>
  fc
    .tuple(
      agent(name, index),
      fc.constantFrom(null, null, null, '07:00–19:00'),
      fc.constantFrom(null, null, null, 'has an account whose secret was good until 1 Mar'),
      fc.constantFrom(false, false, true),
    )
    .map(([one, outOfHours, accountFault, isAttended]) => ({
      ...one,
      slots: 1,
      running: one.running.slice(0, 1).map((work) => ({ ...work, slots: 1 })),
      robot: { agent: 'a1', isAgentOn: true, isAttended, outOfHours, accountFault },
    }))

/** Now, on a whole second or within one: what is overdue ends at the next. */
export const instant: fc.Arbitrary<number> = fc.constantFrom(NOW, NOW + 300)

export const fleet: fc.Arbitrary<Fleet> = fc
  .tuple(
    ...[agent('a1', 1), agent('a2', 2), agent('a3', 3), agent('a4', 4)],
    // One of the robots is called like an agent.
    ...[robot('a1', 5), robot('desk2', 6), robot('desk3', 7)],
  )
  .map((agents) => ({ agents, locks: { 'fares-db': 3, printer: 2, 'allowance slots in Sailing': 3 } }))

export const ready: fc.Arbitrary<ReadyRun[]> = fc
  .integer({ min: 0, max: 14 })
  .chain((n) => fc.tuple(...Array.from({ length: n }, (_, i) => readyRun(i + 1))))
