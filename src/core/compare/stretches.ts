import type { Part } from './lines'
import { compareWords, type Piece } from './words'

/** So many lines that differ are told, and so many that are the same. */
const MOST_DIFFERENT = 4000
const MOST_SAME = 20_000

/** A line of the comparison, by its number from 1 in each text; with its words where they were replaced by others. */
export interface ComparedLine {
  readonly a: number | null
  readonly b: number | null
  readonly text: string
  readonly pieces?: readonly Piece[]
}

/** What is the same and further away from anything that differs is folded: `lines` is empty, and so many are left out. */
export interface ComparedStretch {
  readonly kind: 'same' | 'taken away' | 'put in' | 'folded'
  readonly lines: readonly ComparedLine[]
  readonly folded: number
}

export interface Told {
  readonly stretches: readonly ComparedStretch[]
  /** Lines of the first text alone, and of the second alone; also those that are not told. */
  readonly takenAway: number
  readonly putIn: number
  /** More differs than is told. */
  readonly isCut: boolean
}

/**
 * What is told of two texts: what differs, and so many lines that are the same around it.
 *
 * @param a their lines, as they are shown
 * @param parts what became of them, of lines that may have been masked
 */
export function tellParts(a: readonly string[], b: readonly string[], parts: readonly Part[], around: number): Told {
  const stretches: ComparedStretch[] = []
  const push = (kind: ComparedStretch['kind'], lines: readonly ComparedLine[], folded = 0): void => {
    if (lines.length + folded > 0) stretches.push({ kind, lines, folded })
  }
  let [takenAway, putIn, different, same] = [0, 0, 0, 0]
  for (const [i, part] of parts.entries()) {
    const [countA, countB] = [lengthOf(part.a), lengthOf(part.b)]
    if (part.same) {
      const reach = different >= MOST_DIFFERENT ? 0 : Math.min(around, Math.floor((MOST_SAME - same) / 2))
      // At the edge of the whole there is nothing before, or behind.
      const before = i === 0 ? 0 : Math.min(reach, countA)
      const behind = i === parts.length - 1 ? 0 : Math.min(reach, countA - before)
      same += before + behind
      const line = (n: number): ComparedLine => ({
        ...numbered('a', part, n),
        b: part.b[0] + n + 1,
        text: b[part.b[0] + n] as string,
      })
      push('same', range(0, before, line))
      push('folded', [], countA - before - behind)
      push('same', range(countA - behind, countA, line))
      continue
    }
    takenAway += countA
    putIn += countB
    const shownA = Math.min(countA, MOST_DIFFERENT - different)
    const shownB = Math.min(countB, MOST_DIFFERENT - different - shownA)
    different += shownA + shownB
    const words = range(0, Math.min(shownA, shownB), (n) =>
      compareWords(a[part.a[0] + n] as string, b[part.b[0] + n] as string),
    )
    const side = (which: 'a' | 'b') => (n: number) => ({
      ...numbered(which, part, n),
      text: (which === 'a' ? a : b)[part[which][0] + n] as string,
      ...(words[n] ? { pieces: words[n][which] } : {}),
    })
    push('taken away', range(0, shownA, side('a')))
    push('put in', range(0, shownB, side('b')))
  }
  return { stretches, takenAway, putIn, isCut: takenAway + putIn > different }
}

const lengthOf = ([from, to]: readonly [number, number]): number => to - from

const numbered = (which: 'a' | 'b', part: Part, n: number): { a: number | null; b: number | null } => ({
  a: null,
  b: null,
  [which]: part[which][0] + n + 1,
})

const range = <T>(from: number, to: number, of: (n: number) => T): T[] =>
  Array.from({ length: Math.max(0, to - from) }, (_, i) => of(from + i))
