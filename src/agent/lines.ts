/** A line longer than this many bytes is cut into several pieces. */
export const LONGEST_LINE_BYTES = 16 * 1024

const LF = 0x0a
const CR = 0x0d

export interface Piece {
  readonly text: string
  /** The line goes on in the next piece of its stream. */
  readonly goesOn: boolean
}

export interface SplitLines {
  readonly lines: Piece[]
  /** Bytes that became lines; the next reading begins after them. */
  readonly consumed: number
}

/**
 * Cuts bytes of output into lines: at LF or CRLF, over-long lines into pieces of `LONGEST_LINE_BYTES`. What follows the last line end is left for the next reading unless `atEnd`.
 * Nothing is carried from one call to the next, so a reader can stop anywhere and go on from its offset, also in another process. Bad UTF-8 becomes U+FFFD.
 * An over-long line is never cut inside a character or inside one of `secrets`, so that masking piece by piece sees each whole.
 */
export function splitLines(bytes: Buffer, atEnd: boolean, secrets: readonly Buffer[] = []): SplitLines {
  const lines: Piece[] = []
  const longest = secrets.reduce((most, secret) => Math.max(most, secret.length), 0)
  let start = 0
  for (;;) {
    const found = bytes.indexOf(LF, start)
    const lineEnd = found < 0 ? bytes.length : found
    // A secret that is only half there yet might be cut: what is nearer to the end than the longest one waits.
    const needed = found < 0 && !atEnd ? LONGEST_LINE_BYTES + longest : LONGEST_LINE_BYTES
    while (lineEnd - start > needed) {
      const cut = cutBefore(bytes, start, start + LONGEST_LINE_BYTES, secrets)
      lines.push({ text: bytes.toString('utf8', start, cut), goesOn: true })
      start = cut
    }
    if (found < 0) {
      if (atEnd && start < bytes.length) {
        lines.push({ text: textOf(bytes, start, bytes.length), goesOn: false })
        start = bytes.length
      }
      return { lines, consumed: start }
    }
    lines.push({ text: textOf(bytes, start, found), goesOn: false })
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

/** Turns what arrives on one stream, piece by piece, into lines. */
export class LineAssembler {
  private pending: Buffer = Buffer.alloc(0)
  /** Bytes of the stream that became lines. */
  consumed = 0

  /** @param skip bytes of the stream that became lines before, in an earlier process */
  constructor(
    private readonly secrets: readonly Buffer[],
    private skip: number,
  ) {
    this.consumed = skip
  }

  feed(bytes: Buffer): Piece[] {
    const fresh = bytes.subarray(Math.min(this.skip, bytes.length))
    this.skip -= bytes.length - fresh.length
    return this.cut(this.pending.length > 0 ? Buffer.concat([this.pending, fresh]) : fresh, false)
  }

  /** What is left without a line end. */
  end(): Piece[] {
    return this.cut(this.pending, true)
  }

  private cut(bytes: Buffer, atEnd: boolean): Piece[] {
    const { lines, consumed } = splitLines(bytes, atEnd, this.secrets)
    // A copy: the rest must not hold a whole reading in memory.
    this.pending = Buffer.from(bytes.subarray(consumed))
    this.consumed += consumed
    return lines
  }
}
