import { groupsOf } from './groups'

it('what is alike stands together, the fewest first, and in the order in which it came', () => {
  const groups = groupsOf(['a1', 'b1', 'c1', 'a2', 'b2', 'a3', 'd1'], (one) => one.slice(0, 1))
  expect(groups.map(({ key, all }) => [key, ...all])).toEqual([
    ['c', 'c1'],
    ['d', 'd1'],
    ['b', 'b1', 'b2'],
    ['a', 'a1', 'a2', 'a3'],
  ])
  expect(groupsOf([], String)).toEqual([])
})
