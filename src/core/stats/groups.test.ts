import fc from 'fast-check'
import { differenceOf, type Grouped } from './groups'
import { differenceNaively } from './naive.test-help'
import { logNormal, seededRandom } from './random'

const of = (group: string, ...lengths: readonly number[]): Grouped[] => lengths.map((length) => ({ group, length }))
/** So many draws around a median. */
function drawn(seed: number, group: string, n: number, median: number, sigma = 0.2): Grouped[] {
  const random = seededRandom(seed)
  return Array.from({ length: n }, () => ({ group, length: logNormal(random, median, sigma) }))
}

describe('whether lengths differ by group', () => {
  it('agrees with the published example of the test, as far as its level goes', () => {
    // Three groups without any order among them, and the same three when their ranks are apart.
    expect(differenceOf([...of('a', 1, 5, 9, 12), ...of('b', 2, 6, 8, 11), ...of('c', 3, 4, 7, 10)])).toBe(0)
    const apart = [...of('a', 1, 2, 3, 4, 5, 6), ...of('b', 11, 12, 13, 14, 15, 16), ...of('c', 21, 22, 23, 24, 25, 26)]
    // H = 12 / (18 · 19) · (21² + 57² + 93²) / 6 − 3 · 19 = 15.16; of n − 1 = 17.
    expect(differenceOf(apart)).toBeCloseTo(15.158 / 17, 3)
  })

  it('finds a clear difference, also beside outliers', () => {
    const two = [...drawn(1, 'kelda', 40, 100), ...drawn(2, 'orrin', 40, 160)]
    expect(differenceOf(two)).toBeGreaterThan(0.5)
    expect(differenceOf([...two, ...of('kelda', 90_000, 90_000), ...of('orrin', 1, 1)])).toBeGreaterThan(0.3)
  })

  it('leaves alone what is certain but small, and what has no groups or no spread', () => {
    expect(differenceOf([...drawn(3, 'kelda', 400, 100, 0.01), ...drawn(4, 'orrin', 400, 110, 0.01)])).toBe(0)
    expect(differenceOf([])).toBe(0)
    expect(differenceOf(drawn(5, 'kelda', 40, 100))).toBe(0)
    expect(differenceOf([...of('a', 7, 7, 7, 7), ...of('b', 7, 7, 7, 7)])).toBe(0)
  })

  it('is a share, the same in any order and unit; of one distribution it is hardly ever found', () => {
    const lengths = fc.array(fc.tuple(fc.constantFrom('a', 'b', 'c'), fc.integer({ min: 1, max: 500 })), {
      maxLength: 60,
    })
    fc.assert(
      fc.property(lengths, fc.integer({ min: 2, max: 9 }), (all, times) => {
        const measured = all.map(([group, length]) => ({ group, length }))
        const share = differenceOf(measured)
        expect(share).toBeGreaterThanOrEqual(0)
        expect(share).toBeLessThanOrEqual(1 + 1e-9)
        expect(differenceOf([...measured].reverse())).toBeCloseTo(share, 9)
        expect(differenceOf(measured.map(({ group, length }) => ({ group, length: length * times })))).toBeCloseTo(
          share,
          9,
        )
      }),
    )
    const found = Array.from({ length: 300 }, (_, i) =>
      differenceOf([...drawn(1000 + i, 'a', 20, 100, 0.8), ...drawn(5000 + i, 'b', 20, 100, 0.8)]),
    ).filter((share) => share > 0)
    expect(found.length).toBeLessThanOrEqual(3)
  })

  it('is what its definition says, with ties and groups of any size', () => {
    let found = 0
    const measured = fc.array(
      fc.record({ group: fc.constantFrom('a', 'b', 'c', 'd'), length: fc.integer({ min: 1, max: 8 }) }),
      { minLength: 1, maxLength: 40, size: 'max' },
    )
    // How far apart the groups lie.
    fc.assert(
      fc.property(measured, fc.nat(6), (drawn, apart) => {
        const all = drawn.map(({ group, length }) => ({
          group,
          length: length + apart * (group.charCodeAt(0) - 'a'.charCodeAt(0)),
        }))
        const { z, share } = differenceNaively(all)
        fc.pre(Math.abs(z - 3.0902) > 1e-9)
        if (share > 0) found++
        expect(differenceOf(all)).toBeCloseTo(share, 9)
      }),
      { numRuns: 1000 },
    )
    expect(found).toBeGreaterThan(200)
  })
})
