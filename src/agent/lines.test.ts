import fc from 'fast-check'
import { LineAssembler, LONGEST_LINE_BYTES, splitLines, type SplitLines } from './lines'
import { PatternWatch } from './patterns'

const textsOf = ({ lines, consumed }: SplitLines): { lines: string[]; consumed: number } => ({
  lines: lines.map(({ text }) => text),
  consumed,
})

describe('splitLines', () => {
  it('leaves an unfinished line for the next reading, unless it is the end', () => {
    expect(textsOf(splitLines(Buffer.from('one\r\ntwo\nthr'), false))).toEqual({ lines: ['one', 'two'], consumed: 9 })
    expect(textsOf(splitLines(Buffer.from('thr'), true))).toEqual({ lines: ['thr'], consumed: 3 })
    expect(textsOf(splitLines(Buffer.from(''), true))).toEqual({ lines: [], consumed: 0 })
  })

  it('shows bad UTF-8 as U+FFFD', () => {
    expect(textsOf(splitLines(Buffer.from([0x61, 0xff, 0x62, 0xc3, 0x0a]), false)).lines).toEqual(['a\ufffdb\ufffd'])
  })

  it('gives the same lines however the bytes arrive', () => {
    fc.assert(
      fc.property(
        fc.array(fc.string({ unit: 'grapheme', maxLength: 50 }), { maxLength: 8 }),
        fc.array(fc.integer({ min: 1, max: 30 }), { minLength: 1, maxLength: 20 }),
        (texts, steps) => {
          const lines = texts.map((t) => t.replaceAll(/[\r\n]/g, ' '))
          const all = Buffer.from(lines.map((l) => `${l}\n`).join(''))
          const got: string[] = []
          let from = 0
          let upTo = 0
          for (let i = 0; upTo < all.length; i++) {
            upTo = Math.min(all.length, upTo + (steps[i % steps.length] as number))
            const { lines: part, consumed } = textsOf(splitLines(all.subarray(from, upTo), upTo === all.length))
            got.push(...part)
            from += consumed
          }
          expect(got).toEqual(lines)
        },
      ),
    )
  })

  it('cuts an over-long line, losing nothing, never inside a character or a secret', () => {
    const secret = 'very-secret-word'
    const text = `${'é'.repeat(LONGEST_LINE_BYTES / 2 - 4)}${secret}${'x'.repeat(3 * LONGEST_LINE_BYTES)}`
    const split = splitLines(Buffer.from(`${text}\n`), false, [Buffer.from(secret)])
    const { lines } = textsOf(split)
    expect(split.lines.map(({ goesOn }) => goesOn)).toEqual(lines.map((_, i) => i < lines.length - 1))
    expect(lines.join('')).toBe(text)
    expect(lines.length).toBeGreaterThan(3)
    expect(lines.filter((l) => l.includes(secret))).toHaveLength(1)
    for (const line of lines) expect(Buffer.byteLength(line)).toBeLessThanOrEqual(LONGEST_LINE_BYTES + 4)
  })
})

describe('a stream that arrives in pieces', () => {
  it('gives the same lines, also when another process goes on in the middle, and never half a secret', () => {
    const secret = 'very-secret-word'
    const text = `one\n${'é'.repeat(9000)}${secret}${'x'.repeat(20_000)}\nthe last`
    const all = Buffer.from(text)
    const whole = new LineAssembler([Buffer.from(secret)], 0)
    const expected = [...whole.feed(all), ...whole.end()]
    fc.assert(
      fc.property(fc.array(fc.integer({ min: 1, max: 9000 }), { minLength: 1 }), fc.nat(40), (steps, change) => {
        let reader = new LineAssembler([Buffer.from(secret)], 0)
        const got = []
        let from = 0
        for (let i = 0; from < all.length; i++) {
          // Another process reads again from the beginning, and passes over what became lines before.
          if (i === change) {
            reader = new LineAssembler([Buffer.from(secret)], reader.consumed)
            got.push(...reader.feed(all.subarray(0, from)))
          }
          const upTo = Math.min(all.length, from + (steps[i % steps.length] as number))
          got.push(...reader.feed(all.subarray(from, upTo)))
          from = upTo
        }
        got.push(...reader.end())
        expect(
          got
            .map(({ text: piece }) => piece)
            .join('|')
            .replaceAll('|', ''),
        ).toBe(text.replaceAll('\n', ''))
        expect(got.filter(({ text: piece }) => piece.includes(secret))).toHaveLength(1)
        expect(got.at(-1)).toEqual(expected.at(-1))
      }),
    )
  })
})

describe('PatternWatch', () => {
  it('remembers the first line that had it', () => {
    const watch = new PatternWatch({ text: '^E\\d+', regex: true })
    watch.look(['ok', 'E17 bad'])
    watch.look(['E18'])
    expect(watch.found).toBe('E17 bad')
  })

  it('gives up an expression that never ends', () => {
    const watch = new PatternWatch({ text: '^(a+)+$', regex: true })
    watch.look([`${'a'.repeat(40)}b`])
    expect(watch.found).toBeNull()
    expect(watch.trouble).toContain('could not be looked for')
  })
})
