import Ajv2020, { type ValidateFunction } from 'ajv/dist/2020'
import addFormats from 'ajv-formats'

/** A schema of more characters is none that a person reads. */
const MOST_SCHEMA = 64 * 1024
const MOST_KEPT = 200

/** Compiled ones, by their text. */
const kept = new Map<string, ValidateFunction>()

function compiled(schema: object): ValidateFunction {
  const text = JSON.stringify(schema)
  const known = kept.get(text)
  if (known) return known
  // One instance for each: ids of one schema mean nothing in another. Nothing is ever fetched.
  const ajv = new Ajv2020({ allErrors: true, strict: false, validateFormats: true })
  addFormats(ajv)
  const fresh = ajv.compile(schema)
  if (kept.size >= MOST_KEPT) kept.clear()
  kept.set(text, fresh)
  return fresh
}

/** Words of a regular expression that can take exponentially long: a group that repeats, with a repetition in it. */
const RUNAWAY = /\([^()]*[+*}][^()]*\)[+*{]/

/** Why it cannot be used as a JSON Schema (draft 2020-12); null: it can. */
export function schemaFault(schema: object): string | null {
  const text = JSON.stringify(schema)
  if (text.length > MOST_SCHEMA) return `A schema of at most ${MOST_SCHEMA / 1024} thousand characters.`
  const patterns = [
    ...text.matchAll(/"pattern":"((?:[^"\\]|\\.)*)"/g),
    ...text.matchAll(/"patternProperties":\{"((?:[^"\\]|\\.)*)"/g),
  ]
  for (const [, pattern = ''] of patterns)
    if (RUNAWAY.test(pattern))
      return `The pattern ${pattern} could take for ever: a repeated group has a repetition in it.`
  try {
    compiled(schema)
    return null
  } catch (error) {
    return `It is no JSON Schema: ${(error as Error).message}.`
  }
}

/** What is wrong with an item's data by its queue's schema, a sentence each with its path; empty: nothing. */
export function dataFaults(schema: object | null, data: unknown): { path: string; message: string }[] {
  if (schema === null) return []
  const validate = compiled(schema)
  if (validate(data)) return []
  return (validate.errors ?? []).slice(0, 20).map(({ instancePath, message, params }) => {
    const path = instancePath.slice(1).replaceAll('/', '.')
    const extra = 'additionalProperty' in params ? ` (${String(params.additionalProperty)})` : ''
    return { path, message: `${path === '' ? 'The data' : path} ${message ?? 'is not right'}${extra}.` }
  })
}
