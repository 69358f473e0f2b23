import { Zip, ZipDeflate } from 'fflate'
import { sheetCell, type CellKind } from '@/core/exports/cells'
import { zoneOf, type Zone } from '@/core/timing/zone'
import { invalid } from '@/service/base/problem'
import type { Prepared } from '@/service/exports/export-list'

/**
 * A workbook (Office Open XML, ECMA-376), written while it is read: of any length, in little memory. The packages for it keep an object for each cell, which takes minutes where this takes seconds;
 * of the format nothing is used but what a table needs.
 */

/** A sheet has 1,048,576 rows (18.3.1.73): what goes beyond stands on the next. */
const ROWS_ON_SHEET = 1_000_000
const WIDTHS: Record<CellKind, number> = { text: 24, number: 10, instant: 20, duration: 11, yes: 8 }
/** Places in the list of cell formats below. */
const STYLES: Record<CellKind | 'head', number> = { text: 0, number: 0, yes: 0, instant: 1, duration: 2, head: 3 }
/** Days are counted from 30 December 1899, as the format does after February 1900 (18.17.4.1). */
const EPOCH_MS = Date.UTC(1899, 11, 30)
const MS_PER_DAY = 86_400_000

const HEAD = '<?xml version="1.0" encoding="UTF-8" standalone="yes"?>\n'
const MAIN = 'http://schemas.openxmlformats.org/spreadsheetml/2006/main'
const OFFICE = 'http://schemas.openxmlformats.org/officeDocument/2006/relationships'
const PACKAGE = 'http://schemas.openxmlformats.org/package/2006'
const TYPE = 'application/vnd.openxmlformats-officedocument.spreadsheetml'

const STYLE_SHEET = `${HEAD}<styleSheet xmlns="${MAIN}"><numFmts count="2"><numFmt numFmtId="164" formatCode="yyyy\\-mm\\-dd\\ hh:mm:ss"/><numFmt numFmtId="165" formatCode="[h]:mm:ss"/></numFmts><fonts count="2"><font><sz val="11"/><name val="Calibri"/></font><font><b/><sz val="11"/><name val="Calibri"/></font></fonts><fills count="2"><fill><patternFill patternType="none"/></fill><fill><patternFill patternType="gray125"/></fill></fills><borders count="1"><border><left/><right/><top/><bottom/><diagonal/></border></borders><cellStyleXfs count="1"><xf numFmtId="0" fontId="0" fillId="0" borderId="0"/></cellStyleXfs><cellXfs count="4"><xf numFmtId="0" fontId="0" fillId="0" borderId="0" xfId="0"/><xf numFmtId="164" fontId="0" fillId="0" borderId="0" xfId="0" applyNumberFormat="1"/><xf numFmtId="165" fontId="0" fillId="0" borderId="0" xfId="0" applyNumberFormat="1"/><xf numFmtId="0" fontId="1" fillId="0" borderId="0" xfId="0" applyFont="1"/></cellXfs></styleSheet>`

const ESCAPES: Readonly<Record<string, string>> = { '&': '&amp;', '<': '&lt;', '>': '&gt;', '"': '&quot;' }
/** A carriage return would be read as a line feed (XML 1.0, 2.11). */
const xml = (text: string): string =>
  /[&<>"\r]/.test(text)
    ? text.replace(/[&<>"]/g, (letter) => ESCAPES[letter] as string).replaceAll('\r', '&#13;')
    : text

/** `A`, `Z`, `AA`, …: how columns are called. @param nth from 0 */
export function columnName(nth: number): string {
  let name = ''
  for (let n = nth + 1; n > 0; n = Math.floor((n - 1) / 26)) name = String.fromCharCode(65 + ((n - 1) % 26)) + name
  return name
}

/** Of what a sheet has millions of, nothing stands there that need not: a style that is the usual one, or that blanks are kept where there are none at an end (XML 1.0, 2.10). */
const styled = (style: number): string => (style === 0 ? '' : ` s="${style}"`)
const words = (at: string, style: number, text: string): string =>
  `<c r="${at}"${styled(style)} t="inlineStr"><is><t${/^\s|\s$|\s\s|[\n\r]/.test(text) ? ' xml:space="preserve"' : ''}>${xml(text)}</t></is></c>`

function cellXml(at: string, kind: CellKind, value: unknown, zone: Zone): string {
  const cell = sheetCell(kind, value, (atSeconds) => zone.offsetAt(atSeconds))
  if (cell === null) return ''
  const style = STYLES[kind]
  if (typeof cell === 'string') return words(at, style, cell)
  // A part of a day seldom ends in binary: some programs cut it where others round, and a tenth of a millisecond more is right for both.
  const number = cell instanceof Date ? (cell.getTime() + 0.1 - EPOCH_MS) / MS_PER_DAY : cell
  return `<c r="${at}"${styled(style)}><v>${number}</v></c>`
}

/** Instants stand as the clock of the zone shows them, and the headings name it. Throws a Problem for a zone that there is not. */
export function workbookOf(prepared: Prepared, zoneName: string): AsyncGenerator<Uint8Array> {
  const zone = zoneOf(zoneName)
  if (!zone) throw invalid('zone', `There is no time zone ${zoneName}.`)
  return piecesOf(prepared, zone)
}

async function* piecesOf({ name, columns, pages }: Prepared, zone: Zone): AsyncGenerator<Uint8Array> {
  let ready: Uint8Array[] = []
  let fault: Error | null = null
  const zip = new Zip((error, piece) => {
    if (error) fault = error
    else ready.push(piece)
  })
  const encoder = new TextEncoder()
  const names = columns.map((_, i) => columnName(i))
  let sheets = 0
  let sheet: ZipDeflate | undefined
  const begin = (path: string): ZipDeflate => {
    // Tables pack well at once; more effort takes twice the time for a few percent.
    const file = new ZipDeflate(path, { level: 2 })
    zip.add(file)
    return file
  }
  const whole = (path: string, text: string): void => begin(path).push(encoder.encode(text), true)
  const beginSheet = (): ZipDeflate => {
    const file = begin(`xl/worksheets/sheet${++sheets}.xml`)
    const widths = columns.map(
      ({ kind }, i) => `<col min="${i + 1}" max="${i + 1}" width="${WIDTHS[kind]}" customWidth="1"/>`,
    )
    const heads = columns.map(({ title, kind }, i) =>
      words(`${names[i]}1`, STYLES.head, kind === 'instant' ? `${title} (${zone.name})` : title),
    )
    file.push(
      encoder.encode(
        `${HEAD}<worksheet xmlns="${MAIN}"><sheetViews><sheetView workbookViewId="0"><pane ySplit="1" topLeftCell="A2" activePane="bottomLeft" state="frozen"/></sheetView></sheetViews><cols>${widths.join('')}</cols><sheetData><row r="1">${heads.join('')}</row>`,
      ),
    )
    return file
  }
  const endSheet = (): void => sheet?.push(encoder.encode('</sheetData></worksheet>'), true)
  let row = 1
  for await (const rows of pages) {
    let text = ''
    sheet ??= beginSheet()
    for (const one of rows) {
      if (row > ROWS_ON_SHEET) {
        sheet.push(encoder.encode(text))
        text = ''
        endSheet()
        sheet = beginSheet()
        row = 1
      }
      row++
      const cells = columns.map(({ kind, value }, i) => cellXml(`${names[i]}${row}`, kind, value(one), zone))
      text += `<row r="${row}">${cells.join('')}</row>`
    }
    sheet.push(encoder.encode(text))
    if (fault) throw fault as Error
    yield* ready
    ready = []
  }
  sheet ??= beginSheet()
  endSheet()
  for (const [path, text] of wrapping(name, sheets)) whole(path, text)
  zip.end()
  if (fault) throw fault as Error
  yield* ready
}

/** What makes a package of the sheets (Open Packaging Conventions, ECMA-376 part 2). */
function wrapping(name: string, sheets: number): [path: string, text: string][] {
  const numbers = Array.from({ length: sheets }, (_, i) => i + 1)
  const override = (part: string, type: string): string =>
    `<Override PartName="${part}" ContentType="${TYPE}.${type}+xml"/>`
  const relation = (id: string, type: string, target: string): string =>
    `<Relationship Id="${id}" Type="${OFFICE}/${type}" Target="${target}"/>`
  return [
    ['xl/styles.xml', STYLE_SHEET],
    [
      'xl/workbook.xml',
      `${HEAD}<workbook xmlns="${MAIN}" xmlns:r="${OFFICE}"><sheets>${numbers.map((n) => `<sheet name="${xml(n === 1 ? name : `${name} ${n}`)}" sheetId="${n}" r:id="rId${n}"/>`).join('')}</sheets></workbook>`,
    ],
    [
      'xl/_rels/workbook.xml.rels',
      `${HEAD}<Relationships xmlns="${PACKAGE}/relationships">${numbers.map((n) => relation(`rId${n}`, 'worksheet', `worksheets/sheet${n}.xml`)).join('')}${relation(`rId${sheets + 1}`, 'styles', 'styles.xml')}</Relationships>`,
    ],
    [
      '_rels/.rels',
      `${HEAD}<Relationships xmlns="${PACKAGE}/relationships">${relation('rId1', 'officeDocument', 'xl/workbook.xml')}</Relationships>`,
    ],
    [
      '[Content_Types].xml',
      `${HEAD}<Types xmlns="${PACKAGE}/content-types"><Default Extension="rels" ContentType="application/vnd.openxmlformats-package.relationships+xml"/><Default Extension="xml" ContentType="application/xml"/>${override('/xl/workbook.xml', 'sheet.main')}${override('/xl/styles.xml', 'styles')}${numbers.map((n) => override(`/xl/worksheets/sheet${n}.xml`, 'worksheet')).join('')}</Types>`,
    ],
  ]
}
