/**
 * What a report says, whatever kind it is: shown as a page, printed as a PDF and taken away as CSV from this alone. Numbers are plain: how they are written is up to whoever shows them.
 */

/** `ms`: a length; `share`: 0 to 1; `money`: in the document’s currency; `hours`: decimal; `instant`: milliseconds since the epoch; `day`: ISO 8601. */
export type Unit = 'count' | 'decimal' | 'ms' | 'share' | 'money' | 'hours' | 'instant' | 'day' | 'text'
export type Cell = string | number | null

export interface Figure {
  readonly label: string
  readonly unit: Unit
  readonly value: Cell
  /** The same of the period before. */
  readonly before?: Cell
  /** The sum of those above it. */
  readonly isSum?: true
  /** How it is worked out, in a sentence. */
  readonly formula?: string
  /** An address within Bugle that shows exactly the rows it counts. */
  readonly href?: string
}

export interface TableColumn {
  readonly title: string
  readonly unit: Unit
}

export interface TableRow {
  readonly cells: readonly Cell[]
  /** For each cell where it leads; null: nowhere. */
  readonly hrefs?: readonly (string | null)[]
}

export interface ReportTable {
  readonly title: string
  readonly columns: readonly TableColumn[]
  readonly rows: readonly TableRow[]
  /** Sums, in the order of the columns. */
  readonly foot?: readonly Cell[]
}

export type Mark = 'good' | 'bad' | 'plain' | 'before'

export interface ReportChart {
  readonly title: string
  /** `bars`: the series stand on one another; `lines`: beside one another. */
  readonly kind: 'bars' | 'lines'
  readonly unit: Unit
  readonly labels: readonly string[]
  readonly series: readonly {
    readonly title: string
    readonly mark: Mark
    readonly values: readonly (number | null)[]
  }[]
  /** For each label where it leads. */
  readonly hrefs?: readonly (string | null)[]
}

export interface Section {
  readonly title: string
  /** Sentences. */
  readonly notes: readonly string[]
  readonly figures: readonly Figure[]
  readonly charts: readonly ReportChart[]
  readonly tables: readonly ReportTable[]
}

export interface ReportDocument {
  readonly title: string
  readonly kind: string
  readonly period: { readonly fromMs: number; readonly toMs: number; readonly zone: string; readonly words: string }
  /** Of amounts of money; null: there are none. */
  readonly currency: string | null
  readonly madeAtMs: number
  /** Which runs it is about, where that is not all of them: a sentence. */
  readonly about?: string
  /** With whose rights it was made: what they may not see is not in it. */
  readonly rightsOf: string
  readonly sections: readonly Section[]
}

export const section = (title: string, parts: Partial<Omit<Section, 'title'>>): Section => ({
  title,
  notes: [],
  figures: [],
  charts: [],
  tables: [],
  ...parts,
})

/** A table shows so many rows; what is beyond is said. */
const MOST_ROWS = 2000

/** The first rows of a table, and a sentence where there are more. */
export function clipped(
  title: string,
  columns: readonly TableColumn[],
  rows: readonly TableRow[],
  foot?: readonly Cell[],
  most: number = MOST_ROWS,
): { readonly table: ReportTable; readonly notes: readonly string[] } {
  return {
    table: { title, columns, rows: rows.slice(0, most), ...(foot ? { foot } : {}) },
    notes:
      rows.length > most
        ? [`${title}: the first ${most.toLocaleString('en')} of ${rows.length.toLocaleString('en')} rows.`]
        : [],
  }
}
