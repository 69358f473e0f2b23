import fc from 'fast-check'
import { LONGEST_LINE_BYTES, splitLines } from './lines'
import { PatternWatch } from './patterns'

describe('splitLines', () => {
  it('leaves an unfinished line for the next reading, unless it is the end', () => {
    expect(splitLines(Buffer.from('one\r\ntwo\nthr'), false)).toEqual({ lines: ['one', 'two'], consumed: 9 })
    expect(splitLines(Buffer.from('thr'), true)).toEqual({ lines: ['thr'], consumed: 3 })
    expect(splitLines(Buffer.from(''), true)).toEqual({ lines: [], consumed: 0 })
  })

  it('shows bad UTF-8 as U+FFFD', () => {
    expect(splitLines(Buffer.from([0x61, 0xff, 0x62, 0xc3, 0x0a]), false).lines).toEqual(['a\ufffdb\ufffd'])
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
            const { lines: part, consumed } = splitLines(all.subarray(from, upTo), upTo === all.length)
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
    const { lines } = splitLines(Buffer.from(`${text}\n`), false, [Buffer.from(secret)])
    expect(lines.join('')).toBe(text)
    expect(lines.length).toBeGreaterThan(3)
    expect(lines.filter((l) => l.includes(secret))).toHaveLength(1)
    for (const line of lines) expect(Buffer.byteLength(line)).toBeLessThanOrEqual(LONGEST_LINE_BYTES + 4)
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
