import fc from 'fast-check'
import { compareLines, type Part } from './lines'
import { compareWords } from './words'

/** All lines of both, in order, and what is the same is equal. */
function expectWhole(a: readonly string[], b: readonly string[], parts: readonly Part[]): void {
  let [i, j] = [0, 0]
  let last: boolean | null = null
  for (const part of parts) {
    expect([part.a[0], part.b[0]]).toEqual([i, j])
    expect(part.same).not.toBe(last)
    expect(part.a[1] - part.a[0] + part.b[1] - part.b[0]).toBeGreaterThan(0)
    if (part.same) expect(a.slice(...part.a)).toEqual(b.slice(...part.b))
    ;[i, j, last] = [part.a[1], part.b[1], part.same]
  }
  expect([i, j]).toEqual([a.length, b.length])
}

/** The most lines that two texts have in common in order: the plain table (Wagner and Fischer, 1974). */
function mostCommon(a: readonly string[], b: readonly string[]): number {
  let row = new Array<number>(b.length + 1).fill(0)
  for (const x of a) {
    const next = [0]
    for (const [j, y] of b.entries())
      next.push(x === y ? (row[j] as number) + 1 : Math.max(row[j + 1] as number, next[j] as number))
    row = next
  }
  return row.at(-1) as number
}
const kept = (parts: readonly Part[]): number => parts.reduce((sum, { same, a }) => (same ? sum + a[1] - a[0] : sum), 0)

describe('comparing lines', () => {
  it('tells what was taken away, put in and replaced', () => {
    const parts = compareLines(['a', 'b', 'c', 'd', 'e'], ['a', 'x', 'c', 'e', 'f'])
    expect(parts).toEqual([
      { same: true, a: [0, 1], b: [0, 1] },
      { same: false, a: [1, 2], b: [1, 2] },
      { same: true, a: [2, 3], b: [2, 3] },
      { same: false, a: [3, 4], b: [3, 3] },
      { same: true, a: [4, 5], b: [3, 4] },
      { same: false, a: [5, 5], b: [4, 5] },
    ])
  })

  const few = fc.array(fc.constantFrom('a', 'b', 'c', 'd'), { maxLength: 25 })
  it('covers both texts whole, whatever stands in them', () => {
    fc.assert(
      fc.property(few, few, (a, b) => expectWhole(a, b, compareLines(a, b))),
      { numRuns: 500 },
    )
  })

  it('where no line stands once in both, no more is told as different than must be', () => {
    const twice = few.map((lines) => lines.flatMap((line) => [line, line]))
    fc.assert(
      fc.property(twice, twice, (a, b) => expect(kept(compareLines(a, b))).toBe(mostCommon(a, b))),
      { numRuns: 300 },
    )
  })

  it('a line that stands once in both stays where it is, and what was moved is told', () => {
    const a = ['begin', '', 'one', '', 'two', '', 'end']
    const b = ['begin', '', 'two', '', 'one', '', 'end']
    const parts = compareLines(a, b)
    expectWhole(a, b, parts)
    expect(kept(parts)).toBe(mostCommon(a, b))
  })

  it('comes to an end where nothing is the same and nothing stands once', () => {
    const a = Array.from({ length: 20_000 }, (_, i) => `a${i % 50}`)
    const b = Array.from({ length: 20_000 }, (_, i) => `b${i % 50}`)
    expect(compareLines(a, b)).toEqual([{ same: false, a: [0, 20_000], b: [0, 20_000] }])
    // Too much to look for the shortest: told as replaced, and still whole.
    const c = a.map((line, i) => (i % 3 === 0 ? `c${i % 7}` : line))
    expectWhole(a, c, compareLines(a, c))
  })
})

describe('comparing words', () => {
  it('marks those that stand in one line alone', () => {
    expect(compareWords('port=4381 open', 'port=4382 open')).toEqual({
      a: [
        { text: 'port=', changed: false },
        { text: '4381', changed: true },
        { text: ' open', changed: false },
      ],
      b: [
        { text: 'port=', changed: false },
        { text: '4382', changed: true },
        { text: ' open', changed: false },
      ],
    })
  })

  it('says nothing of lines that have little in common, or are very long', () => {
    expect(compareWords('the tide is out', 'no berth free')).toBeNull()
    expect(compareWords('x'.repeat(2001), 'x')).toBeNull()
  })

  it('loses nothing of either', () => {
    fc.assert(
      fc.property(fc.string(), fc.string(), (a, b) => {
        const words = compareWords(a, b)
        if (!words) return
        expect(words.a.map(({ text }) => text).join('')).toBe(a)
        expect(words.b.map(({ text }) => text).join('')).toBe(b)
      }),
    )
  })
})
