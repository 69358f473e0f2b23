import { lineTrouble, quantileOf, type LineHealth } from './line-health'

const line = (change: Partial<LineHealth> = {}): LineHealth => ({
  p50: 2,
  p95: 9,
  reconnects: 0,
  unstored: 3,
  clockMs: -40,
  ...change,
})

it.each<[Partial<LineHealth>, RegExp | null]>([
  [{}, null],
  [{ p95: 500, reconnects: 4, unstored: 500, clockMs: 60_000 }, null],
  [{ p95: null, p50: null }, null],
  [{ p95: 740.4 }, /^Round trips take up to 740 ms: look at the network/],
  [{ reconnects: 5, p95: 900 }, /^The line broke 5 times within an hour: look at the network, and at proxies/],
  [{ unstored: 501 }, /^501 reports are not stored yet: look at the engine and the database/],
  [{ clockMs: 90_000 }, /^Its clock is 90 s slow: look at its time service/],
  [{ clockMs: -61_000 }, /^Its clock is 61 s fast/],
])('of %j is said %s', (change, words) => {
  const said = lineTrouble(line(change))
  if (words === null) expect(said).toBeNull()
  else expect(said).toMatch(words)
})

it('quantiles are values that are there: half of all at or below the median, all at or below the last', () => {
  expect([0, 0.5, 0.95, 1].map((share) => quantileOf([5, 1, 4, 2, 3], share))).toEqual([1, 3, 5, 5])
  expect(quantileOf([2, 1], 0.5)).toBe(1)
  expect(quantileOf([], 0.5)).toBeNull()
})
