/** What a column of an export holds. `duration` in milliseconds; `instant` as a Date or ISO 8601. */
export type CellKind = 'text' | 'number' | 'instant' | 'duration' | 'yes'
export const EXPORT_FORMATS = ['csv', 'jsonl', 'xlsx'] as const
export type ExportFormat = (typeof EXPORT_FORMATS)[number]

export interface ExportColumn<Row> {
  readonly id: string
  readonly title: string
  readonly kind: CellKind
  readonly value: (row: Row) => unknown
  /** The columns of the screen that show it, where they are called otherwise. */
  readonly shownAs?: readonly string[]
}

/** A value as it is kept in every format: nothing but text, finite numbers, Dates, and whether something is so; null: nothing. */
export type Cell = string | number | boolean | Date | null

export function cellOf(kind: CellKind, value: unknown): Cell {
  if (value === null || value === undefined || value === '') return null
  if (kind === 'instant') {
    const at = value instanceof Date ? value : new Date(String(value))
    return Number.isNaN(at.getTime()) ? null : at
  }
  if (kind === 'number' || kind === 'duration') {
    const number = Number(value)
    return Number.isFinite(number) ? number : null
  }
  if (kind === 'yes') return value === true
  return typeof value === 'object' ? JSON.stringify(value) : String(value)
}

/** Of a duration the unit stands in the heading: a number alone says nothing. */
export const csvHeading = ({ title, kind }: { readonly title: string; readonly kind: CellKind }): string =>
  kind === 'duration' ? `${title} (s)` : title

/** An instant as the database says it (store/iso.ts) is what a file says: millions of them are not read only to be written again. */
const WRITTEN = /^\d{4}-(?:0\d|1[0-2])-[0-3]\dT[0-2]\d:[0-5]\d:[0-5]\d\.\d{3}Z$/

function isoInstant(value: unknown): string | null {
  if (typeof value === 'string' && WRITTEN.test(value)) return value
  const cell = cellOf('instant', value)
  return cell instanceof Date ? cell.toISOString() : null
}

const seconds = (ms: number): number => Math.round(ms) / 1000

/**
 * A cell of CSV, before quoting (RFC 4180). Instants in ISO 8601, in UTC; durations in seconds. Text that a spreadsheet would take for a formula begins with an apostrophe
 * (OWASP, CSV injection), in numbers a minus is nothing but a minus.
 */
export function csvCell(kind: CellKind, value: unknown): string {
  if (kind === 'instant') return isoInstant(value) ?? ''
  const cell = cellOf(kind, value) as Exclude<Cell, Date>
  if (cell === null) return ''
  if (kind === 'duration') return String(seconds(Number(cell)))
  if (typeof cell === 'number') return String(cell)
  if (typeof cell === 'boolean') return cell ? 'yes' : 'no'
  return /^[=+\-@\t\r]/.test(cell) && !/^-?\d+(\.\d+)?$/.test(cell) ? `'${cell}` : cell
}

/** A row as an object of JSON: keys are the columns’ ids, durations in seconds under `idSeconds`. */
export function jsonRow<Row>(columns: readonly ExportColumn<Row>[], row: Row): Record<string, unknown> {
  const said: Record<string, unknown> = {}
  for (const { id, kind, value } of columns) {
    const cell = kind === 'instant' ? isoInstant(value(row)) : cellOf(kind, value(row))
    if (kind === 'duration') said[`${id}Seconds`] = cell === null ? null : seconds(Number(cell))
    else said[id] = cell
  }
  return said
}

const MS_PER_DAY = 86_400_000

/**
 * A cell of a workbook. A spreadsheet knows no zones: an instant becomes what the clock shows. Durations become parts of a day, which is how a spreadsheet counts them. A cell holds 32,767 characters at most
 * (ECMA-376, 18.3.1.96 with the limits of its programs): longer text is cut, with a mark.
 * @param offsetAt seconds east of Greenwich at an instant in seconds
 */
export function sheetCell(
  kind: CellKind,
  value: unknown,
  offsetAt: (atSeconds: number) => number,
): string | number | Date | null {
  const cell = cellOf(kind, value)
  if (cell instanceof Date) return new Date(cell.getTime() + offsetAt(Math.floor(cell.getTime() / 1000)) * 1000)
  if (kind === 'duration') return cell === null ? null : Number(cell) / MS_PER_DAY
  if (typeof cell === 'boolean') return cell ? 'yes' : 'no'
  return typeof cell === 'string' ? sheetText(cell) : cell
}

const MOST_IN_CELL = 32_767
/** Characters that XML 1.0 cannot hold (2.2) would make the whole workbook unreadable. */
const NOT_IN_XML = /[\u0000-\u0008\u000b\u000c\u000e-\u001f\ufffe\uffff]/g

function sheetText(text: string): string {
  const clean = text.toWellFormed().replace(NOT_IN_XML, '\ufffd')
  return clean.length > MOST_IN_CELL ? `${clean.slice(0, MOST_IN_CELL - 1)}…` : clean
}

/**
 * The columns of an export: those that the screen shows, in its order, or those that are named; without a word all. A column of the screen may stand for several, and some of it mean nothing in a file.
 * @param names ids of columns of the file or of the screen
 */
export function chosenColumns<Row>(
  columns: readonly ExportColumn<Row>[],
  names: readonly string[] | undefined,
): readonly ExportColumn<Row>[] {
  if (!names) return columns
  const found = names.flatMap((name) =>
    columns.filter(({ id, shownAs }) => (shownAs ? shownAs.includes(name) || id === name : id === name)),
  )
  return [...new Set(found)]
}
