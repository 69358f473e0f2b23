import fc from 'fast-check'
import { Timings } from '../bundle/timings'
import { NO_HOLIDAYS } from '../calendar/holidays'
import { cadenceOf } from './cadence'
import { changesBetween } from './changes'
import { decideDue, ON_TIME_MS } from './firing'

const MINUTE = 60_000
const HOUR = 60 * MINUTE
const NOW = Date.UTC(2027, 2, 9, 2, 50)

function decide(
  agesMinutes: readonly number[],
  more: { makeUp?: 'once' | 'each'; startsOff?: boolean; allowanceMs?: number } = {},
): Record<string, number[]> {
  const occurrences = agesMinutes.map((age) => NOW - age * MINUTE)
  const decision = decideDue({
    occurrences,
    atMs: (at) => at,
    nowMs: NOW,
    allowanceMs: HOUR,
    makeUp: 'once',
    startsOff: false,
    ...more,
  })
  return Object.fromEntries(
    Object.entries(decision).map(([key, list]) => [key, (list as number[]).map((at) => (NOW - at) / MINUTE)]),
  )
}

describe('what is due', () => {
  it('starts, if it is on time', () => {
    expect(decide([0.5])).toEqual({ start: [0.5], late: [], madeUp: [], waiting: [] })
    expect(decide([0.9, 0.4, 0])).toMatchObject({ start: [0.9, 0.4, 0] })
  })

  it('is made up once: by the newest, and by none if another is on time', () => {
    expect(decide([50, 35, 20, 5])).toEqual({ start: [5], late: [], madeUp: [50, 35, 20], waiting: [] })
    expect(decide([30, 15, 0])).toEqual({ start: [0], late: [], madeUp: [30, 15], waiting: [] })
  })

  it('is made up each time, if the trigger says so', () => {
    expect(decide([50, 35, 20, 5], { makeUp: 'each' })).toMatchObject({ start: [50, 35, 20, 5], madeUp: [] })
  })

  it('is not started later than its allowance', () => {
    expect(decide([75, 61, 60])).toEqual({ start: [60], late: [75, 61], madeUp: [], waiting: [] })
    expect(decide([2], { allowanceMs: 0 })).toMatchObject({ start: [], late: [2] })
    expect(decide([0.9], { allowanceMs: 0 })).toMatchObject({ start: [0.9], late: [] })
  })

  it('waits while starts are off, as long as it may still be made up', () => {
    expect(decide([75, 50, 0], { startsOff: true })).toEqual({ start: [], late: [75], madeUp: [], waiting: [50, 0] })
  })

  it('has every occurrence decided exactly once', () => {
    fc.assert(
      fc.property(
        fc.uniqueArray(fc.integer({ min: 0, max: 5 * HOUR }), { maxLength: 30 }),
        fc.integer({ min: 0, max: 3 * HOUR }),
        fc.constantFrom('once' as const, 'each' as const),
        fc.boolean(),
        (ages, allowanceMs, makeUp, startsOff) => {
          const occurrences = ages.map((age) => NOW - age).sort((a, b) => a - b)
          const { start, late, madeUp, waiting } = decideDue({
            occurrences,
            atMs: (at) => at,
            nowMs: NOW,
            allowanceMs,
            makeUp,
            startsOff,
          })
          expect([...start, ...late, ...madeUp, ...waiting].sort((a, b) => a - b)).toEqual(occurrences)
          for (const at of [...start, ...madeUp, ...waiting])
            expect(NOW - at).toBeLessThanOrEqual(Math.max(allowanceMs, ON_TIME_MS))
          if (madeUp.length > 0) expect(start.length).toBeGreaterThan(0)
        },
      ),
    )
  })
})

describe('changes of coming starts', () => {
  it.each([
    [[1, 2, 3], [1, 2, 3], [], [], []],
    [[1, 3], [1, 2, 3], [2], [], []],
    [[1, 2, 3], [1, 3], [], [2], []],
    [[1, 20, 30], [1, 15, 30], [], [], [[20, 15]]],
    [[1, 20, 30], [1, 15, 16, 30], [16], [], [[20, 15]]],
    [[], [1, 2], [1, 2], [], []],
  ])('from %j to %j', (before, after, added, dropped, moved) => {
    expect(changesBetween(before, after)).toEqual({ added, dropped, moved: moved.map(([from, to]) => ({ from, to })) })
  })

  it('account for every start', () => {
    const list = fc.uniqueArray(fc.integer({ min: 0, max: 60 })).map((l) => l.sort((a, b) => a - b))
    fc.assert(
      fc.property(list, list, (before, after) => {
        const { added, dropped, moved } = changesBetween(before, after)
        const kept = before.filter((at) => after.includes(at))
        expect([...kept, ...dropped, ...moved.map((m) => m.from)].sort((a, b) => a - b)).toEqual(before)
        expect([...kept, ...added, ...moved.map((m) => m.to)].sort((a, b) => a - b)).toEqual(after)
      }),
    )
  })
})

describe('a cadence', () => {
  const timings = new Timings([], NO_HOLIDAYS, 'Europe/London')
  it.each([
    [{ time: { at: ['17:00'] } }, 1, 1, 86_400],
    [{ time: { at: ['17:00'] }, on: { weekdays: ['MO'] as const } }, 1 / 7, 1, 604_800],
    [{ time: { every: { step: 'PT15M', from: '06:00', until: '22:00' } } }, 65, 65, 900],
    [{ time: { every: { step: 'PT1S' } } }, 86_400, 86_400, 1],
    [{ time: { every: { step: 'PT5S' } } }, 17_280, 17_280, 5],
    [{ time: { every: { step: 'PT2S', from: '03:00', until: '15:00' } } }, 21_601, 21_601, 2],
    [{ time: { at: ['17:00'] }, until: '2020-01-01' }, 0, 0, null],
  ])('of %j', (trigger, perDay, most, gap) => {
    const cadence = cadenceOf(timings.schedule(trigger), NOW / 1000)
    expect(Math.abs(cadence.runsPerDay - perDay) / Math.max(perDay, 1)).toBeLessThan(0.02)
    expect(cadence.mostInADay).toBe(most)
    expect(cadence.gapSeconds).toBe(gap)
  })
})
