/** What differs between two versions of a job or a flow, in sentences. */

/** Fields by their path, as people call them; others by their last name, written apart. */
const NAMES: Readonly<Record<string, string>> = {
  'action.kind': 'What is done',
  'action.command': 'The command',
  'action.script': 'The script',
  'action.interpreter': 'The interpreter',
  'action.text': 'The text',
  'action.sql': 'The statement',
  'action.url': 'The address',
  'action.body': 'The body',
  'action.minutes': 'The minutes to wait',
  target: 'Where it runs',
  'target.pool': 'The pool',
  'target.agent': 'The agent',
  'target.labels': 'The labels of its agents',
  folder: 'The folder',
  environment: 'The environment',
  account: 'The account',
  slots: 'The slots',
  priority: 'The priority',
  timeLimitSeconds: 'The time limit, in seconds,',
  graceSeconds: 'The grace time, in seconds,',
  retry: 'Trying again',
  'retry.attempts': 'The number of tries',
  'retry.delaySeconds': 'The pause before another try, in seconds,',
  success: 'What counts as success',
  'success.exitCodes': 'The exit codes of success',
  'success.must': 'What its output must have',
  'success.mustNot': 'What its output must not have',
  locks: 'The locks that it holds',
  units: 'The number of units',
  minVersion: 'The oldest version of its agent',
  expect: 'The length that is expected',
  notes: 'The notes',
  title: 'The title',
}

/** Names with values of the person's own: told as a whole. */
const WHOLE = new Set(['environment', 'target.labels', 'action.headers', 'with'])

type Tree = Readonly<Record<string, unknown>>
const isTree = (value: unknown): value is Tree => typeof value === 'object' && value !== null && !Array.isArray(value)

/** What tells the parts of a list apart, where they have names of their own: steps, inputs, groups. */
function keyed(value: unknown): Map<string, unknown> | null {
  if (!Array.isArray(value) || value.length === 0) return null
  const keys = value.map((part) => (isTree(part) ? (part.id ?? part.name) : undefined))
  if (keys.some((key) => typeof key !== 'string') || new Set(keys).size < keys.length) return null
  return new Map(value.map((part, i) => [keys[i] as string, part]))
}

const MOST_SHOWN = 120
const quoted = (text: string): string => `“${text.length > MOST_SHOWN ? `${text.slice(0, MOST_SHOWN)}…` : text}”`

function said(value: unknown): string {
  if (typeof value === 'string') return quoted(value)
  if (typeof value === 'boolean') return value ? 'yes' : 'no'
  if (Array.isArray(value) && value.every((part) => typeof part !== 'object')) return value.map(String).join(', ')
  if (isTree(value) && Object.values(value).every((part) => typeof part !== 'object'))
    return Object.entries(value)
      .map(([key, part]) => `${key}=${String(part)}`)
      .join(', ')
  return typeof value === 'number' ? String(value) : quoted(JSON.stringify(value))
}

const isNothing = (value: unknown): boolean =>
  value === undefined ||
  value === null ||
  value === '' ||
  (Array.isArray(value) && value.length === 0) ||
  (isTree(value) && Object.keys(value).length === 0)

/** `waitMost` → `The wait most`. */
const written = (name: string): string => `The ${name.replace(/[A-Z]/g, (letter) => ` ${letter.toLowerCase()}`)}`

/** `steps` → `step`: what one part of a list is called. */
const partName = (path: string): string => (path.split('.').at(-1) ?? '').replace(/s$/, '')

interface At {
  readonly path: string
  /** In which part: `Step “ledger”: `. */
  readonly where: string
}

function nameAt({ path, where }: At): string {
  const name = NAMES[path] ?? written(path.split('.').at(-1) ?? path)
  return where === '' ? name : `${where}${name.charAt(0).toLowerCase()}${name.slice(1)}`
}

/** How many lines were added and taken away, by a count of equal lines. */
function linesChanged(before: string, after: string): string {
  const left = new Map<string, number>()
  for (const line of before.split('\n')) left.set(line, (left.get(line) ?? 0) + 1)
  let added = 0
  for (const line of after.split('\n')) {
    const n = left.get(line) ?? 0
    if (n > 0) left.set(line, n - 1)
    else added++
  }
  const gone = [...left.values()].reduce((sum, n) => sum + n, 0)
  const counted = (n: number): string => (n === 1 ? 'one line' : `${n} lines`)
  if (added === 0 && gone === 0) return 'the same lines in another order'
  return [added > 0 ? `${counted(added)} new` : '', gone > 0 ? `${counted(gone)} gone` : ''].filter(Boolean).join(', ')
}

/**
 * Every difference between two versions of a definition, a sentence each, in the order of the newer one's fields. Parts of lists that have names (steps, inputs) are told by them, also when they
 * only moved. The same twice: no sentence.
 */
export function differencesInWords(before: unknown, after: unknown, at: At = { path: '', where: '' }): string[] {
  if (JSON.stringify(before) === JSON.stringify(after)) return []
  const [olds, news] = [keyed(before), keyed(after)]
  if ((olds || isNothing(before)) && (news || isNothing(after)) && (olds || news))
    return partsInWords(olds ?? new Map(), news ?? new Map(), at)
  if (isTree(before) && isTree(after) && !WHOLE.has(at.path))
    return [...new Set([...Object.keys(after), ...Object.keys(before)])].flatMap((key) =>
      differencesInWords(before[key], after[key], { ...at, path: at.path === '' ? key : `${at.path}.${key}` }),
    )
  if (isNothing(before) && isNothing(after)) return []
  const name = nameAt(at)
  if (isNothing(before)) return [`${name} is new: ${said(after)}.`]
  if (isNothing(after)) return [`${name} is gone; it was ${said(before)}.`]
  if (typeof before === 'string' && typeof after === 'string' && /\n/.test(before + after))
    return [`${name} is another: ${linesChanged(before, after)}.`]
  return [`${name} was ${said(before)} and is ${said(after)}.`]
}

function partsInWords(olds: ReadonlyMap<string, unknown>, news: ReadonlyMap<string, unknown>, at: At): string[] {
  const part = partName(at.path)
  const called = (key: string): string => `${part} ${quoted(key)}`
  const capital = (text: string): string => `${text.charAt(0).toUpperCase()}${text.slice(1)}`
  const place = (key: string): string => (at.where === '' ? capital(called(key)) : `${at.where}${called(key)}`)
  const out = [...news].flatMap(([key, now]) =>
    olds.has(key)
      ? differencesInWords(olds.get(key), now, { path: '', where: `${place(key)}: ` })
      : [`${place(key)} is new.`],
  )
  for (const key of olds.keys()) if (!news.has(key)) out.push(`${place(key)} is gone.`)
  const kept = (keys: Iterable<string>, other: ReadonlyMap<string, unknown>): string =>
    [...keys].filter((key) => other.has(key)).join('\n')
  if (kept(olds.keys(), news) !== kept(news.keys(), olds))
    out.push(`${at.where}${capital(part)}s stand in another order.`)
  return out
}
