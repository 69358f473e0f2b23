import { spansOf } from './ansi'

describe('spansOf', () => {
  it('shows colours and bold, and drops every other escape', () => {
    expect(spansOf('\u001b[31mred\u001b[0m plain \u001b[1mbold\u001b[22m\u001b[2K\u001b]0;title\u0007')).toEqual([
      { text: 'red', bold: false, colour: 'var(--failed)' },
      { text: ' plain ', bold: false, colour: null },
      { text: 'bold', bold: true, colour: null },
    ])
  })

  it('passes over palette and true colours with their arguments', () => {
    expect(spansOf('\u001b[38;5;31mx\u001b[48;2;1;2;3my')).toEqual([
      { text: 'x', bold: false, colour: null },
      { text: 'y', bold: false, colour: null },
    ])
  })

  it('keeps the last drawing of a line', () => {
    expect(spansOf('10 %\r50 %\r100 %\r').map((s) => s.text)).toEqual(['100 %'])
  })
})
