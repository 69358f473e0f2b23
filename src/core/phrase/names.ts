import type { Cursor } from './cursor'

/** A calendar that phrases may name. */
export interface NamedCalendar {
  readonly id: string
  readonly title?: string | undefined
}

/** The country whose holidays are meant where none is named (ISO 3166). */
export interface Home {
  readonly country: string
  readonly region?: string | undefined
}

/** `GB` or `GB-SCT`, read. */
export function homeOf(text: string): Home {
  const [country = '', ...region] = text.split('-')
  return { country, ...(region.length > 0 ? { region: region.join('-') } : {}) }
}

export const WORKING_DAYS = 'working-days'

const wordsOf = (name: string): string[] => name.toLowerCase().match(/[\p{L}\p{M}\d'_]+/gu) ?? []

/** Reads the name of a calendar, its title or its id, quoted or not; the longest that fits. A following “days”, “day” or “calendar” belongs to it. */
export function readCalendarName(cursor: Cursor, calendars: readonly NamedCalendar[]): string | null {
  return cursor.attempt(() => {
    cursor.take('calendar')
    const quoted = cursor.peek()
    if (quoted?.kind === 'quoted') {
      cursor.next()
      const wanted = wordsOf(quoted.text).join(' ')
      const found =
        calendars.find(({ id }) => id === quoted.text) ??
        calendars.find(({ title }) => title === quoted.text) ??
        calendars.find(({ id, title }) => [id, title ?? id].some((name) => wordsOf(name).join(' ') === wanted))
      if (!found) throw cursor.fault(`There is no calendar “${quoted.text}”.`, quoted)
      cursor.take('day|days|calendar')
      return found.id
    }
    let best: { id: string; tokens: number } | null = null
    for (const { id, title } of calendars) {
      for (const name of [id, ...(title === undefined ? [] : [title])]) {
        const tokens = tokensMatched(cursor, wordsOf(name))
        if (tokens > 0 && tokens > (best?.tokens ?? 0)) best = { id, tokens }
      }
    }
    if (!best) return null
    for (let i = 0; i < best.tokens; i++) cursor.next()
    cursor.take('day|days|calendar')
    return best.id
  })
}

/** How many tokens from here on spell these words, hyphens between them passed over; 0 if they do not. The last word may be in the plural or the singular. */
function tokensMatched(cursor: Cursor, words: readonly string[]): number {
  let ahead = 0
  for (const [i, word] of words.entries()) {
    if (i > 0 && cursor.peek(ahead)?.text === '-') ahead++
    const text = cursor.peek(ahead)?.text
    const isLast = i === words.length - 1
    if (text === undefined || !(text === word || (isLast && (`${text}s` === word || text === `${word}s`)))) return 0
    ahead++
  }
  return ahead
}
