import fc from 'fast-check'
import { HOUR_MS, hourlyUse, type Taken } from './use'

const MINUTE = 60_000
const HOURS = 5
const taken: fc.Arbitrary<Taken> = fc
  .record({
    begin: fc.integer({ min: -90, max: 6 * 60 }),
    minutes: fc.option(fc.integer({ min: 0, max: 200 })),
    units: fc.integer({ min: 0, max: 4 }),
  })
  .map(({ begin, minutes, units }) => ({
    fromMs: begin * MINUTE,
    toMs: minutes === null ? Infinity : (begin + minutes) * MINUTE,
    units,
  }))

/** Minute by minute: within one nothing changes. */
function naively(all: readonly Taken[]): { hourMs: number; peak: number; mean: number }[] {
  return Array.from({ length: HOURS }, (_, hour) => {
    const inUse = Array.from({ length: 60 }, (_, minute) => {
      const atMs = (hour * 60 + minute + 0.5) * MINUTE
      return all.reduce((sum, { fromMs, toMs, units }) => sum + (fromMs < atMs && atMs < toMs ? units : 0), 0)
    })
    return {
      hourMs: hour * HOUR_MS,
      peak: Math.max(...inUse),
      mean: inUse.reduce((sum, used) => sum + used, 0) / 60,
    }
  })
}

describe('use by the hour', () => {
  it('is what a count of every minute says', () => {
    fc.assert(
      fc.property(fc.array(taken, { maxLength: 20 }), (all) => {
        const swept = hourlyUse(all, 0, HOURS * HOUR_MS)
        const counted = naively(all)
        expect(swept.map(({ hourMs, peak }) => ({ hourMs, peak }))).toEqual(
          counted.map(({ hourMs, peak }) => ({ hourMs, peak })),
        )
        for (const [i, { mean }] of swept.entries()) expect(mean).toBeCloseTo(counted[i]?.mean ?? NaN, 9)
      }),
    )
  })

  it('of one after the other only one is in use at a time, also over the end of an hour', () => {
    const each = [0, 60, 120].map((begin) => ({ fromMs: begin * MINUTE, toMs: (begin + 60) * MINUTE, units: 3 }))
    expect(hourlyUse(each, 0, 3 * HOUR_MS).map(({ peak, mean }) => [peak, mean])).toEqual([
      [3, 3],
      [3, 3],
      [3, 3],
    ])
  })
})
