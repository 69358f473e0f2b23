import fc from 'fast-check'
import { firings, type MeasureLimit, type MeasureValue } from './measure'

const minutely = (...values: number[]): MeasureValue[] => values.map((value, i) => ({ atMs: i * 60_000, value }))
const firedAt = (limit: MeasureLimit, values: MeasureValue[], armed = true): number[] =>
  firings(limit, values, armed).map(({ atMs }) => atMs / 60_000)

describe('memory above 90, three times, clear below 80', () => {
  const limit = { above: 90, times: 3, clear: 80 }
  it.each<[string, number[], number[]]>([
    ['not at the limit itself', [90, 90, 90, 90], []],
    ['at the third in a row', [91, 92, 93], [2]],
    ['not again while it stays', [91, 92, 93, 94, 95, 96], [2]],
    ['not again after a dip above clear', [91, 92, 93, 85, 91, 92, 93], [2]],
    ['not again after a dip to clear itself', [91, 92, 93, 80, 91, 92, 93], [2]],
    ['again after a dip below it', [91, 92, 93, 79, 91, 92, 93], [2, 6]],
    ['a row that is broken begins anew', [91, 92, 89, 91, 92, 91], [5]],
  ])('%s', (_, values, expected) => expect(firedAt(limit, minutely(...values))).toEqual(expected))

  it('a gap of more than three usual distances begins the row anew', () => {
    const steady = minutely(50, 50, 91, 92)
    const after = (minutes: number): MeasureValue[] => [...steady, { atMs: 180_000 + minutes * 60_000, value: 93 }]
    expect(firings(limit, after(3))).toHaveLength(1)
    expect(firings(limit, after(3.1))).toHaveLength(0)
  })

  it('that fired before waits for a value that clears it', () => {
    expect(firedAt(limit, minutely(91, 92, 93), false)).toEqual([])
    expect(firedAt(limit, minutely(79, 91, 92, 93), false)).toEqual([3])
  })
})

it('without clear whatever is not beyond the limit clears it; below works the other way round', () => {
  expect(firedAt({ above: 5, times: 1 }, minutely(6, 6, 5, 6))).toEqual([0, 3])
  expect(firedAt({ below: 5, times: 2, clear: 8 }, minutely(4, 4, 7, 4, 4, 9, 4, 4))).toEqual([1, 7])
})

it('fires where looking at each value with all before it, from the words of the rule, says so', () => {
  const value = fc.integer({ min: 0, max: 10 })
  const steps = fc.array(fc.record({ value, step: fc.constantFrom(1, 1, 1, 2, 9) }), { maxLength: 40 })
  const limit = fc.record({
    above: fc.integer({ min: 3, max: 8 }),
    times: fc.integer({ min: 1, max: 4 }),
    clear: fc.option(fc.integer({ min: 1, max: 3 }), { nil: undefined }),
  })
  fc.assert(
    fc.property(steps, limit, (all, rule) => {
      let at = 0
      const values = all.map((one) => ({ atMs: (at += one.step * 1000), value: one.value }))
      /** Whether the values up to the k-th, with no gap between them, were usual: each distance beside the median of those before that were no gaps. */
      const isGap: boolean[] = []
      const usual: number[] = []
      values.forEach((each, i) => {
        const distance = i === 0 ? 0 : each.atMs - (values[i - 1]?.atMs ?? 0)
        const last = usual.slice(-20).sort((a, b) => a - b)
        const middle =
          last.length === 0 ? Infinity : ((last[(last.length - 1) >> 1] ?? 0) + (last[last.length >> 1] ?? 0)) / 2
        isGap[i] = i > 0 && distance > 3 * middle
        if (i > 0 && !isGap[i]) usual.push(distance)
      })
      const completes = (k: number): boolean =>
        k + 1 >= rule.times &&
        Array.from({ length: rule.times }, (_, n) => k - n).every(
          (i, n) => (values[i]?.value ?? 0) > rule.above && (n === rule.times - 1 || !isGap[i]),
        )
      const expected: number[] = []
      let last = -1
      values.forEach((_, k) => {
        const clears = values
          .slice(last + 1, k + 1)
          .some((one) => (rule.clear === undefined ? one.value <= rule.above : one.value < rule.clear))
        if (completes(k) && (last < 0 || clears)) {
          expected.push(values[k]?.atMs ?? 0)
          last = k
        }
      })
      expect(firings(rule, values).map(({ atMs }) => atMs)).toEqual(expected)
    }),
    { numRuns: 500 },
  )
})
