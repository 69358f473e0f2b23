import fc from 'fast-check'
import { flowBundle } from './arbitrary.test-help'
import { drawnStep as step } from './drawn.test-help'
import { planOf } from './plan'
import { rehearse } from './rehearse'
import { deciding, drawnOf, exceptionsOf, lanesOf, rehearsedTimes, timesOf } from './times'

const length =
  (...seconds: number[]) =>
  (index: number) =>
    seconds[index] as number

describe('when steps are', () => {
  it('puts each behind what it waits for, and flows around their steps', () => {
    const steps = [
      step(0),
      step(1, [0], { isFlow: true }),
      step(2, [], { parent: 1 }),
      step(3, [2], { parent: 1 }),
      step(4, [1, 0], { join: 'any' }),
      step(5, [1]),
    ]
    expect(timesOf(steps, length(10, 0, 3, 4, 1, 2))).toEqual([
      { start: 0, end: 10 },
      { start: 10, end: 17 },
      { start: 10, end: 13 },
      { start: 13, end: 17 },
      { start: 10, end: 11 },
      { start: 17, end: 19 },
    ])
  })

  it('puts what did not run in a rehearsal where it was decided, not where it usually is', () => {
    const steps = [step(0), step(1, [0]), step(2, [1]), step(3, [0, 2]), step(4, [], { routeTo: -1 })]
    const ran = [{ start: 0, end: 10 }, null, null, { start: 10, end: 12 }, { start: 0, end: 3 }]
    const { times, decides } = rehearsedTimes(steps, (index) => ran[index] ?? null)
    expect(times).toEqual([
      { start: 0, end: 10 },
      { start: 10, end: 10 },
      { start: 10, end: 10 },
      { start: 10, end: 12 },
      { start: 0, end: 3 },
    ])
    expect([...decides].sort()).toEqual([0, 3])
  })

  it('puts what lies in a skipped flow step where that is', () => {
    const steps = [step(0), step(1, [0], { isFlow: true }), step(2, [], { parent: 1 }), step(3, [1])]
    const times = timesOf(steps, length(10, 0, 5, 2), (index) => (index === 1 ? { isSkipped: true } : null))
    expect(times.slice(1)).toEqual([
      { start: 10, end: 10 },
      { start: 10, end: 10 },
      { start: 10, end: 12 },
    ])
  })

  it('keeps to what is known, and lets nothing begin in the past', () => {
    const steps = [step(0), step(1, [0]), step(2, [1]), step(3, [0])]
    const known = [{ start: 0, end: 30 }, { start: 31 }, null, { isSkipped: true }]
    expect(timesOf(steps, length(10, 20, 5, 7), (i) => known[i] ?? null, 60)).toEqual([
      { start: 0, end: 30 },
      { start: 31, end: 60 },
      { start: 60, end: 65 },
      { start: 30, end: 30 },
    ])
  })

  it('places a step that only routes lead to behind the last of them; what only failures lead to makes nothing longer', () => {
    const steps = [
      step(0, [], { isFlow: true }),
      step(1, [], { parent: 0, routeTo: 3 }),
      step(2, [1], { parent: 0, routeTo: 3 }),
      step(3, [], { parent: 0 }),
      step(4, [3], { parent: 0 }),
      step(5, [0]),
      { ...step(6), links: [{ from: 5, when: 'failed' as const }] },
      step(7, [5, 6], { join: 'any' }),
    ]
    const takes = length(0, 5, 5, 20, 1, 2, 60, 3)
    const times = timesOf(steps, takes)
    expect(times[3]).toEqual({ start: 10, end: 30 })
    expect([times[0], times[5], times[7]]).toEqual([
      { start: 0, end: 10 },
      { start: 10, end: 12 },
      { start: 12, end: 15 },
    ])
    expect([...exceptionsOf(steps)].sort()).toEqual([3, 4, 6])
    expect([...deciding(steps, times)].sort()).toEqual([0, 1, 2, 5, 7])
    // Once it is sure that it goes ahead, it counts.
    const sure = timesOf(steps, takes, (i) => (i === 3 ? { isSure: true } : null))
    expect(sure[0]).toEqual({ start: 0, end: 31 })
  })

  it('holds for what decided the failure that a step came from, or the one of several that was enough', () => {
    // A reach check (0) and a transfer (1) both lead to a ticket (2) if they fail; the check went well at once, the transfer failed late.
    const steps = [step(0, [], { routeTo: 2 }), step(1, [0], { routeTo: 2 }), step(2)]
    const times = [
      { start: 0, end: 1 },
      { start: 1, end: 23 },
      { start: 24, end: 25 },
    ]
    expect([...deciding(steps, times, new Set())].sort()).toEqual([0, 1, 2])
    // The check failed; the transfer, which did not wait for it, failed when the ticket was out already.
    const apart = [step(0, [], { routeTo: 2 }), step(1, [], { routeTo: 2 }), step(2)]
    const late = [
      { start: 0, end: 1 },
      { start: 0, end: 4 },
      { start: 2, end: 9 },
    ]
    expect([...deciding(apart, late, new Set())].sort()).toEqual([0, 2])
    // Of two that were each enough, the first did not go well, so the second it was.
    const either = [step(0), step(1), step(2, [0, 1], { join: 'any' })]
    const enough = [
      { start: 0, end: 3 },
      { start: 0, end: 7 },
      { start: 7, end: 8 },
    ]
    expect([...deciding(either, enough)].sort()).toEqual([1, 2])
  })

  it('agrees with the rehearsal wherever everything runs', () => {
    fc.assert(
      fc.property(flowBundle(false), (bundle) => {
        const steps = bundle.flows.flatMap((flow) => flow.steps)
        for (const each of steps) {
          Object.assign(each, { gate: undefined, onFailure: 'fail', join: 'all' })
          if (each.job === 'off') each.job = 'quick'
          for (const link of each.after ?? []) link.when = 'ended'
        }
        const plan = planOf(bundle, 'f0')
        const rehearsal = rehearse(plan, () => 'open')
        const drawn = drawnOf(plan.steps)
        const times = timesOf(drawn, (i) => plan.steps[i]?.expect ?? 0)
        for (const { path, index } of plan.steps) expect(times[index]).toEqual(rehearsal.times.get(path))
      }),
      { numRuns: 200 },
    )
  })
})

describe('lanes', () => {
  it('are chains: the first follower goes on in a lane, others and those for which there is no room get their own', () => {
    const steps = [step(0), step(1, [0]), step(2, [0]), step(3, [1, 2]), step(4, [3], { routeTo: 5 }), step(5)]
    const all = steps.map(({ index }) => index)
    expect([...lanesOf(steps, all)]).toEqual([
      [0, 0],
      [1, 0],
      [2, 1],
      [3, 0],
      [4, 0],
      [5, 0],
    ])
    expect(lanesOf(steps, all, (from) => from !== 1).get(3)).toBe(1)
  })

  it('never put two steps over each other, whatever their lengths', () => {
    fc.assert(
      fc.property(
        fc.array(fc.array(fc.nat(20), { maxLength: 3 }), { maxLength: 25 }),
        fc.infiniteStream(fc.nat(9)),
        (shape, lengths) => {
          const steps = shape.map((from, i) =>
            step(i, [...new Set(from.filter((each) => each < i))], { join: i % 3 === 0 ? 'any' : 'all' }),
          )
          const takes = steps.map(() => lengths.next().value as number)
          const times = timesOf(steps, (i) => takes[i] as number)
          const lanes = lanesOf(
            steps,
            steps.map(({ index }) => index),
          )
          for (const a of steps)
            for (const b of steps)
              if (a.index < b.index && lanes.get(a.index) === lanes.get(b.index))
                expect((times[a.index] as { end: number }).end).toBeLessThanOrEqual(
                  (times[b.index] as { start: number }).start,
                )
        },
      ),
    )
  })
})
