import { dirname, join } from 'node:path'
import type { Content, ContentTable, TableCell, TDocumentDefinitions } from 'pdfmake/interfaces'
import type { ReportDocument, ReportTable, Section } from '@/core/reports/document'
import { isRight, writingOf, written, type Writing } from '@/core/reports/write'
import { chartSvg } from './pdf-charts'
import { pieces } from './pdf-text'

/** A table of so many columns is set smaller, and lies on its side beyond. */
const NARROW = 7
const WIDE = 11
/** Beyond these rows a table of a PDF says where the rest is. */
const MOST_ROWS = 8000
const INK = '#12242a'
const MUTE = '#5b6468'
const LINE = '#cfc8b8'

/** A report on paper: our fonts, vector charts, page numbers; no row is cut by the end of a page. Text can be searched and copied. */
export async function pdfOf(
  document: ReportDocument,
  paper: 'A4' | 'LETTER',
): Promise<{ readonly bytes: Buffer; readonly pages: number }> {
  const { default: pdfmake } = await import('pdfmake')
  pdfmake.setUrlAccessPolicy(() => false)
  pdfmake.setLocalAccessPolicy((path: string) => path.startsWith(fontFolder()))
  pdfmake.addFonts(fonts())
  let pages = 0
  const isWide = document.sections.some(({ tables }) => tables.some(({ columns }) => columns.length > WIDE))
  const definition: TDocumentDefinitions = {
    pageSize: paper,
    pageOrientation: isWide ? 'landscape' : 'portrait',
    // A heading never stands alone at the foot of a page.
    pageBreakBefore: ({ headlineLevel }, { getFollowingNodesOnPage }) =>
      headlineLevel === 1 && getFollowingNodesOnPage().length === 0,
    pageMargins: [40, 48, 40, 44],
    info: { title: document.title, creator: 'Bugle', producer: 'Bugle' },
    defaultStyle: { font: 'Archivo', fontSize: 9, color: INK, lineHeight: 1.15 },
    header: (page: number) =>
      page === 1
        ? ''
        : {
            margin: [40, 22, 40, 0],
            fontSize: 8,
            color: MUTE,
            columns: [{ text: pieces(document.title) }, { text: pieces(document.period.words), alignment: 'right' }],
          },
    footer: (page: number, count: number) => {
      pages = count
      return {
        margin: [40, 14, 40, 0],
        fontSize: 8,
        color: MUTE,
        columns: [
          {
            text: pieces(
              `Made ${written('instant', document.madeAtMs, writingOf(document))} with the rights of ${document.rightsOf}`,
            ),
          },
          { text: `${page} of ${count}`, alignment: 'right' },
        ],
      }
    },
    content: [
      ...headOf(document),
      ...document.sections.flatMap((section, i) => sectionOf(section, i, document, isWide ? 740 : 515)),
    ],
  }
  const bytes = await pdfmake.createPdf(definition).getBuffer()
  return { bytes: Buffer.from(bytes), pages }
}

const fontFolder = (): string => join(dirname(require.resolve('@fontsource/archivo/package.json')), 'files')
const fonts = (): Record<string, Record<'normal' | 'bold' | 'italics' | 'bolditalics', string>> => {
  const of = (subset: string): Record<'normal' | 'bold' | 'italics' | 'bolditalics', string> => {
    const file = (weight: number): string => join(fontFolder(), `archivo-${subset}-${weight}-normal.woff`)
    return { normal: file(400), bold: file(700), italics: file(400), bolditalics: file(700) }
  }
  return { Archivo: of('latin'), ArchivoExt: of('latin-ext') }
}

function headOf({ title, period, about, sections }: ReportDocument): Content[] {
  return [
    { text: pieces(title), fontSize: 20, bold: true, margin: [0, 0, 0, 2] },
    { text: pieces(`${period.words} · ${period.zone}`), fontSize: 10, color: MUTE, margin: [0, 0, 0, about ? 2 : 10] },
    ...(about === undefined ? [] : [{ text: pieces(about), fontSize: 10, color: MUTE, margin: [0, 0, 0, 10] }]),
    {
      ul: sections.map((section, i) => ({
        text: [
          { text: pieces(section.title), linkToDestination: `section${i}` },
          '  ',
          { pageReference: `section${i}`, color: MUTE },
        ],
      })),
      fontSize: 9,
      color: INK,
      markerColor: MUTE,
      margin: [0, 0, 0, 10],
    },
  ] as Content[]
}

function sectionOf(
  { title, notes, figures, charts, tables }: Section,
  nth: number,
  document: ReportDocument,
  chartWidth: number,
): Content[] {
  const writing = writingOf(document)
  return [
    { text: pieces(title), id: `section${nth}`, fontSize: 13, bold: true, margin: [0, 12, 0, 4], headlineLevel: 1 },
    ...(figures.length > 0 ? [figuresOf(figures, writing)] : []),
    ...notes.map((note): Content => ({ text: pieces(note), color: MUTE, margin: [0, 0, 0, 4] })),
    ...charts.map((chart): Content => ({
      unbreakable: true,
      stack: [
        { text: pieces(chart.title), bold: true, margin: [0, 6, 0, 2] },
        { svg: chartSvg(chart, writing), width: chartWidth },
      ],
    })),
    ...tables.flatMap((table) => tableOf(table, tables.length > 1 || table.title !== title, writing)),
  ]
}

function figuresOf(figures: Section['figures'], writing: Writing): Content {
  const hasBefore = figures.some(({ before }) => before !== undefined)
  return {
    margin: [0, 0, 0, 6],
    layout: LAYOUT,
    table: {
      headerRows: hasBefore ? 1 : 0,
      dontBreakRows: true,
      widths: hasBefore ? [150, 80, 80, '*'] : [150, 80, '*'],
      body: [
        ...(hasBefore
          ? [
              [
                '',
                { text: 'this period', alignment: 'right' as const, color: MUTE },
                { text: 'the one before', alignment: 'right' as const, color: MUTE },
                '',
              ],
            ]
          : []),
        ...figures.map(({ label, unit, value, before, formula, isSum = false }): TableCell[] => [
          { text: pieces(label), bold: isSum },
          { text: pieces(written(unit, value, writing)), bold: true, alignment: 'right' },
          ...(hasBefore
            ? [{ text: pieces(written(unit, before, writing)), alignment: 'right' as const, color: MUTE }]
            : []),
          { text: pieces(formula ?? ''), color: MUTE, fontSize: 8 },
        ]),
      ],
    },
  }
}

const LAYOUT: ContentTable['layout'] = {
  hLineWidth: () => 0.5,
  vLineWidth: () => 0,
  hLineColor: () => LINE,
  paddingTop: () => 2.5,
  paddingBottom: () => 1.5,
  paddingLeft: (i) => (i === 0 ? 0 : 4),
  paddingRight: () => 4,
}

function tableOf({ title, columns, rows, foot }: ReportTable, withTitle: boolean, writing: Writing): Content[] {
  if (rows.length === 0) return [{ text: pieces(withTitle ? `${title}: nothing.` : 'Nothing.'), color: MUTE }]
  const fontSize = columns.length > WIDE ? 6.5 : columns.length > NARROW ? 7 : 8.5
  const cell = (i: number, value: string | number | null, bold = false): TableCell => {
    const unit = columns[i]?.unit ?? 'text'
    return {
      text: pieces(written(unit, value, writing)),
      ...(isRight(unit) ? { alignment: 'right' as const, noWrap: true } : {}),
      ...(bold ? { bold } : {}),
    }
  }
  const shown = rows.slice(0, MOST_ROWS)
  return [
    ...(withTitle ? [{ text: pieces(title), bold: true, margin: [0, 6, 0, 2] } as Content] : []),
    {
      fontSize,
      margin: [0, 0, 0, 6],
      layout: LAYOUT,
      table: {
        headerRows: 1,
        keepWithHeaderRows: 1,
        dontBreakRows: true,
        widths: widthsOf(columns),
        body: [
          columns.map(({ title: head, unit }): TableCell => ({
            text: pieces(head),
            bold: true,
            color: MUTE,
            ...(isRight(unit) ? { alignment: 'right' as const } : {}),
          })),
          ...shown.map(({ cells }) => columns.map((_, i) => cell(i, cells[i] ?? null))),
          ...(foot ? [columns.map((_, i) => cell(i, foot[i] ?? null, true))] : []),
        ],
      },
    },
    ...(rows.length > shown.length
      ? [
          {
            text: pieces(`${title}: the first ${shown.length.toLocaleString('en')} rows; all of them are in the CSV.`),
            color: MUTE,
          } as Content,
        ]
      : []),
  ]
}

/** Words share what numbers leave. */
function widthsOf(columns: ReportTable['columns']): (string | number)[] {
  return columns.map(({ unit }) => (unit === 'text' ? '*' : 'auto'))
}
