/** What stands in the place of a character that cannot be kept (Unicode 15, section 5.22). */
const REPLACEMENT = '\uFFFD'

/**
 * Text as PostgreSQL and JSON can keep it: NUL (which `text` and `jsonb` refuse) and lone surrogates (which UTF-8 has no form for) become U+FFFD. Everything that comes from outside
 * passes here once, at the edge.
 */
export function storableText(text: string): string {
  return text.replace(/[\0\p{Cs}]/gu, REPLACEMENT)
}

/** Whether `storableText` would change it. */
export const isStorable = (text: string): boolean => !/[\0\p{Cs}]/u.test(text)

/** At most `most` UTF-16 units of it, never half a character. */
export function clipText(text: string, most: number): string {
  if (text.length <= most) return text
  const end = most > 0 && /[\uD800-\uDBFF]/.test(text[most - 1] ?? '') ? most - 1 : most
  return text.slice(0, end)
}

/** Characters that turn the direction of what follows, or are not seen at all (Unicode 15, UAX #9): with them a name or a line could read as something else than it is. */
export const HIDDEN = /[\u061C\u200B-\u200F\u202A-\u202E\u2060-\u2064\u2066-\u2069\uFEFF]/g

/** Text from outside with such characters shown by their numbers. */
export const visible = (text: string): string =>
  text.replace(HIDDEN, (char) => `⟨U+${(char.codePointAt(0) ?? 0).toString(16).toUpperCase().padStart(4, '0')}⟩`)
