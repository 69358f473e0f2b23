import type { Token } from './tokens'

/** What is not understood, and where. */
export class PhraseFault extends Error {
  constructor(
    message: string,
    /** In characters of the phrase, from 0. */
    readonly at: number,
    readonly length: number,
  ) {
    super(message)
  }
}

/** A place in a phrase. Readers move it on when they understand, and leave it where it was when they do not. */
export class Cursor {
  private at = 0

  constructor(
    readonly tokens: readonly Token[],
    readonly text: string,
  ) {}

  get isAtEnd(): boolean {
    return this.at >= this.tokens.length
  }

  get place(): number {
    return this.at
  }

  peek(ahead = 0): Token | undefined {
    return this.tokens[this.at + ahead]
  }

  next(): Token | undefined {
    return this.tokens[this.at++]
  }

  /** Back to a place that was passed. */
  goBack(place: number): void {
    this.at = Math.min(this.at, place)
  }

  /** Takes these words if they come next, one after the other; each may be a choice, `a|b`. */
  take(...words: readonly string[]): boolean {
    const fits = words.every((word, i) => {
      const token = this.peek(i)
      return token !== undefined && token.kind !== 'quoted' && word.split('|').includes(token.text)
    })
    if (fits) this.at += words.length
    return fits
  }

  /** Tries a reader; what gives null leaves the cursor where it was. */
  attempt<T>(read: () => T | null): T | null {
    const before = this.at
    const value = read()
    if (value === null) this.at = before
    return value
  }

  fault(message: string, token: Token | undefined = this.peek()): PhraseFault {
    return new PhraseFault(message, token?.at ?? this.text.length, token?.length ?? 0)
  }
}
