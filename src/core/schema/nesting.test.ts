import { isTooDeep, MOST_NESTED } from './nesting'

const nested = (depth: number): unknown => JSON.parse(`${'{"a":['.repeat(depth / 2)}${']}'.repeat(depth / 2)}`)

it('so deep is not too deep, and one more is, wherever it lies', () => {
  expect(
    [nested(MOST_NESTED), [nested(MOST_NESTED)], { a: 1, b: [nested(MOST_NESTED)] }].map((it) => isTooDeep(it)),
  ).toEqual([false, true, true])
  expect([null, 'x', 3, {}, []].map((it) => isTooDeep(it))).toEqual([false, false, false, false, false])
})

it('is said of what nothing else can walk', () => {
  const deep = nested(400_000)
  expect(() => JSON.stringify(deep)).toThrow(RangeError)
  expect(isTooDeep(deep)).toBe(true)
})
