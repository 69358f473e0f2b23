import fc from 'fast-check'
import { clippedSchema, textSchema, titleSchema, unstorablePath } from './text'
import { clipText, isStorable, storableText, visible } from './plain-text'

const anyText = fc.string({ unit: fc.nat(0xffff).map((unit) => String.fromCharCode(unit)) })

describe('text from outside', () => {
  it('loses NUL and lone surrogates, and nothing else', () => {
    expect(storableText('a\0b')).toBe('a\uFFFDb')
    expect(storableText('\uD800x\uDC00')).toBe('\uFFFDx\uFFFD')
    expect(storableText('Øre 🎺 \t\n\u2028')).toBe('Øre 🎺 \t\n\u2028')
  })

  it('is storable afterwards, whatever it was, and keeps its length in characters', () => {
    fc.assert(
      fc.property(anyText, (text) => {
        const kept = storableText(text)
        expect(isStorable(kept)).toBe(true)
        expect([...kept]).toHaveLength([...text].length)
        expect(kept.isWellFormed()).toBe(true)
      }),
    )
  })

  it('is cut between characters', () => {
    expect(clipText('a🎺b', 2)).toBe('a')
    expect(clipText('a🎺b', 3)).toBe('a🎺')
    fc.assert(
      fc.property(anyText, fc.nat(20), (text, most) => {
        const cut = clipText(storableText(text), most)
        expect(cut.length).toBeLessThanOrEqual(most)
        expect(isStorable(cut)).toBe(true)
      }),
    )
  })

  it('is refused when it is too long, or cut where only a reader looks at it', () => {
    expect(textSchema(3).safeParse('abcd').success).toBe(false)
    expect(textSchema(3).parse('a\0')).toBe('a\uFFFD')
    expect(clippedSchema(3).parse('a\0cd')).toBe('a\uFFFDc')
  })

  it('that cannot be stored is found in whatever it is in', () => {
    expect(unstorablePath({ a: [{ b: 'x' }, { b: '\uD800' }] })).toBe('a[1].b')
    expect(unstorablePath({ 'k\0': 1 })).toBe('k\uFFFD')
    expect(unstorablePath({ a: 'x', n: 1, nothing: null })).toBeUndefined()
  })
})

describe('what would turn text around or hide in it', () => {
  it('is shown', () => {
    expect(visible('backup\u202Egnp.exe')).toBe('backup⟨U+202E⟩gnp.exe')
    expect(visible('a\u200Bb\u2066c')).toBe('a⟨U+200B⟩b⟨U+2066⟩c')
    expect(visible('Øre שלום 🎺 \t')).toBe('Øre שלום 🎺 \t')
  })

  it('is no part of a title', () => {
    const title = titleSchema('Write one.', 10)
    for (const text of ['', ' ', 'a\u202Eb', 'a\nb', 'a\u2028b', 'x'.repeat(11)])
      expect(title.safeParse(text).success).toBe(false)
    expect(title.parse(' Øre ')).toBe('Øre')
  })
})
