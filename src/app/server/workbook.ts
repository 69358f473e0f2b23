import { PassThrough } from 'node:stream'
import ExcelJS from 'exceljs'
import { sheetCell, type CellKind } from '@/core/exports/cells'
import { zoneOf } from '@/core/timing/zone'
import { invalid } from '@/service/base/problem'
import type { Prepared } from '@/service/exports/export-list'

/** A sheet has 1,048,576 rows (ECMA-376): what goes beyond stands on the next. */
const ROWS_ON_SHEET = 1_000_000
const FORMATS: Record<CellKind, string> = {
  text: '@',
  number: 'General',
  instant: 'yyyy-mm-dd hh:mm:ss',
  duration: '[h]:mm:ss',
  yes: '@',
}
const WIDTHS: Record<CellKind, number> = { text: 24, number: 10, instant: 20, duration: 11, yes: 8 }
/** Rows are asked for no faster than the file is taken. */
const MOST_AHEAD_BYTES = 256 * 1024

/** A workbook (ECMA-376), written while it is read. Instants stand as the clock of the zone shows them, and the headings name it. */
export function workbookOf({ name, columns, pages }: Prepared, zoneName: string): AsyncGenerator<Uint8Array> {
  const zone = zoneOf(zoneName)
  if (!zone) throw invalid('zone', `There is no time zone ${zoneName}.`)
  const out = new PassThrough({ highWaterMark: MOST_AHEAD_BYTES })
  const book = new ExcelJS.stream.xlsx.WorkbookWriter({ stream: out, useStyles: true, useSharedStrings: false })
  const newSheet = (nth: number): ExcelJS.Worksheet => {
    const sheet = book.addWorksheet(nth === 1 ? name : `${name} ${nth}`, { views: [{ state: 'frozen', ySplit: 1 }] })
    sheet.columns = columns.map(({ id, title, kind }) => ({
      header: kind === 'instant' ? `${title} (${zone.name})` : title,
      key: id,
      width: WIDTHS[kind],
      style: { numFmt: FORMATS[kind] },
    }))
    sheet.getRow(1).font = { bold: true }
    sheet.getRow(1).commit()
    return sheet
  }
  const write = async (): Promise<void> => {
    let sheets = 1
    let sheet = newSheet(sheets)
    let onSheet = 0
    for await (const rows of pages) {
      for (const row of rows) {
        if (onSheet === ROWS_ON_SHEET) {
          sheet.commit()
          sheet = newSheet(++sheets)
          onSheet = 0
        }
        sheet.addRow(columns.map(({ kind, value }) => sheetCell(kind, value(row), (at) => zone.offsetAt(at)))).commit()
        onSheet++
      }
      // What it deflates runs behind: it gets its turn, and whoever reads sets the pace.
      await new Promise((resolve) => setImmediate(resolve))
      while (out.readableLength > MOST_AHEAD_BYTES && !out.destroyed) await taken(out)
      if (out.destroyed) return
    }
    sheet.commit()
    await book.commit()
  }
  return readable(out, write, () => pages.return(undefined))
}

const taken = (out: PassThrough): Promise<void> =>
  new Promise((resolve) => {
    const timer = setTimeout(resolve, 50)
    timer.unref()
    out.once('drain', () => {
      clearTimeout(timer)
      resolve()
    })
  })

/** What is written, as it comes; a reader that goes away ends the writing, an error in writing ends the reading. */
async function* readable(
  out: PassThrough,
  write: () => Promise<void>,
  end: () => Promise<unknown>,
): AsyncGenerator<Uint8Array> {
  const writing = write().catch((error: unknown) => {
    out.destroy(error instanceof Error ? error : new Error(String(error)))
  })
  try {
    for await (const piece of out) yield piece as Uint8Array
    await writing
  } finally {
    out.destroy()
    await end()
  }
}
