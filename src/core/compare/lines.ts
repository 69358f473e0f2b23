import { diffArrays } from 'diff'

/** A stretch of two texts, by line numbers from 0, each from the first up to and without the second. `same`: line by line; else one stands in place of the other, and either may be empty. */
export interface Part {
  readonly same: boolean
  readonly a: Range
  readonly b: Range
}
type Range = readonly [from: number, to: number]
/** The lines of both as numbers. */
type Texts = readonly [x: Int32Array, y: Int32Array]

/** What the package may take for a stretch, in lines times differences; beyond it the stretch is told as one that was replaced. */
const MOST_WORK = 4_000_000
const LEAST_EDITS = 12

/**
 * What became of the lines of a text: stretches that are the same and stretches that differ, in order, covering both whole. Lines that stand once in both are the first to be matched, as far as they
 * stand in the same order; between them the shortest difference is looked for (Myers, 1986, by the package `diff`), and where that would take too long the whole stretch counts as replaced. So
 * 200,000 lines take seconds whatever stands in them.
 */
export function compareLines(a: readonly string[], b: readonly string[]): Part[] {
  const parts: Part[] = []
  const add: Add = (same, [fromA, toA], [fromB, toB]) => {
    if (fromA === toA && fromB === toB) return
    const last = parts.at(-1)
    if (last?.same === same) parts[parts.length - 1] = { same, a: [last.a[0], toA], b: [last.b[0], toB] }
    else parts.push({ same, a: [fromA, toA], b: [fromB, toB] })
  }
  between(numbered(a, b), [0, a.length], [0, b.length], add)
  return parts
}

type Add = (same: boolean, a: Range, b: Range) => void

/** Each different line as a number of its own: numbers are compared at once, however long the lines. */
function numbered(a: readonly string[], b: readonly string[]): Texts {
  const known = new Map<string, number>()
  const numberOf = (line: string): number => {
    const number = known.get(line) ?? known.size
    if (number === known.size) known.set(line, number)
    return number
  }
  return [Int32Array.from(a, numberOf), Int32Array.from(b, numberOf)]
}

function between(texts: Texts, [fromA, toA]: Range, [fromB, toB]: Range, add: Add): void {
  const [x, y] = texts
  let [i, j] = [fromA, fromB]
  while (i < toA && j < toB && x[i] === y[j]) [i, j] = [i + 1, j + 1]
  add(true, [fromA, i], [fromB, j])
  let [endA, endB] = [toA, toB]
  while (endA > i && endB > j && x[endA - 1] === y[endB - 1]) [endA, endB] = [endA - 1, endB - 1]
  // Between anchors there is mostly nothing, or nothing on one side.
  const anchors = i === endA || j === endB ? [] : anchorsOf(texts, [i, endA], [j, endB])
  if (anchors.length === 0) shortest(texts, [i, endA], [j, endB], add)
  else {
    for (const [atA, atB] of anchors) {
      between(texts, [i, atA], [j, atB], add)
      ;[i, j] = [atA + 1, atB + 1]
      add(true, [atA, i], [atB, j])
    }
    between(texts, [i, endA], [j, endB], add)
  }
  add(true, [endA, toA], [endB, toB])
}

/** Pairs of lines that stand once in each stretch: the most of them that keep their order (patience: the longest ascending sequence). */
function anchorsOf([x, y]: Texts, [fromA, toA]: Range, [fromB, toB]: Range): (readonly [number, number])[] {
  const seen = new Map<number, { readonly a: number; b: number; isOnce: boolean }>()
  for (let i = fromA; i < toA; i++) {
    const one = seen.get(x[i] as number)
    if (one) one.isOnce = false
    else seen.set(x[i] as number, { a: i, b: -1, isOnce: true })
  }
  for (let j = fromB; j < toB; j++) {
    const one = seen.get(y[j] as number)
    if (!one) continue
    if (one.b >= 0) one.isOnce = false
    one.b = j
  }
  const pairs: (readonly [number, number])[] = []
  for (const { a, b, isOnce } of seen.values()) if (isOnce && b >= 0) pairs.push([a, b])
  // They come in the order of the first text. Of each length of sequence the one that ends earliest in the second.
  const ends: number[] = []
  const before = new Int32Array(pairs.length)
  for (const [p, [, b]] of pairs.entries()) {
    let [low, high] = [0, ends.length]
    while (low < high) {
      const middle = (low + high) >> 1
      if ((pairs[ends[middle] as number] as readonly [number, number])[1] < b) low = middle + 1
      else high = middle
    }
    before[p] = low === 0 ? -1 : (ends[low - 1] as number)
    ends[low] = p
  }
  const found: (readonly [number, number])[] = []
  for (let p = ends.at(-1) ?? -1; p >= 0; p = before[p] as number) found.push(pairs[p] as readonly [number, number])
  return found.reverse()
}

function shortest([x, y]: Texts, a: Range, b: Range, add: Add): void {
  let [i, j] = [a[0], b[0]]
  if (i === a[1] || j === b[1]) return add(false, a, b)
  const changes = diffArrays([...x.subarray(...a)], [...y.subarray(...b)], {
    maxEditLength: Math.max(LEAST_EDITS, Math.floor(MOST_WORK / (a[1] - i + b[1] - j))),
  }) as { count: number; added: boolean; removed: boolean }[] | undefined
  if (!changes) return add(false, a, b)
  for (const { count, added, removed } of changes) {
    const [nextA, nextB] = [added ? i : i + count, removed ? j : j + count]
    add(!added && !removed, [i, nextA], [j, nextB])
    ;[i, j] = [nextA, nextB]
  }
}
