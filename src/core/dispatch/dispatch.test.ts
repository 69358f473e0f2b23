import fc from 'fast-check'
import { fleet, instant, NOW, ready } from './arbitrary.test-help'
import {
  Board,
  compareVersions,
  describeReason,
  place,
  whatLacks,
  type AgentState,
  type Place,
  type ReadyRun,
  type Start,
} from './index'
import { anAgent as agent, aRun as run } from './facts.test-help'
import { placeNaively } from './naive.test-help'
import { AGEING_STEP_MS, expectedEndMs, levelAt } from './order'

const MINUTE = 60_000

const placeIs = ({ name, robot }: AgentState): Place => (robot === null ? name : { robot: name })
const placeOf = ({ agent: name, robot }: Start): Place => (robot === undefined ? name : { robot })
const keyOf = (of: Place): string => JSON.stringify(of)

const work = (number: number, slots: number, endsInMinutes: number): AgentState['running'][number] => ({
  number,
  slots,
  locks: {},
  startedAtMs: NOW - 60 * MINUTE,
  usualMs: (60 + endsInMinutes) * MINUTE,
})

describe('order', () => {
  it('raises waiting work one level each full 30 minutes, to high at most', () => {
    const low = run(1, { priority: 'low', readyAtMs: NOW - AGEING_STEP_MS })
    expect(levelAt(low, NOW - 1)).toBe(3)
    expect(levelAt(low, NOW)).toBe(2)
    expect(levelAt(run(1, { priority: 'low', readyAtMs: NOW - 20 * AGEING_STEP_MS }), NOW)).toBe(1)
    expect(levelAt(run(1, { priority: 'urgent' }), NOW)).toBe(0)
  })

  it('goes by level, then slack, then since when ready, then number', () => {
    const runs = [
      run(5),
      run(4, { readyAtMs: NOW - 1 }),
      run(3, { dueAtMs: NOW + 60 * MINUTE, chainMs: 55 * MINUTE }),
      run(2, { dueAtMs: NOW + 30 * MINUTE }),
      run(1, { priority: 'high' }),
      run(6),
    ]
    const placing = place({ agents: [agent('a', { slots: 6 })], locks: {} }, runs, NOW)
    expect(placing.starts.map((s) => s.number)).toEqual([1, 3, 2, 4, 5, 6])
  })
})

describe('place', () => {
  it('takes the smallest share of used slots compared exactly, then the longest rest, then the name', () => {
    const agents = [
      agent('c', { slots: 4, running: [work(90, 1, 5)] }),
      agent('b', { slots: 2 }),
      agent('a', { slots: 4, lastStartAtMs: NOW - 1, running: [work(91, 1, 5)] }),
    ]
    // After taking it: a and c are half full, b is half full: the one never used first, by name.
    expect(place({ agents, locks: {} }, [run(1)], NOW).starts).toEqual([{ number: 1, agent: 'b' }])
    expect(place({ agents: agents.filter((a) => a.name !== 'b'), locks: {} }, [run(1)], NOW).starts).toEqual([
      { number: 1, agent: 'c' },
    ])
  })

  it('names what every agent lacks, the nearest first', () => {
    const agents = [agent('far', { on: false, connected: false }), agent('near', { pools: { quay: false } })]
    const reason = place({ agents, locks: {} }, [run(1)], NOW).reasonFor(1)
    expect(reason).toEqual({
      why: 'agent',
      lacks: [
        { agent: 'near', lacks: ['is switched off in pool quay'] },
        { agent: 'far', lacks: ['is switched off', 'is out of reach'] },
      ],
    })
    expect(describeReason(reason as NonNullable<typeof reason>, String)).toBe(
      'No agent can take it: near is switched off in pool quay. One other agent lacks something too.',
    )
  })

  it('gives a robot task to a robot that rests longest, takes no slot for it, and names what robots lack', () => {
    const facts = { agent: 'a', isAgentOn: true, isAttended: false, outOfHours: null, accountFault: null }
    const desk = (name: string, change: Partial<AgentState> = {}): AgentState =>
      agent(name, { slots: 1, robot: facts, ...change })
    const full = agent('a', { slots: 1, running: [work(90, 1, 5)] })
    const task = (number: number): ReadyRun => run(number, { target: { robotPool: 'quay' } })
    const robots = [desk('b'), desk('c', { lastStartAtMs: NOW - 9 }), desk('a', { lastStartAtMs: NOW - 1 })]
    const placing = place({ agents: [full, ...robots], locks: {} }, [task(1), task(2), task(3), task(4), run(5)], NOW)
    expect(placing.starts).toEqual([
      { number: 1, agent: 'a', robot: 'b' },
      { number: 2, agent: 'a', robot: 'c' },
      { number: 3, agent: 'a', robot: 'a' },
    ])
    expect(placing.reasonFor(4)).toEqual({ why: 'slot', agent: 'a', atMs: NOW + 10 * MINUTE, isRobot: true })
    expect(placing.reasonFor(5)).toEqual({ why: 'slot', agent: 'a', atMs: NOW + 5 * MINUTE })
    const none = place({ agents: [full, desk('b', { on: false })], locks: {} }, [task(1)], NOW)
    expect(none.reasonFor(1)).toEqual({
      why: 'agent',
      lacks: [{ agent: 'b', lacks: ['is switched off'] }],
      isRobot: true,
    })
  })

  it('keeps a turn for a large run and lets only such work pass as does not delay it', () => {
    const agents = [agent('a', { slots: 4, running: [work(90, 3, 20)] })]
    const large = run(1, { slots: 3, readyAtMs: NOW - MINUTE })
    const short = run(2, { usualMs: 20 * MINUTE })
    const long = run(3, { usualMs: 21 * MINUTE })
    const placing = place({ agents, locks: {} }, [large, long, short], NOW)
    // 4 slots, 3 free at T for the large run: one is spare, so the long one may start, and then the short one finds no slot.
    expect(placing.starts).toEqual([{ number: 2, agent: 'a' }])
    expect(placing.reasonFor(1)).toEqual({ why: 'slot', agent: 'a', atMs: NOW + 20 * MINUTE })
    expect(place({ agents, locks: {} }, [{ ...large, slots: 4 }, long], NOW).reasonFor(3)).toEqual({
      why: 'turn',
      for: 1,
    })
  })

  it('takes locks all at once and gives none of a lock that a run before lacks', () => {
    const fleetWithLock = {
      agents: [agent('a', { slots: 8, running: [{ ...work(90, 1, 5), locks: { db: 2 } }] })],
      locks: { db: 3 },
    }
    const placing = place(fleetWithLock, [run(1, { locks: { db: 2 } }), run(2, { locks: { db: 1 } }), run(3)], NOW)
    expect(placing.starts.map((s) => s.number)).toEqual([3])
    expect(placing.reasonFor(1)).toEqual({ why: 'lock', lock: 'db', holders: [90] })
    expect(placing.reasonFor(2)).toEqual({ why: 'lock', lock: 'db', holders: [90] })
  })

  it('expects what is overdue to end at the next second', () => {
    expect(expectedEndMs(NOW - 10_000, 5000, NOW + 250)).toBe(NOW + 1000)
    expect(expectedEndMs(NOW, 5000, NOW)).toBe(NOW + 5000)
  })

  it('compares versions number by number', () => {
    expect(compareVersions('1.10.0', '1.9')).toBeGreaterThan(0)
    expect(compareVersions('1.0', '1.0.0-beta')).toBe(0)
    expect(whatLacks(run(1, { minVersion: '1.1' }), agent('a'))).toEqual(['has version 1.0.0, needs 1.1'])
  })
})

describe('properties', () => {
  it('places as the plain rules do, and gives the same kind of reason', () => {
    fc.assert(
      fc.property(fleet, ready, instant, (theFleet, runs, nowMs) => {
        const naive = placeNaively(theFleet, runs, nowMs)
        const placing = place(theFleet, runs, nowMs)
        expect(placing.starts).toEqual(naive.starts)
        for (const [number, reason] of naive.reasons)
          expect([number, placing.reasonFor(number)]).toEqual([number, expect.objectContaining(reason)])
        for (const { number } of placing.starts) expect(placing.reasonFor(number)).toBeUndefined()
      }),
      { numRuns: 1200 },
    )
  })

  it('never goes over capacity or lock units, and never to an agent that lacks something', () => {
    fc.assert(
      fc.property(fleet, ready, (theFleet, runs) => {
        const { starts } = place(theFleet, runs, NOW)
        const byNumber = new Map(runs.map((r) => [r.number, r]))
        for (const one of theFleet.agents) {
          const mine = starts
            .filter((s) => keyOf(placeOf(s)) === keyOf(placeIs(one)))
            .map((s) => byNumber.get(s.number) as ReadyRun)
          for (const r of mine) expect(whatLacks(r, one)).toEqual([])
          const used = [...one.running, ...mine].reduce((sum, r) => sum + r.slots, 0)
          if (mine.length > 0) expect(used).toBeLessThanOrEqual(one.slots)
        }
        for (const [lock, units] of Object.entries(theFleet.locks)) {
          const started = starts.map((s) => byNumber.get(s.number) as ReadyRun).filter((r) => r.locks[lock])
          const holding = theFleet.agents.flatMap((a) => a.running).reduce((sum, w) => sum + (w.locks[lock] ?? 0), 0)
          if (started.length > 0)
            expect(holding + started.reduce((sum, r) => sum + (r.locks[lock] ?? 0), 0)).toBeLessThanOrEqual(units)
        }
      }),
      { numRuns: 250 },
    )
  })

  it('a board that lived through changes places as a new one does', () => {
    fc.assert(
      fc.property(
        fleet,
        fleet,
        ready,
        ready,
        fc.integer({ min: 0, max: 90 }),
        (before, after, first, second, minutes) => {
          const board = new Board()
          board.setLocks(before.locks)
          for (const one of before.agents) board.putAgent(one)
          for (const r of first) board.putRun(r)
          board.place(NOW)
          board.removeAgent('a2')
          for (const one of after.agents) board.putAgent(one)
          for (const r of first) if (!second.some((s) => s.number === r.number)) board.removeRun(r.number)
          for (const r of second) board.putRun(r)
          const later = NOW + minutes * MINUTE
          const lived = board.place(later)
          const fresh = place({ ...after, agents: after.agents }, second, later)
          expect(lived.starts).toEqual(fresh.starts)
          for (const r of second) expect(lived.reasonFor(r.number)?.why).toBe(fresh.reasonFor(r.number)?.why)
        },
      ),
      { numRuns: 250 },
    )
  })

  it('a board that places after each change places as a new one does, each time', () => {
    const change = fc.record({
      how: fc.constantFrom('put', 'remove', 'start', 'end', 'note', 'run', 'done'),
      which: fc.nat(13),
    })
    fc.assert(
      fc.property(fleet, fleet, ready, fc.array(change, { maxLength: 25 }), (first, second, runs, changes) => {
        const board = new Board()
        board.setLocks(first.locks)
        const agents = new Map(first.agents.map((one) => [keyOf(placeIs(one)), one]))
        const places = first.agents.map(placeIs)
        const placeAt = (which: number): Place => places[which % places.length] as Place
        const waiting = new Map(runs.map((one) => [one.number, one]))
        for (const one of first.agents) board.putAgent(one)
        for (const one of runs) board.putRun(one)
        board.place(NOW)
        let now = NOW
        const doing = {
          put: (which) => {
            const one = (which % 2 === 0 ? first : second).agents[which % places.length] as AgentState
            agents.set(keyOf(placeIs(one)), one)
            board.putAgent(one)
          },
          remove: (which) => {
            agents.delete(keyOf(placeAt(which)))
            board.removeAgent(placeAt(which))
          },
          start: (which) => {
            const one = agents.get(keyOf(placeAt(which)))
            if (!one) return
            const next = { number: now, slots: 1, locks: {}, startedAtMs: now, usualMs: 5 * MINUTE }
            agents.set(keyOf(placeIs(one)), { ...one, running: [...one.running, next] })
            board.startWork(placeIs(one), next)
          },
          end: (which) => {
            const one = agents.get(keyOf(placeAt(which)))
            const over = one?.running[0]
            if (!one || !over) return
            agents.set(keyOf(placeIs(one)), { ...one, running: one.running.slice(1) })
            board.endWork(over.number)
          },
          note: (which) => {
            const one = agents.get(keyOf(placeAt(which)))
            if (!one) return
            agents.set(keyOf(placeIs(one)), { ...one, lastStartAtMs: now })
            board.noteStart(placeIs(one), now)
          },
          run: (which) => {
            const one = runs[which % Math.max(1, runs.length)]
            if (!one) return
            waiting.set(one.number, one)
            board.putRun(one)
          },
          done: (which) => {
            waiting.delete(which)
            board.removeRun(which)
          },
        } satisfies Record<string, (which: number) => void>
        for (const { how, which } of changes) {
          now += 1000
          doing[how](which)
          const fresh = place({ agents: [...agents.values()], locks: first.locks }, [...waiting.values()], now)
          expect(board.place(now).starts).toEqual(fresh.starts)
        }
      }),
      { numRuns: 250 },
    )
  })

  it('starves nothing: what is ready starts in the end, however much comes after it', () => {
    fc.assert(
      fc.property(
        fc.array(fc.record({ slots: fc.integer({ min: 1, max: 3 }), usual: fc.integer({ min: 1, max: 30 }) }), {
          minLength: 1,
          maxLength: 20,
        }),
        (stream) => {
          const board = new Board()
          board.putAgent(agent('a', { slots: 3 }))
          const patient = run(1, { slots: 3, priority: 'low' })
          board.putRun(patient)
          let ends: { number: number; atMs: number }[] = []
          for (let minute = 0; minute < 12 * 60; minute++) {
            const now = NOW + minute * MINUTE
            for (const end of ends.filter((e) => e.atMs <= now)) board.endWork(end.number)
            ends = ends.filter((e) => e.atMs > now)
            const next = stream[minute % stream.length] as (typeof stream)[number]
            board.putRun(
              run(100 + minute, {
                slots: next.slots,
                usualMs: next.usual * MINUTE,
                chainMs: next.usual * MINUTE,
                readyAtMs: now,
              }),
            )
            for (const { number } of board.place(now).starts) {
              const started = board.entry(number)?.run as ReadyRun
              if (number === 1) return
              board.removeRun(number)
              board.startWork('a', {
                number,
                slots: started.slots,
                locks: {},
                startedAtMs: now,
                usualMs: started.usualMs,
              })
              ends.push({ number, atMs: now + started.usualMs })
            }
          }
          throw new Error('the patient run never started')
        },
      ),
      { numRuns: 60 },
    )
  })
})
