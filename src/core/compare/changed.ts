import { clipText } from '../schema/plain-text'
import { compareLines } from './lines'
import { tellParts } from './stretches'

/** So many of the lines that changed are told, and so much of each. */
const MOST_TOLD = 6
const MOST_CHARACTERS = 300

/** A line that is there no more, or that was not there before. */
interface ChangedLine {
  readonly is: 'taken away' | 'put in'
  readonly text: string
}

/** How an output differs from the one before. */
export interface OutputChange {
  /** Lines that only the one before has, and lines that only this one has. */
  readonly takenAway: number
  readonly putIn: number
  /** The first of them, in order. */
  readonly lines: readonly ChangedLine[]
}

/**
 * What is different in an output, by what of its lines counts; null: nothing.
 *
 * @param mask see `masking`
 */
export function changeOfOutput(
  before: readonly string[],
  now: readonly string[],
  mask: (line: string) => string,
): OutputChange | null {
  const { stretches, takenAway, putIn } = tellParts(before, now, compareLines(before.map(mask), now.map(mask)), 0)
  if (takenAway + putIn === 0) return null
  const lines = stretches.flatMap(({ kind, lines }) =>
    kind === 'taken away' || kind === 'put in'
      ? lines.map(({ text }): ChangedLine => ({ is: kind, text: clipText(text, MOST_CHARACTERS) }))
      : [],
  )
  return { takenAway, putIn, lines: lines.slice(0, MOST_TOLD) }
}

const counted = (n: number, what: string): string => `${n.toLocaleString('en')} ${what}${n === 1 ? '' : 's'}`

/** How many lines were taken away, and how many put in. */
export const changeCounts = ({ takenAway, putIn }: OutputChange): string =>
  [
    ...(takenAway > 0 ? [`${counted(takenAway, 'line')} taken away`] : []),
    ...(putIn > 0 ? [`${counted(putIn, 'line')} put in`] : []),
  ].join(', ')

const SIGNS = { 'taken away': '−', 'put in': '+' } as const
export const lineWords = ({ is, text }: ChangedLine): string => `${SIGNS[is]} ${text}`

/** In a sentence, for letters and matters; the first changed lines stand behind it. */
export const changeWords = (change: OutputChange, before: number): string =>
  [`Against #${before}: ${changeCounts(change)}.`, ...change.lines.map(lineWords)].join('\n')
