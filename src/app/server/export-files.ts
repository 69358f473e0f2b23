import { stringify } from 'csv-stringify/sync'
import { csvCell, csvHeading, jsonRow, type ExportFormat } from '@/core/exports/cells'
import type { Actor } from '@/service/base/actor'
import type { Prepared } from '@/service/exports/export-list'
import { prepareExport, type ExportRequest } from '@/service/exports/exports'
import { streamOf } from './downloads'
import { workbookOf } from './workbook'

const TYPES: Record<ExportFormat, string> = {
  csv: 'text/csv; charset=utf-8; header=present',
  jsonl: 'application/jsonl; charset=utf-8',
  xlsx: 'application/vnd.openxmlformats-officedocument.spreadsheetml.sheet',
}
const CRLF = { record_delimiter: '\r\n' }

/** A list as a file, written while it is read: of any length, in little memory. How many rows there will be stands in `x-bugle-rows`, where that is known. */
export async function exportFile(actor: Actor, request: ExportRequest): Promise<Response> {
  const prepared = await prepareExport(actor, request)
  const { format, zone } = request
  const parts = { csv: csvOf, jsonl: jsonlOf, xlsx: workbookOf }[format](prepared, zone)
  return streamOf(actor, parts, {
    'content-type': TYPES[format],
    'content-disposition': `attachment; filename="bugle-${prepared.name}.${format}"`,
    ...(prepared.total === null ? {} : { 'x-bugle-rows': String(prepared.total) }),
  })
}

/** RFC 4180, UTF-8. */
async function* csvOf({ columns, pages }: Prepared): AsyncGenerator<string> {
  yield stringify([columns.map(csvHeading)], CRLF)
  for await (const rows of pages)
    if (rows.length > 0)
      yield stringify(
        rows.map((row) => columns.map(({ kind, value }) => csvCell(kind, value(row)))),
        CRLF,
      )
}

/** An object a line. */
async function* jsonlOf({ columns, pages }: Prepared): AsyncGenerator<string> {
  for await (const rows of pages)
    if (rows.length > 0) yield rows.map((row) => `${JSON.stringify(jsonRow(columns, row))}\n`).join('')
}
