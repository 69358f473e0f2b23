import { z } from 'zod'

/** What stands in the place of a character that cannot be kept (Unicode 15, section 5.22). */
export const REPLACEMENT = '\uFFFD'

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

/** A text of at most `most` units that is made storable as it is read. */
export const textSchema = (most: number): z.ZodString => z.string().max(most).overwrite(storableText)

/** As `textSchema`, and what is longer is cut instead of refused: for what only a reader looks at. */
export const clippedSchema = (most: number): z.ZodString =>
  z.string().overwrite((text) => clipText(storableText(text), most))

/** The first place in a value read from JSON whose text cannot be stored, as a path; undefined: there is none. */
export function unstorablePath(value: unknown, path = ''): string | undefined {
  if (typeof value === 'string') return isStorable(value) ? undefined : path
  if (value === null || typeof value !== 'object') return undefined
  for (const [key, inner] of Object.entries(value)) {
    const here = Array.isArray(value) ? `${path}[${key}]` : path === '' ? key : `${path}.${key}`
    if (!Array.isArray(value) && !isStorable(key)) return storableText(here)
    const found = unstorablePath(inner, here)
    if (found !== undefined) return found
  }
  return undefined
}

/** Characters that turn the direction of what follows, or are not seen at all (Unicode 15, UAX #9): with them a name or a line could read as something else than it is. */
const HIDDEN = /[\u061C\u200B-\u200F\u202A-\u202E\u2060-\u2064\u2066-\u2069\uFEFF]/g

/** Text from outside with such characters shown by their numbers. */
export const visible = (text: string): string =>
  text.replace(HIDDEN, (char) => `⟨U+${(char.codePointAt(0) ?? 0).toString(16).toUpperCase().padStart(4, '0')}⟩`)

/** What something is called: one line that reads as what it is. */
export const titleSchema = (missing: string, most: number): z.ZodString =>
  z
    .string()
    .trim()
    .min(1, missing)
    .max(most, `At most ${most} characters.`)
    .refine((text) => text.search(HIDDEN) < 0, 'It has characters in it that are not seen, or turn text around.')
    .refine((text) => !/[\r\n\u2028\u2029]/.test(text), 'It is one line.')
