import fc from 'fast-check'
import { driftOf, type Measured } from './drift'
import { driftNaively } from './naive.test-help'
import { seededRandom } from './random'

const DAY = 86_400
/** Daily lengths of about 600 that grow by a share each day, with noise, and some outliers. */
function nights(count: number, growth: number, seed: number, outliers = 0): Measured[] {
  const random = seededRandom(seed)
  return Array.from({ length: count }, (_, day) => {
    const noise = 1 + (random() - 0.5) * 0.3
    const isOut = random() < outliers
    return { at: day * DAY, length: 600 * (1 + growth * day) * noise * (isOut ? 8 : 1) }
  })
}

describe('drift of durations', () => {
  it('finds what becomes slower, and by how much, whatever outliers there are', () => {
    for (let seed = 0; seed < 30; seed++) {
      const drift = driftOf(nights(56, 0.01, seed, 0.08))
      expect(drift?.change).toBeGreaterThan(0.3)
      expect(drift?.change).toBeLessThan(0.8)
      expect(drift).toMatchObject({ count: 56, span: 55 * DAY })
    }
    expect(driftOf(nights(56, -0.01, 1))?.change).toBeLessThan(-0.3)
  })

  it('seldom sees a trend where there is none', () => {
    let seen = 0
    for (let seed = 0; seed < 400; seed++) if (driftOf(nights(40, 0, seed, 0.1))) seen++
    expect(seen).toBeLessThan(400 * 0.02)
  })

  it('says nothing of few measurements, of equal ones, of a small change, or of one instant', () => {
    expect(driftOf(nights(11, 0.1, 1))).toBeNull()
    expect(driftOf(Array.from({ length: 40 }, (_, at) => ({ at, length: 5 })))).toBeNull()
    expect(driftOf(Array.from({ length: 40 }, (_, at) => ({ at, length: 1000 + at })))).toBeNull()
    expect(driftOf(Array.from({ length: 40 }, (_, i) => ({ at: 1, length: i })))).toBeNull()
  })

  it('does not depend on the order, the units, or the instant from which it is counted', () => {
    fc.assert(
      fc.property(fc.integer(), fc.integer({ min: 1, max: 1000 }), fc.nat(1e9), (seed, unit, from) => {
        const all = nights(30, 0.02, seed)
        const other = all.map(({ at, length }) => ({ at: at + from, length: length * unit })).reverse()
        expect(driftOf(other)?.change).toBeCloseTo(driftOf(all)?.change ?? Number.NaN, 6)
      }),
      { numRuns: 50 },
    )
  })

  it('is what its definition says, with ties, gaps and measurements of one instant', () => {
    let found = 0
    const series = fc
      .record({
        n: fc.integer({ min: 12, max: 17 }),
        noise: fc.array(fc.nat(8), { minLength: 17, maxLength: 17 }),
        gaps: fc.array(fc.nat(3), { minLength: 17, maxLength: 17 }),
        step: fc.integer({ min: -3, max: 3 }),
        base: fc.integer({ min: -10, max: 60 }),
      })
      .map(({ n, noise, gaps, step, base }) => {
        let at = 0
        return Array.from({ length: n }, (_, i): Measured => {
          at += gaps[i] as number
          return { at, length: base + Math.round((step * i) / 3) + (noise[i] as number) }
        })
      })
    fc.assert(
      fc.property(series, (measured) => {
        const { z, drift } = driftNaively(measured)
        // What lies on the very edge is decided by rounding.
        fc.pre(Number.isNaN(z) || Math.abs(z - 2.5758) > 1e-9)
        const told = driftOf(measured)
        expect(told === null).toBe(drift === null)
        if (!told || !drift) return
        found++
        expect(told.change).toBeCloseTo(drift.change, 9)
        expect(told).toMatchObject({ span: drift.span, count: drift.count })
      }),
      { numRuns: 1000 },
    )
    expect(found).toBeGreaterThan(200)
  })

  it('begins at twelve measurements and at fifteen in a hundred', () => {
    const line = (n: number, last: number): Measured[] =>
      Array.from({ length: n }, (_, at) => ({ at, length: 100 + ((last - 100) * at) / (n - 1) }))
    expect(driftOf(line(11, 200))).toBeNull()
    expect(driftOf(line(12, 200))?.change).toBeCloseTo(1)
    expect(driftOf(line(12, 114))).toBeNull()
    expect(driftOf(line(12, 116))?.change).toBeCloseTo(0.16)
  })
})
