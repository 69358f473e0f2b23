/** A stretch of text in one look. */
export interface Span {
  readonly text: string
  readonly bold: boolean
  readonly colour: string | null
}

/** Our inks for the eight colours of ECMA-48 (SGR 30–37, 90–97), readable by day and by night. */
const COLOURS = [
  'var(--mute)',
  'var(--failed)',
  'var(--succeeded)',
  'var(--late)',
  'var(--running)',
  'var(--lost)',
  'var(--running)',
  'var(--ink)',
]

// CSI sequences, and OSC sequences up to their end (ECMA-48, 5.4 and 8.3.89).

const ESCAPES = /\u001b\[([0-9;:?]*)([ -/]*)([@-~])|\u001b\][^\u0007\u001b]*(?:\u0007|\u001b\\)|\u001b[@-Z\\-_]/g

/** Text with terminal colours as spans; every other escape sequence is left out. Of a line that was drawn over with carriage returns the last drawing counts. */
export function spansOf(raw: string): Span[] {
  const text = raw.includes('\r') ? (raw.split('\r').findLast((part) => part !== '') ?? '') : raw
  if (!text.includes('\u001b')) return [{ text, bold: false, colour: null }]
  const spans: Span[] = []
  let bold = false
  let colour: string | null = null
  let from = 0
  for (const match of text.matchAll(ESCAPES)) {
    if (match.index > from) spans.push({ text: text.slice(from, match.index), bold, colour })
    from = match.index + match[0].length
    if (match[3] !== 'm') continue
    const codes = (match[1] === '' ? '0' : (match[1] ?? '0')).split(/[;:]/).map(Number)
    for (let i = 0; i < codes.length; i++) {
      const code = codes[i] ?? 0
      if (code === 0) [bold, colour] = [false, null]
      else if (code === 1) bold = true
      else if (code === 22) bold = false
      else if (code === 39) colour = null
      else if (code >= 30 && code <= 37) colour = COLOURS[code - 30] ?? null
      else if (code >= 90 && code <= 97) colour = COLOURS[code - 90] ?? null
      // 38 and 48 take arguments: a palette number or three shares. They are passed over.
      else if (code === 38 || code === 48) i += codes[i + 1] === 5 ? 2 : 4
    }
  }
  if (from < text.length) spans.push({ text: text.slice(from), bold, colour })
  return spans
}
