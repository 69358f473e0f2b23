/** What differs from run to run without meaning anything, by the name under which it can be switched off. */
const PATTERNS = {
  // RFC 3339 and what is common beside it: 2027-03-09T02:00:01.5Z, 09/Mar/2027:02:00:01 +0000, Tue Mar  9 02:00:01, 02:00:01.
  instants:
    /\d{4}-\d{2}-\d{2}(?:[T ]\d{2}:\d{2}(?::\d{2}(?:[.,]\d+)?)?(?: ?(?:Z|[+-]\d{2}:?\d{2}))?)?|\d{2}\/[A-Z][a-z]{2}\/\d{4}(?::\d{2}:\d{2}:\d{2}(?: [+-]\d{4})?)?|(?:(?:Mon|Tue|Wed|Thu|Fri|Sat|Sun),? )?(?:(?:Jan|Feb|Mar|Apr|May|Jun|Jul|Aug|Sep|Oct|Nov|Dec) {1,2}\d{1,2}|\d{1,2} (?:Jan|Feb|Mar|Apr|May|Jun|Jul|Aug|Sep|Oct|Nov|Dec))(?: \d{4})?(?: \d{2}:\d{2}:\d{2})?|\b\d{1,2}:\d{2}:\d{2}(?:[.,]\d+)?/g,
  durations:
    /\b\d+(?:[.,]\d+)? ?(?:ns|µs|us|ms|s|secs?|seconds?|mins?|minutes?|hours?)\b|\b\d+m\d{1,2}(?:\.\d+)?s\b|\bPT(?:\d+H)?(?:\d+M)?(?:\d+(?:\.\d+)?S)?\b/g,
  'run numbers': /#\d{1,15}\b|\b[Rr]un \d{1,15}\b/g,
  'process ids': /\b(?:pid|PID|process)[ =:]{1,2}\d{1,7}\b|\[\d{2,7}\](?=:)/g,
  'temporary names':
    /\/(?:var\/)?tmp\/[^\s'":;,)]+|\btmp\.[A-Za-z0-9]{6,}|\b[0-9a-f]{8}-[0-9a-f]{4}-[0-9a-f]{4}-[0-9a-f]{4}-[0-9a-f]{12}\b|\b(?=[0-9a-f]*\d)[0-9a-f]{16,64}\b/g,
} as const satisfies Readonly<Record<string, RegExp>>

export type MaskName = keyof typeof PATTERNS
export const MASKS = Object.keys(PATTERNS) as readonly MaskName[]

/** So much of a line is looked at: what is longer is compared as it is. */
const MOST_MASKED = 10_000

/**
 * Makes of a line what is compared: whatever a mask finds stands as the mask’s name.
 *
 * @param own further expressions, of whoever compares; they must have the flag `g`
 */
export function masking(names: readonly MaskName[], own: readonly RegExp[] = []): (line: string) => string {
  const all = [
    ...names.map((name) => [PATTERNS[name], `‹${name}›`] as const),
    ...own.map((each) => [each, '‹…›'] as const),
  ]
  return (line) =>
    line.length > MOST_MASKED ? line : all.reduce((text, [pattern, word]) => text.replace(pattern, word), line)
}

/** Colours and moves of a terminal (ECMA-48, 5.4) say nothing of what was written. */
const ESCAPES = /\u001b(?:\[[0-?]*[ -/]*[@-~]|\][^\u0007\u001b]*(?:\u0007|\u001b\\)|[@-Z\\-_])/g
export const withoutEscapes = (line: string): string => (line.includes('\u001b') ? line.replace(ESCAPES, '') : line)
