import type { z } from 'zod'
import { chosenColumns, type ExportColumn } from '@/core/exports/cells'
import { faultsFrom } from '@/core/schema/faults'
import { Problem } from '@/service/base/problem'
import type { Actor } from '@/service/base/actor'

type Pages<Row> = AsyncIterable<readonly Row[]>

/** What of a list a file holds. */
export interface ListFile<Row, Schema extends z.ZodType> {
  /** The file’s name, without what its format is called. */
  readonly name: string
  /** The list’s filter and order, as in its address. */
  readonly filter: Schema
  readonly columns: (of: number | null) => Promise<readonly ExportColumn<Row>[]> | readonly ExportColumn<Row>[]
  /** Rows as the list’s own function gives them: it checks what may be seen. */
  readonly pages: (actor: Actor, filter: z.output<Schema>, of: number | null) => Pages<Row>
  /** How many there will be, where that can be told beforehand. */
  readonly count?: (actor: Actor, filter: z.output<Schema>, of: number | null) => Promise<number>
}

/** A file to be written: rows come as they are asked for. */
export interface Prepared {
  readonly name: string
  readonly columns: readonly ExportColumn<never>[]
  readonly pages: AsyncGenerator<readonly never[]>
  readonly total: number | null
}

interface ExportAsked {
  readonly of: number | null
  readonly columns: readonly string[] | undefined
  /** The rest of the address. */
  readonly filter: Readonly<Record<string, unknown>>
}

export type Preparing = (actor: Actor, asked: ExportAsked) => Promise<Prepared>

/** Ties a list to its file. Throws a Problem for a filter that the list does not know. */
export function listFile<Row, Schema extends z.ZodType>(list: ListFile<Row, Schema>): Preparing {
  return async (actor, { of, columns, filter }) => {
    const read = list.filter.safeParse(filter)
    if (!read.success) {
      const faults = faultsFrom(read.error, filter)
      throw new Problem(
        'invalid-input',
        faults.map(({ path, message }) => (path ? `${path}: ${message}` : message)).join(' '),
        faults,
      )
    }
    const total = list.count ? await list.count(actor, read.data, of) : null
    const chosen = chosenColumns(await list.columns(of), columns)
    if (chosen.length === 0)
      throw new Problem('invalid-input', 'None of these columns is one of this list.', [
        { path: 'columns', message: 'None of these columns is one of this list.' },
      ])
    // The first page is read at once: whoever may not see the list is told so instead of getting half a file.
    const pages = list.pages(actor, read.data as z.output<Schema>, of)[Symbol.asyncIterator]()
    const first = await pages.next()
    async function* rows(): AsyncGenerator<readonly Row[]> {
      try {
        for (let page = first; !page.done;) {
          // The database reads the next page while this one is written.
          const next = pages.next()
          next.catch(() => undefined)
          yield page.value
          page = await next
        }
      } finally {
        await pages.return?.()
      }
    }
    return { name: list.name, columns: chosen, pages: rows() as Prepared['pages'], total }
  }
}

/** A list that is whole: as one page. */
export async function* whole<Row>(rows: Promise<readonly Row[]>): AsyncGenerator<readonly Row[]> {
  yield await rows
}

/** A list that is read downwards by number, a page at a time, until one is not full. */
export async function* downwards<Row extends { readonly id: number }>(
  page: (before: number | undefined) => Promise<readonly Row[]>,
  full: number,
): AsyncGenerator<readonly Row[]> {
  for (let before: number | undefined; ;) {
    const rows = await page(before)
    yield rows
    if (rows.length < full) return
    before = rows.at(-1)?.id
  }
}
