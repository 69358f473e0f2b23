import { reportBodySchema } from './protocol'

const output = (...lines: unknown[]): unknown => ({ kind: 'output', lines })
const reads = (body: unknown): boolean => reportBodySchema.safeParse(body).success

describe('lines of output', () => {
  it('are an instant, a stream, a text, and whether they go on', () => {
    const body = output([1, 'o', 'gate 4 open'], [2, 'e', 'x'.repeat(70_000), 1], [3, 'a', ''])
    expect(reportBodySchema.parse(body)).toEqual(body)
  })

  it('are made storable as they are read', () => {
    expect(reportBodySchema.parse(output([1, 'o', 'a\0b\uD800c'], [2, 'o', 'fähre']))).toEqual(
      output([1, 'o', 'a\uFFFDb\uFFFDc'], [2, 'o', 'fähre']),
    )
  })

  it.each([
    ['none', output()],
    ['too many', output(...Array.from({ length: 2001 }, () => [1, 'o', '']))],
    ['no list', output('text')],
    ['a part less', output([1, 'o'])],
    ['a part more', output([1, 'o', '', 1, 1])],
    ['another mark', output([1, 'o', '', 2])],
    ['another stream', output([1, 'x', ''])],
    ['an instant before all time', output([-1, 'o', ''])],
    ['an instant after all time', output([253_402_300_800_000, 'o', ''])],
    ['half an instant', output([1.5, 'o', ''])],
    ['no text', output([1, 'o', null])],
    ['a text beyond the limit', output([1, 'o', 'x'.repeat(70_001)])],
    ['one bad among good ones', output([1, 'o', ''], [1, 'o', 7])],
  ])('are refused: %s', (_, body) => expect(reads(body)).toBe(false))
})
