import type { z } from 'zod'

/** One thing that is wrong with a file or a request, and where: `calendars[1].days.any[0].weekdays[2]`; an empty path is the whole. */
export interface Fault {
  readonly path: string
  readonly message: string
}

export type Path = readonly PropertyKey[]

export function pathOf(path: Path): string {
  return path.reduce<string>(
    (text, part) =>
      typeof part === 'number' ? `${text}[${part}]` : text === '' ? String(part) : `${text}.${String(part)}`,
    '',
  )
}

type Issue = z.core.$ZodIssue

/**
 * What Zod found, as faults: an unknown key at its own path, a missing key at the path of its object, and of a choice between forms the faults of the form that
 * was meant. `raw` is what was parsed.
 */
export function faultsFrom(error: z.ZodError, raw: unknown): Fault[] {
  const faults: Fault[] = []
  const missing = new Map<string, string[]>()
  for (const issue of flatten(error.issues, [])) {
    const { path } = issue
    if (issue.code === 'unrecognized_keys') {
      for (const key of issue.keys)
        faults.push({ path: pathOf([...path, key]), message: `The key ${key} is not known here.` })
      continue
    }
    const key = path.at(-1)
    const parent = valueAt(raw, path.slice(0, -1))
    const isMissing = issue.code !== 'custom' && typeof key === 'string'
    if (isMissing && isObject(parent) && !Object.hasOwn(parent, key)) {
      const at = pathOf(path.slice(0, -1))
      const before = missing.get(at)
      if (before) before.push(key)
      else missing.set(at, [key])
    } else faults.push({ path: pathOf(path), message: issue.message.replace(/^Invalid input: e/, 'E') })
  }
  for (const [path, keys] of missing) {
    const words = keys.length === 1 ? `The key ${keys[0]} is missing.` : `The keys ${keys.join(', ')} are missing.`
    faults.push({ path, message: words })
  }
  return faults
}

function flatten(issues: readonly Issue[], base: Path): Issue[] {
  return issues.flatMap((issue) => {
    const path = [...base, ...issue.path]
    if (issue.code !== 'invalid_union') return [{ ...issue, path }]
    const meant = issue.errors.filter((branch) => !branch.some((i) => i.code === 'invalid_type' && i.path.length === 0))
    if (meant.length === 1) return flatten(meant[0] as Issue[], path)
    // A schema may say itself what its forms are.
    const message = issue.message === 'Invalid input' ? 'None of the possible forms fits.' : issue.message
    return [{ ...issue, path, message }]
  })
}

function isObject(value: unknown): value is Record<string, unknown> {
  return typeof value === 'object' && value !== null && !Array.isArray(value)
}

function valueAt(root: unknown, path: Path): unknown {
  return path.reduce<unknown>(
    (value, key) =>
      typeof value === 'object' && value !== null ? (value as Record<PropertyKey, unknown>)[key] : undefined,
    root,
  )
}
