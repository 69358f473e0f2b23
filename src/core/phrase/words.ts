/** The vocabulary of phrases: plain English of operations people. */

export const WEEKDAY_NAMES = ['Monday', 'Tuesday', 'Wednesday', 'Thursday', 'Friday', 'Saturday', 'Sunday'] as const
export const MONTH_NAMES = [
  'January',
  'February',
  'March',
  'April',
  'May',
  'June',
  'July',
  'August',
  'September',
  'October',
  'November',
  'December',
] as const

/** Index of a weekday by name, plural or a usual short form; -1 for anything else. */
export function weekdayNamed(word: string): number {
  const singular = word.length > 4 ? word.replace(/s$/, '') : word
  return WEEKDAY_NAMES.findIndex((name) => {
    const lower = name.toLowerCase()
    return (
      singular === lower ||
      word === lower.slice(0, 3) ||
      (lower.startsWith(word) && ['tues', 'wednes', 'thur', 'thurs'].includes(word))
    )
  })
}

/** 1 to 12 by name or its first three letters (`sept` too); 0 for anything else. */
export function monthNamed(word: string): number {
  return (
    1 +
    MONTH_NAMES.findIndex(
      (name) =>
        word === name.toLowerCase() ||
        word === name.slice(0, 3).toLowerCase() ||
        (word === 'sept' && name === 'September'),
    )
  )
}

const NUMBER_WORDS = [
  'zero',
  'one',
  'two',
  'three',
  'four',
  'five',
  'six',
  'seven',
  'eight',
  'nine',
  'ten',
  'eleven',
  'twelve',
]
const ORDINAL_WORDS = [
  'zeroth',
  'first',
  'second',
  'third',
  'fourth',
  'fifth',
  'sixth',
  'seventh',
  'eighth',
  'ninth',
  'tenth',
  'eleventh',
  'twelfth',
]

/** A number written as a word, `zero` to `twelve`; undefined for anything else. */
export function numberNamed(word: string): number | undefined {
  const at = NUMBER_WORDS.indexOf(word)
  return at < 0 ? undefined : at
}

/** `first` to `twelfth`, `1st`, `22nd`; undefined for anything else. */
export function ordinalNamed(word: string): number | undefined {
  const at = ORDINAL_WORDS.indexOf(word)
  if (at > 0) return at
  const digits = /^(\d{1,3})(st|nd|rd|th)$/.exec(word)
  return digits && Number(digits[1]) > 0 ? Number(digits[1]) : undefined
}

/** `1st`, `2nd`, `11th`, and from the end `last`, `2nd last`. */
export function ordinal(n: number): string {
  if (n === -1) return 'last'
  if (n < 0) return `${ordinal(-n)} last`
  const tens = n % 100
  const suffix = tens > 10 && tens < 14 ? 'th' : (['th', 'st', 'nd', 'rd'][n % 10] ?? 'th')
  return `${n}${suffix}`
}

/** `A`, `A and B`, `A, B and C`. */
export function listed(items: readonly string[], word = 'and'): string {
  if (items.length < 2) return items[0] ?? ''
  return `${items.slice(0, -1).join(', ')} ${word} ${items.at(-1)}`
}

/** Words that phrases are made of, for finding what a mistyped one may have meant. */
export const VOCABULARY: readonly string[] = [
  ...WEEKDAY_NAMES,
  ...MONTH_NAMES,
  ...WEEKDAY_NAMES.map((name) => `${name}s`),
  ...NUMBER_WORDS.slice(1),
  ...ORDINAL_WORDS.slice(1),
  ...'at every each daily hourly weekly monthly quarterly yearly fortnightly nightly minute minutes hour hours second seconds day days week weeks month months quarter quarters year years'.split(
    ' ',
  ),
  ...'weekday weekdays weekend weekends workday workdays fortnight working noon midnight midday between and from to until on in of the last other except never not but before after moved next previous nearest holidays calendar counted past half'.split(
    ' ',
  ),
]

/** Edits that turn one word into the other: letters put in, taken out, replaced, or two neighbours swapped (Damerau 1964). */
export function editDistance(a: string, b: string): number {
  const rows: number[][] = [Array.from({ length: b.length + 1 }, (_, j) => j)]
  for (let i = 1; i <= a.length; i++) {
    const row = [i]
    for (let j = 1; j <= b.length; j++) {
      const same = a[i - 1] === b[j - 1]
      let least = Math.min(
        (rows[i - 1]?.[j] ?? 0) + 1,
        (row[j - 1] ?? 0) + 1,
        (rows[i - 1]?.[j - 1] ?? 0) + (same ? 0 : 1),
      )
      if (i > 1 && j > 1 && a[i - 1] === b[j - 2] && a[i - 2] === b[j - 1])
        least = Math.min(least, (rows[i - 2]?.[j - 2] ?? 0) + 1)
      row.push(least)
    }
    rows.push(row)
  }
  return rows[a.length]?.[b.length] ?? 0
}
