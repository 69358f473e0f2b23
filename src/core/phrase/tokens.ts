export interface Token {
  readonly kind: 'word' | 'number' | 'time' | 'date' | 'quoted' | 'mark'
  /** Lower case; of quoted text what stands between the quotes, as it is. */
  readonly text: string
  /** Where it begins in the phrase, in characters from 0. */
  readonly at: number
  readonly length: number
}

const PATTERNS: readonly (readonly [Token['kind'], RegExp])[] = [
  ['date', /\d{4}-\d{2}-\d{2}(?![\d-])/y],
  ['time', /\d{1,2}:\d{2}(?::\d{2})?(?:\s?[ap]\.?m\b\.?)?(?![\d:])/iy],
  ['time', /\d{1,2}\s?[ap]\.?m\b\.?/iy],
  ['word', /\d{1,3}(?:st|nd|rd|th)\b/iy],
  ['number', /-?\d+(?:[.,]\d+)?/y],
  ['quoted', /“[^”]*”|"[^"]*"/y],
  ['word', /[\p{L}][\p{L}\p{M}0-9'’_]*/uy],
  ['mark', /[(),;:.&+/–-]|\S/uy],
]

/** Cuts a phrase into words, numbers, times and marks. Nothing is left out but blanks. */
export function tokensOf(text: string): Token[] {
  const tokens: Token[] = []
  let at = 0
  while (at < text.length) {
    if (/\s/.test(text[at] as string)) {
      at++
      continue
    }
    for (const [kind, pattern] of PATTERNS) {
      // A hyphen between words joins them: it is no sign.
      if (kind === 'number' && text[at] === '-' && /[\p{L}\d]/u.test(text[at - 1] ?? ' ')) continue
      pattern.lastIndex = at
      const found = pattern.exec(text)?.[0]
      if (found === undefined) continue
      const inner = kind === 'quoted' ? found.slice(1, -1) : found.toLowerCase().replace('–', '-').replace('’', "'")
      tokens.push({ kind, text: inner, at, length: found.length })
      at += found.length
      break
    }
  }
  return tokens
}

/** Seconds since midnight of a time token; undefined where there is no such time of day (25:00, 13pm). */
export function secondsOfToken(text: string): number | undefined {
  const parts = /^(\d{1,2})(?::(\d{2})(?::(\d{2}))?)?\s?(?:([ap])\.?m\.?)?$/.exec(text)
  if (!parts) return undefined
  const [hour, minute, second] = [Number(parts[1]), Number(parts[2] ?? 0), Number(parts[3] ?? 0)]
  if (minute > 59 || second > 59) return undefined
  const half = parts[4]
  if (half === undefined) return hour > 23 ? undefined : hour * 3600 + minute * 60 + second
  if (hour < 1 || hour > 12) return undefined
  return ((hour % 12) + (half === 'p' ? 12 : 0)) * 3600 + minute * 60 + second
}
