import type { Cursor, PhraseFault } from './cursor'
import type { NamedCalendar } from './names'
import type { Token } from './tokens'
import { editDistance, VOCABULARY } from './words'

/** The fault of what stands at the cursor, with the nearest thing that would be understood. `expected`: a sentence for where nothing is near. */
export function notUnderstood(cursor: Cursor, calendars: readonly NamedCalendar[], expected?: string): PhraseFault {
  // Little words that lead up to something are fine: the word after them is what is pointed at.
  let ahead = 0
  while (LEADING.has(cursor.peek(ahead)?.text ?? '')) ahead++
  const token = cursor.peek(ahead) ?? cursor.peek()
  if (!token) return cursor.fault(expected ?? 'Something is missing at the end.')
  const known = SUGGESTIONS.find(([pattern]) => pattern.test(token.text))?.[1]
  const near = token.kind === 'word' && !known ? nearest(token, calendars) : undefined
  const hint = known ?? (near ? `Did you mean “${near}”?` : (expected ?? HINT))
  return cursor.fault(
    `“${cursor.text.slice(token.at, token.at + token.length)}” is not understood here. ${hint}`,
    token,
  )
}

function nearest(token: Token, calendars: readonly NamedCalendar[]): string | undefined {
  const names = calendars.flatMap(({ id, title }) => [id, ...(title ? [title] : [])])
  const candidates = [...VOCABULARY, ...names]
    .map((word) => ({ word, distance: editDistance(token.text, word.toLowerCase()) }))
    .filter(({ distance }) => distance > 0 && distance <= Math.max(1, Math.floor(token.text.length / 3)))
    .sort(
      (a, b) =>
        a.distance - b.distance || Math.abs(a.word.length - token.length) - Math.abs(b.word.length - token.length),
    )
  return candidates[0]?.word
}

const SUGGESTIONS: readonly (readonly [RegExp, string])[] = [
  [
    /^(end|month|quarter|year)$/,
    'Say for example “the last day of the month” or “the last working day of the quarter”.',
  ],
  [/^(holidays?|bank|public)$/, 'Say for example “public holidays of GB”, or name a calendar.'],
  [/^(start|beginning)$/, 'Say for example “the first day of the month” or “the first working day of the quarter”.'],
  [/^(bi|biweekly|bimonthly)$/, 'Say “every 2 weeks” or “twice a week on named days”: the word has two meanings.'],
  [/^(first|last|second|third|\d+(st|nd|rd|th)|the)$/, 'Of what? Say for example “the first Monday of the month”.'],
]

const HINT =
  'Days (“on weekdays”, “the last day of the month”), times (“at 17:00”, “every 15 minutes”) and “except …” would be.'
const LEADING = new Set(['on', 'the', 'every', 'each', 'in', 'of', 'and', 'at', 'from', 'or', 'to'])
