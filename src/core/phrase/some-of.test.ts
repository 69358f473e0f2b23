import { someOf } from './some-of'

describe('some of many names', () => {
  it.each([
    [[], 3, ''],
    [['a', 'b', 'c'], 3, 'a, b, c'],
    [['a', 'b', 'c', 'd', 'e'], 3, 'a, b, c and 2 more'],
    [['a', 'b'], 1, 'a and 1 more'],
  ])('%j, at most %i', (names, most, words) => {
    expect(someOf(names, most)).toBe(words)
  })
})
