import fc from 'fast-check'
import { filePathSchema, fitsName, neverCounts, splitPath } from './file-name'

it.each([
  ['/in/till-*.csv', { folder: '/in', name: 'till-*.csv' }],
  ['/x', { folder: '/', name: 'x' }],
  ['/a/b c/ü?.txt', { folder: '/a/b c', name: 'ü?.txt' }],
])('%s is %j', (path, parts) => {
  expect(splitPath(path)).toEqual(parts)
  expect(filePathSchema.safeParse(path).success).toBe(true)
})

it.each([
  'in/x',
  '',
  '/',
  '/in/',
  '/in/..',
  '/i*/x',
  '/in/a\nb',
  '/in/a\0b',
  `/${'x'.repeat(256)}`,
  `/${'y/'.repeat(600)}x`,
])('refuses %j as a path', (path) => expect(filePathSchema.safeParse(path).success).toBe(false))

it('names fit as an expression made of the pattern says', () => {
  const part = fc.constantFrom('a', 'b', '.', '*', '?', '**', 'é', '😀')
  const pattern = fc.array(part, { maxLength: 7 }).map((parts) => parts.join(''))
  const name = fc.array(fc.constantFrom('a', 'b', '.', 'é', '😀'), { maxLength: 8 }).map((parts) => parts.join(''))
  fc.assert(
    fc.property(pattern, name, (wanted, is) => {
      const naive = [...wanted].map((c) => (c === '*' ? '.*' : c === '?' ? '.' : c === '.' ? '\\.' : c)).join('')
      expect(fitsName(wanted, is)).toBe(new RegExp(`^${naive}$`, 'su').test(is))
    }),
    { numRuns: 2000 },
  )
})

it('a pattern of many stars is answered at once', () => {
  expect(fitsName('*a'.repeat(120), 'b'.repeat(255))).toBe(false)
})

it.each([
  ['till.csv', false],
  ['till.csv.part', true],
  ['till.TMP', true],
  ['.till.csv', true],
  ['part', false],
  ['till.parts', false],
])('%s never counts: %s', (name, never) => expect(neverCounts(name)).toBe(never))
