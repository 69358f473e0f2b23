/** What our font draws (the Latin subset of Archivo); the rest of Latin is in a second file. */
const LATIN =
  /[\u0020-\u007e\u00a0-\u00ff\u0131\u0152\u0153\u02c6\u02da\u02dc\u2013\u2014\u2018-\u201a\u201c-\u201e\u2020-\u2022\u2026\u2039\u203a\u2044\u20ac\u2122\u2212]/u
const EXTENDED = /[\u0100-\u024f\u1e00-\u1ef1\u20a0-\u20bf]/u
const SPACES = /[\u2000-\u200a\u202f\u205f\t\r\n]/g

export type Piece = string | { readonly text: string; readonly font: 'ArchivoExt' }

/** Text with nothing in it that no font of ours draws: what is of another script becomes a question mark, as the page itself has it anyway. */
export const printable = (text: string): string =>
  [...text.normalize('NFC').replace(SPACES, ' ')]
    .map((letter) => (LATIN.test(letter) || EXTENDED.test(letter) ? letter : letter === '→' ? '>' : '?'))
    .join('')

/** The same, in pieces of the font that has them. */
export function pieces(text: string): string | Piece[] {
  const clean = printable(text)
  if (!EXTENDED.test(clean)) return clean
  const out: Piece[] = []
  for (const part of clean.split(/([\u0100-\u024f\u1e00-\u1ef1\u20a0-\u20bf]+)/u))
    if (part !== '')
      out.push(
        EXTENDED.test(part[0] as string) && !LATIN.test(part[0] as string) ? { text: part, font: 'ArchivoExt' } : part,
      )
  return out
}
