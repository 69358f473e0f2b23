import { parse } from 'csv-parse'
import { createReadStream, createWriteStream } from 'node:fs'
import { mkdtemp, rm } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { Readable } from 'node:stream'
import { pipeline } from 'node:stream/promises'
import { z } from 'zod'
import { isTooDeep, MOST_NESTED } from '@/core/schema/nesting'
import { transaction } from '@/store/db'
import { requireSomewhere, type Actor } from '@/service/base/actor'
import { requireOn } from '@/service/base/area-rights'
import { record } from '@/service/base/audit'
import { Problem, type FieldFault } from '@/service/base/problem'
import { faultsOf, insertItems, lockedQueue, newItemSchema, type NewItem } from './arrive'

export const fileSchema = z.strictObject({
  format: z.enum(['csv', 'jsonl']),
  /** `yes`: only say what would come of it. */
  dryRun: z.literal('yes').optional(),
})
const MOST_ROWS = 100_000
const MOST_FAULTS = 1000
const AT_ONCE = 1000
/** A row is no longer than an item may be, and a little. */
const MOST_LINE = 600 * 1024
/** Columns of a CSV that are not data. */
const OWN = ['key', 'priority', 'due', 'notBefore'] as const

export interface FileDone {
  readonly rows: number
  readonly added: number
  /** What is wrong with rows, by their line in the file. */
  readonly faults: readonly FieldFault[]
}

class Undone extends Error {}

/**
 * Adds the rows of a file, all or none, reading it piece by piece: up to 100,000 rows take no more memory than a thousand. It is laid aside whole before the database is asked, so that one who
 * sends it slowly holds nobody up. CSV (RFC 4180) has a line of headings, of which `key`, `priority`,
 * `due` and `notBefore` are the item's and all others its data, numbers and yes or no where the queue's schema says so; of JSON Lines each line is an item.
 */
export async function addFromFile(
  actor: Actor,
  queueId: number,
  { format, dryRun }: z.output<typeof fileSchema>,
  body: () => AsyncIterable<Uint8Array>,
): Promise<FileDone> {
  requireSomewhere(actor, 'operate')
  const folder = await mkdtemp(join(tmpdir(), 'bugle-items-'))
  try {
    const file = join(folder, 'items')
    await pipeline(Readable.from(body()), createWriteStream(file, { mode: 0o600 }))
    return await addRows(actor, queueId, { format, dryRun }, file)
  } finally {
    await rm(folder, { recursive: true, force: true })
  }
}

async function addRows(
  actor: Actor,
  queueId: number,
  { format, dryRun }: z.output<typeof fileSchema>,
  file: string,
): Promise<FileDone> {
  const faults: FieldFault[] = []
  let rows = 0
  const fault = (line: number, message: string): void => {
    if (faults.length < MOST_FAULTS) faults.push({ path: `line ${line}`, message })
  }
  try {
    await transaction(async (tx) => {
      faults.length = 0
      rows = 0
      await requireOn(tx, actor, 'operate', 'queue', queueId)
      const queue = await lockedQueue(tx, queueId)
      const seen = new Map<string, number>()
      let batch: { line: number; item: NewItem }[] = []
      const flush = async (): Promise<void> => {
        const some = batch
        batch = []
        const items = some.map(({ item }) => item)
        const note = (found: readonly FieldFault[]): void => {
          for (const { path, message } of found) fault(some[Number(/\d+/.exec(path)?.[0] ?? 0)]?.line ?? 0, message)
        }
        // A key that stands there twice was found by its lines.
        note(faultsOf({ ...queue, keys: 'none' }, items))
        // After the first fault nothing is kept: the rest is only looked at.
        if (faults.length > 0 || some.length === 0) return
        try {
          await insertItems(tx, queue, items, `${actor.name}, from a file`)
        } catch (error) {
          if (!(error instanceof Problem)) throw error
          note(error.errors)
        }
      }
      for await (const { line, value } of rowsOf(format, createReadStream(file), queue.schema)) {
        if (++rows > MOST_ROWS)
          throw new Problem('too-large', `At most ${MOST_ROWS.toLocaleString('en')} rows at once.`)
        const item = typeof value === 'string' ? undefined : newItemSchema.safeParse(value)
        if (item === undefined) fault(line, value as string)
        else if (!item.success)
          fault(line, item.error.issues.map(({ path, message }) => `${path.join('.')}: ${message}`).join(' '))
        else {
          const { key } = item.data
          const before = key === null || queue.keys === 'none' ? undefined : seen.get(key)
          if (before !== undefined) fault(line, `The key ${key} stands in line ${before} already.`)
          else if (key !== null) seen.set(key, line)
          batch.push({ line, item: item.data })
          if (batch.length >= AT_ONCE) await flush()
        }
      }
      await flush()
      if (rows === 0) throw new Problem('invalid-input', 'The file has no row.')
      if (dryRun || faults.length > 0) throw new Undone()
      await record(tx, actor, 'added items to', { type: 'queue', id: queueId, title: queue.title }, { count: rows })
    })
  } catch (error) {
    if (!(error instanceof Undone)) throw error
    if (!dryRun)
      throw new Problem(
        'invalid-input',
        `Nothing was added: ${faults.length === 1 ? 'one row is' : `${faults.length >= MOST_FAULTS ? `at least ${MOST_FAULTS}` : faults.length} rows are`} not right.`,
        faults,
      )
    return { rows, added: 0, faults }
  }
  return { rows, added: rows, faults: [] }
}

/** Rows with their lines; text: why it cannot be read. */
async function* rowsOf(
  format: 'csv' | 'jsonl',
  body: AsyncIterable<Uint8Array>,
  schema: object | null,
): AsyncGenerator<{ line: number; value: unknown }> {
  if (format === 'jsonl') yield* jsonLines(body)
  else yield* csvRows(body, schema)
}

async function* jsonLines(body: AsyncIterable<Uint8Array>): AsyncGenerator<{ line: number; value: unknown }> {
  const decoder = new TextDecoder()
  let rest = ''
  let line = 0
  const read = (text: string): { line: number; value: unknown } => {
    try {
      const value: unknown = JSON.parse(text)
      return { line, value: isTooDeep(value) ? `It nests deeper than ${MOST_NESTED}.` : value }
    } catch (error) {
      return { line, value: `It is not JSON: ${(error as Error).message}.` }
    }
  }
  for await (const chunk of body) {
    const lines = `${rest}${decoder.decode(chunk, { stream: true })}`.split('\n')
    rest = lines.pop() ?? ''
    if (rest.length > MOST_LINE)
      throw new Problem('too-large', `Line ${line + lines.length + 1} is longer than an item may be.`)
    for (const text of lines) {
      line++
      if (text.trim() !== '') yield read(text)
    }
  }
  line++
  if (rest.trim() !== '') yield read(rest)
}

async function* csvRows(
  body: AsyncIterable<Uint8Array>,
  schema: object | null,
): AsyncGenerator<{ line: number; value: unknown }> {
  const types = ((schema as { properties?: unknown } | null)?.properties ?? {}) as Record<
    string,
    { type?: unknown } | undefined
  >
  const parser = parse({
    bom: true,
    info: true,
    columns: true,
    skip_empty_lines: true,
    trim: true,
    relax_column_count: true,
    max_record_size: MOST_LINE,
  })
  const source = Readable.from(body)
  source.on('error', (error) => parser.destroy(error))
  source.pipe(parser)
  try {
    for await (const one of parser as AsyncIterable<{ info: { lines: number }; record: Record<string, string> }>) {
      const own: Record<string, unknown> = {}
      const data: Record<string, unknown> = {}
      for (const [name, text] of Object.entries(one.record)) {
        if (text === '') continue
        if ((OWN as readonly string[]).includes(name)) own[name] = text
        else data[name] = typed(text, types[name]?.type)
      }
      yield { line: one.info.lines, value: { ...own, data } }
    }
  } catch (error) {
    if (error instanceof Problem) throw error
    throw new Problem('invalid-input', `The file is no CSV: ${(error as Error).message}.`)
  }
}

function typed(text: string, type: unknown): unknown {
  if ((type === 'number' || type === 'integer') && text !== '' && !Number.isNaN(Number(text))) return Number(text)
  if (type === 'boolean' && (text === 'true' || text === 'false')) return text === 'true'
  return text
}
