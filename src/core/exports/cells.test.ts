import fc from 'fast-check'
import { parse } from 'csv-parse/sync'
import { stringify } from 'csv-stringify/sync'
import { cellOf, chosenColumns, csvCell, csvHeading, jsonRow, sheetCell, type ExportColumn } from './cells'

interface Row {
  readonly what: unknown
}
const column = (kind: ExportColumn<Row>['kind'], id = 'a'): ExportColumn<Row> => ({
  id,
  title: id.toUpperCase(),
  kind,
  value: ({ what }) => what,
})

describe('a cell of CSV', () => {
  it('says instants in UTC, durations in seconds, and nothing where there is nothing', () => {
    expect(csvCell('instant', '2026-11-27T03:00:00+01:00')).toBe('2026-11-27T02:00:00.000Z')
    expect(csvCell('instant', new Date(0))).toBe('1970-01-01T00:00:00.000Z')
    expect(csvCell('instant', 'never')).toBe('')
    expect(csvCell('instant', '2026-11-27T02:00:00.000Z')).toBe('2026-11-27T02:00:00.000Z')
    expect(csvCell('instant', '2026-13-27T02:00:00.000Z')).toBe('')
    expect(csvCell('duration', 4_080_500)).toBe('4080.5')
    expect(csvCell('number', -3)).toBe('-3')
    expect(csvCell('number', Infinity)).toBe('')
    expect([csvCell('yes', true), csvCell('yes', false), csvCell('yes', null)]).toEqual(['yes', 'no', ''])
    expect(csvCell('text', { a: [1] })).toBe('{"a":[1]}')
    expect(csvHeading(column('duration'))).toBe('A (s)')
    expect(csvHeading(column('text'))).toBe('A')
  })

  it('is never a formula, and all else comes back as it was', () => {
    const text = fc.oneof(
      fc.string({ unit: 'binary' }),
      fc.constantFrom('=1+1', '+49', '-x', '@sum', '\tx', '"', 'a,b\r\nc', '-12', '-1.5'),
    )
    fc.assert(
      fc.property(text, (what) => {
        const written = csvCell('text', what)
        expect(/^[=+@\t\r]/.test(written)).toBe(false)
        const [[back = ''] = []] = parse(stringify([[written]], { record_delimiter: '\r\n' }), {
          record_delimiter: '\r\n',
          relax_column_count: true,
        }) as string[][]
        expect(back.replace(/^'(?=[=+\-@\t\r])/, '')).toBe(what.replace(/^'(?=[=+\-@\t\r])/, ''))
      }),
      { numRuns: 500 },
    )
  })
})

it('JSON keeps numbers as numbers and names the unit of a duration', () => {
  expect(jsonRow([column('number', 'n'), column('duration', 'took')], { what: 1500 })).toEqual({
    n: 1500,
    tookSeconds: 1.5,
  })
  expect(JSON.stringify(jsonRow([column('instant', 'at')], { what: new Date(0) }))).toBe(
    '{"at":"1970-01-01T00:00:00.000Z"}',
  )
})

it('a workbook has what the clock shows, parts of a day, and only characters that XML can hold', () => {
  const atOslo = (): number => 3600
  expect(sheetCell('instant', '2026-11-27T02:00:00Z', atOslo)).toEqual(new Date('2026-11-27T03:00:00Z'))
  expect(sheetCell('duration', 6 * 3_600_000, atOslo)).toBe(0.25)
  expect(sheetCell('text', 'a\u0000b\ud800c\u001b[0m', atOslo)).toBe('a\ufffdb\ufffdc\ufffd[0m')
  expect(String(sheetCell('text', 'x'.repeat(40_000), atOslo))).toHaveLength(32_767)
  expect(sheetCell('text', null, atOslo)).toBeNull()
  expect(cellOf('number', '12')).toBe(12)
})

it('columns follow the screen: one there may be several in the file, and what means nothing there is left out', () => {
  const columns = [
    column('text', 'number'),
    { ...column('text', 'agent'), shownAs: ['machine'] },
    { ...column('text', 'robot'), shownAs: ['machine'] },
    column('text', 'why'),
  ]
  const ids = (names?: readonly string[]): string[] => chosenColumns(columns, names).map(({ id }) => id)
  expect(ids()).toEqual(['number', 'agent', 'robot', 'why'])
  expect(ids(['why', 'choose', 'machine', 'robot'])).toEqual(['why', 'agent', 'robot'])
})
