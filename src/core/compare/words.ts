import { diffWordsWithSpace } from 'diff'

/** A piece of a line; `changed`: it stands in this line alone. */
export interface Piece {
  readonly text: string
  readonly changed: boolean
}

const MOST_LENGTH = 2000
/** Lines that have less than this share of their characters in common are two lines, not one that changed. */
const LEAST_COMMON = 0.4

/** Which words of a line were replaced by which of another; null: they have too little in common, or are too long, to say so. */
export function compareWords(a: string, b: string): { readonly a: Piece[]; readonly b: Piece[] } | null {
  if (a.length > MOST_LENGTH || b.length > MOST_LENGTH) return null
  const changes = diffWordsWithSpace(a, b)
  const common = changes.reduce(
    (sum, { added, removed, value }) => (added || removed ? sum : sum + value.trim().length),
    0,
  )
  if (common < LEAST_COMMON * Math.max(a.trim().length, b.trim().length)) return null
  const side = (skip: 'added' | 'removed', own: 'added' | 'removed'): Piece[] =>
    changes.flatMap((change) => (change[skip] ? [] : [{ text: change.value, changed: Boolean(change[own]) }]))
  return { a: side('added', 'removed'), b: side('removed', 'added') }
}
