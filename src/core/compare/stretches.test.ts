import { compareLines } from './lines'
import { tellParts, type Told } from './stretches'

const tell = (a: readonly string[], b: readonly string[], around = 3): Told =>
  tellParts(a, b, compareLines(a, b), around)
const numbers = (count: number, of = ''): string[] => Array.from({ length: count }, (_, i) => `${of}${i}`)
const shape = ({ stretches }: Told): string[] =>
  stretches.map(({ kind, lines, folded }) => `${kind} ${kind === 'folded' ? folded : lines.length}`)

it('of what is the same only what stands beside a difference is told', () => {
  const a = numbers(30)
  const b = a.map((line) => (line === '10' ? 'x' : line))
  expect(shape(tell(a, b))).toEqual(['folded 7', 'same 3', 'taken away 1', 'put in 1', 'same 3', 'folded 16'])
  expect(shape(tell(a, b, 0))).toEqual(['folded 10', 'taken away 1', 'put in 1', 'folded 19'])
  expect(shape(tell(a, b, 100))).toEqual(['same 10', 'taken away 1', 'put in 1', 'same 19'])
})

it('lines have the number that they have in each text', () => {
  const { stretches } = tell(['a', 'b', 'c'], ['b', 'x', 'c'])
  expect(stretches.flatMap(({ lines }) => lines.map(({ a, b, text }) => [a, b, text]))).toEqual([
    [1, null, 'a'],
    [2, 1, 'b'],
    [null, 2, 'x'],
    [3, 3, 'c'],
  ])
})

it('all that differs is counted, and only so much of it told; behind that nothing of what is the same', () => {
  const same = numbers(10, 'same ')
  const told = tell([...numbers(2500, 'a'), ...same, 'p'], [...numbers(2500, 'b'), ...same, 'q'])
  expect([told.takenAway, told.putIn, told.isCut]).toEqual([2501, 2501, true])
  expect(shape(told)).toEqual(['taken away 2500', 'put in 1500', 'folded 10'])
  expect(tell(['a'], ['b']).isCut).toBe(false)
})
