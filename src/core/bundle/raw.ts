import type { Path } from '../schema/faults'

/** Looking into a file of which nothing is known yet. */
export type Raw = Readonly<Record<string, unknown>>

export function isRaw(value: unknown): value is Raw {
  return typeof value === 'object' && value !== null && !Array.isArray(value)
}

export const rawList = (value: unknown): readonly unknown[] => (Array.isArray(value) ? value : [])
export const rawText = (value: unknown): string | undefined => (typeof value === 'string' ? value : undefined)

/** The rules directly inside what may be a day rule, with their paths within it. */
function rawInnerRules(rule: unknown): { value: unknown; path: (string | number)[] }[] {
  if (!isRaw(rule)) return []
  const out: { value: unknown; path: (string | number)[] }[] = []
  for (const key of ['any', 'all']) rawList(rule[key]).forEach((value, i) => out.push({ value, path: [key, i] }))
  if (rule.not !== undefined) out.push({ value: rule.not, path: ['not'] })
  for (const [key, inner] of [
    ['nth', 'of'],
    ['shift', 'of'],
    ['shift', 'counting'],
    ['roll', 'of'],
    ['roll', 'onto'],
  ] as const) {
    const form = rule[key]
    if (isRaw(form) && form[inner] !== undefined) out.push({ value: form[inner], path: [key, inner] })
  }
  return out
}

/** Everything in a day rule, itself first; stops below `deepest`. Without recursion: the file may be hostile. */
export function* rawRules(
  root: unknown,
  deepest: number,
): Generator<{ value: Raw; path: readonly (string | number)[]; depth: number }> {
  const stack: { value: unknown; path: readonly (string | number)[]; depth: number }[] = [
    { value: root, path: [], depth: 1 },
  ]
  while (stack.length > 0) {
    const { value, path, depth } = stack.pop() as (typeof stack)[number]
    if (!isRaw(value)) continue
    yield { value, path, depth }
    if (depth >= deepest) continue
    for (const inner of rawInnerRules(value).reverse())
      stack.push({ value: inner.value, path: [...path, ...inner.path], depth: depth + 1 })
  }
}

/** Notes a fault at a path. */
export type AddFault = (path: Path, message: string) => void

/** Where each id of a list stands, the first of equal ones. */
export function idsOf(list: unknown): Map<string, number> {
  const ids = new Map<string, number>()
  for (const [i, item] of rawList(list).entries()) {
    const id = isRaw(item) ? rawText(item.id) : undefined
    if (id !== undefined && !ids.has(id)) ids.set(id, i)
  }
  return ids
}
