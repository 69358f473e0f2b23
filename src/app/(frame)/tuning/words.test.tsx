import { hoursOf, margin } from './words'

it.each([
  [0, '0 h 00'],
  [3570, '1 h 00'],
  [3599, '1 h 00'],
  [7500, '2 h 05'],
  [86_399, '24 h 00'],
])('%d seconds read as %s', (seconds, words) => expect(hoursOf(seconds)).toBe(words))

it.each([
  [null, '—'],
  [1860, '+31 min'],
  [3590, '+1 h 00'],
  [-7500, '−2 h 05'],
])('a margin of %p seconds reads as %s', (seconds, words) => expect(margin(seconds)).toBe(words))
