import fc from 'fast-check'
import { changeOfOutput, changeWords } from './changed'
import { masking, MASKS } from './masks'

const mask = masking(MASKS, [/row \d+/g])

it('what does not count is no change; what does is told with its first lines', () => {
  const before = ['02:00:01 began', 'row 7', 'mtu = 1500', 'done in 3 s']
  expect(changeOfOutput(before, ['02:00:09 began', 'row 8', 'mtu = 1500', 'done in 4 s'], mask)).toBeNull()
  const change = changeOfOutput(before, ['02:00:09 began', 'row 8', 'mtu = 9000', 'proxy = on', 'done in 4 s'], mask)
  expect(change).toEqual({
    takenAway: 1,
    putIn: 2,
    lines: [
      { is: 'taken away', text: 'mtu = 1500' },
      { is: 'put in', text: 'mtu = 9000' },
      { is: 'put in', text: 'proxy = on' },
    ],
  })
  expect(change && changeWords(change, 1417)).toBe(
    'Against #1417: 1 line taken away, 2 lines put in.\n− mtu = 1500\n+ mtu = 9000\n+ proxy = on',
  )
})

it('of much that changed the first lines are told, none of them longer than can be read', () => {
  const change = changeOfOutput(
    [],
    Array.from({ length: 1000 }, (_, i) => `${i} ${'x'.repeat(1000)}`),
    mask,
  )
  expect(change).toMatchObject({ takenAway: 0, putIn: 1000 })
  expect(change?.lines.map(({ text }) => text.length)).toEqual([300, 300, 300, 300, 300, 300])
})

it('there is a change just where the lines that count are not the same', () => {
  const lines = fc.array(fc.constantFrom('a', 'b', 'row 1', 'row 2', '02:00:01', '03:00:01'), { maxLength: 8 })
  fc.assert(
    fc.property(lines, lines, (before, now) => {
      const counts = (all: readonly string[]): string => JSON.stringify(all.map(mask))
      expect(changeOfOutput(before, now, mask) === null).toBe(counts(before) === counts(now))
    }),
  )
})

it('a long line is cut between characters, never within one: what is told can be stored', () => {
  const change = changeOfOutput(['x'], [`${'y'.repeat(299)}🚢 and more`], mask)
  expect(change?.lines[1]?.text).toBe('y'.repeat(299))
})
