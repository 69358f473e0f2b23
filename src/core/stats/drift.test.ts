import fc from 'fast-check'
import { driftOf, type Measured } from './drift'
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
})
