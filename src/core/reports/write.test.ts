import { isRight, written } from './write'

const HERE = { zone: 'Europe/Oslo', currency: 'NOK' }

it.each([
  ['count', 18_204, '18,204'],
  ['decimal', 2.04, '2.0'],
  ['hours', 1912.25, '1,912.3 h'],
  ['share', 0.9411, '94.1 %'],
  ['money', -2848.5, '-NOK 2,848.50'],
  ['ms', 41_000, '0:41'],
  ['ms', 4_080_000, '1 h 08 min'],
  ['ms', -90_000, '−1:30'],
  ['ms', 76 * 3_600_000, '3 d 4 h'],
  ['instant', Date.parse('2026-10-25T00:30:00Z'), '2026-10-25 02:30'],
  ['day', '2026-11-30', 'Mon 30 Nov'],
  ['text', '=1+1', '=1+1'],
  ['count', null, ''],
  ['count', -0, '0'],
  ['count', Infinity, ''],
] as const)('%s %s is written %s', (unit, value, words) => {
  expect(written(unit, value, HERE).replace(/\u00a0/g, ' ')).toBe(words)
})

it('puts numbers to the right and words to the left', () => {
  expect([isRight('money'), isRight('instant'), isRight('text'), isRight('day')]).toEqual([true, true, false, false])
})
