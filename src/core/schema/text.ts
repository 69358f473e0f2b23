import { z } from 'zod'
import { clipText, HIDDEN, isStorable, storableText } from './plain-text'

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

/** What something is called: one line that reads as what it is. */
export const titleSchema = (missing: string, most: number): z.ZodString =>
  z
    .string()
    .trim()
    .min(1, missing)
    .max(most, `At most ${most} characters.`)
    .refine((text) => text.search(HIDDEN) < 0, 'It has characters in it that are not seen, or turn text around.')
    .refine((text) => !/[\r\n\u2028\u2029]/.test(text), 'It is one line.')
