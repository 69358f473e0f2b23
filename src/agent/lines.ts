/** A line longer than this many bytes is cut into several. */
export const LONGEST_LINE_BYTES = 16 * 1024

const LF = 0x0a
const CR = 0x0d

export interface SplitLines {
  readonly lines: string[]
  /** Bytes that became lines; the next reading begins after them. */
  readonly consumed: number
}

/**
 * Cuts bytes of output into lines: at LF or CRLF, over-long lines at `LONGEST_LINE_BYTES`. What follows the last line end is left for the next reading unless `atEnd`.
 * Nothing is carried from one call to the next, so a reader can stop anywhere and go on from its offset, also in another process. Bad UTF-8 becomes U+FFFD.
 * An over-long line is never cut inside a character or inside one of `secrets`, so that masking line by line sees each whole.
 */
export function splitLines(bytes: Buffer, atEnd: boolean, secrets: readonly Buffer[] = []): SplitLines {
  const lines: string[] = []
  let start = 0
  for (;;) {
    const found = bytes.indexOf(LF, start)
    const lineEnd = found < 0 ? bytes.length : found
    while (lineEnd - start > LONGEST_LINE_BYTES) {
      const cut = cutBefore(bytes, start, start + LONGEST_LINE_BYTES, secrets)
      lines.push(bytes.toString('utf8', start, cut))
      start = cut
    }
    if (found < 0) {
      if (atEnd && start < bytes.length) {
        lines.push(textOf(bytes, start, bytes.length))
        start = bytes.length
      }
      return { lines, consumed: start }
    }
    lines.push(textOf(bytes, start, found))
    start = found + 1
  }
}

function textOf(bytes: Buffer, start: number, end: number): string {
  return bytes.toString('utf8', start, end > start && bytes[end - 1] === CR ? end - 1 : end)
}

function cutBefore(bytes: Buffer, start: number, wished: number, secrets: readonly Buffer[]): number {
  let cut = wished
  for (const secret of secrets) {
    const from = Math.max(start + 1, cut - secret.length + 1)
    const at = bytes.subarray(from, cut + secret.length - 1).indexOf(secret)
    if (at >= 0 && from + at < cut) cut = from + at
  }
  // Continuation bytes are 10xxxxxx; at most three follow a first byte (RFC 3629).
  for (let back = 0; back < 3 && ((bytes[cut] ?? 0) & 0xc0) === 0x80 && cut > start + 1; back++) cut--
  return cut
}
