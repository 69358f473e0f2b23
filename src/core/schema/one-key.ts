import type { ZodObject, ZodRawShape, ZodType } from 'zod'

/**
 * An object of which exactly one of these keys must be there. `withKey`: a key that comes along with one of them and with no other.
 * The published JSON Schema says the same by minProperties and maxProperties.
 */
export function exactlyOne<Shape extends ZodRawShape>(
  schema: ZodObject<Shape>,
  what: string,
  keys: readonly string[],
  withKey: Readonly<Record<string, string>> = {},
): ZodType {
  const fault = (value: object): string | null => {
    const there = keys.filter(
      (key) => Object.hasOwn(value, key) && (value as Record<string, unknown>)[key] !== undefined,
    )
    if (there.length === 0) return `${what} needs exactly one of the keys ${keys.join(', ')}.`
    if (there.length > 1) return `${what} has exactly one form, but here are ${there.join(' and ')}.`
    for (const [key, other] of Object.entries(withKey)) {
      const has = Object.hasOwn(value, other)
      if (there[0] === key && !has) return `The key ${other} is missing: ${key} needs it.`
      if (there[0] !== key && has) return `The key ${other} goes with ${key} only, but here is ${there[0]}.`
    }
    return null
  }
  return schema
    .refine((value) => fault(value) === null, {
      // Also when something inside is wrong: all faults at once. Of an unknown key alone nothing more needs to be said.
      when: ({ value, issues }) =>
        isPlain(value) &&
        !(
          Object.keys(value).length === 0 &&
          issues.some((i) => i.code === 'unrecognized_keys' && (i.path?.length ?? 0) === 0)
        ),
      error: ({ input }) => fault(input as object) ?? '',
    })
    .meta({ minProperties: 1, maxProperties: Object.keys(withKey).length > 0 ? 2 : 1 })
}

function isPlain(value: unknown): value is object {
  return typeof value === 'object' && value !== null && !Array.isArray(value)
}
