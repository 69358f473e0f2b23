import { runInNewContext } from 'node:vm'

/** A regular expression may take this long over one batch of lines; then it is given up, since some never end. */
const PATTERN_TIMEOUT_MS = 1000

export interface Pattern {
  readonly text: string
  readonly regex: boolean
}

/** Looks for a pattern in lines as they come. Remembers the first line that had it. */
export class PatternWatch {
  found: string | null = null
  /** Why it cannot be looked for any more; null: all is well. */
  trouble: string | null = null

  constructor(private readonly pattern: Pattern) {}

  look(lines: readonly string[]): void {
    if (this.found !== null || this.trouble !== null) return
    if (!this.pattern.regex) {
      this.found = lines.find((line) => line.includes(this.pattern.text)) ?? null
      return
    }
    try {
      // In a context of its own because only there can a runaway expression be stopped.
      const at = runInNewContext(
        'const r = new RegExp(text); lines.findIndex((line) => r.test(line))',
        { text: this.pattern.text, lines },
        { timeout: PATTERN_TIMEOUT_MS },
      ) as number
      this.found = at < 0 ? null : (lines[at] ?? null)
    } catch (error) {
      this.trouble = `The pattern ${this.pattern.text} could not be looked for: ${(error as Error).message}`
    }
  }
}
