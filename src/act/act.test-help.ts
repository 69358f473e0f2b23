import type { Context } from './context'

export interface Told {
  readonly context: Context
  readonly lines: string[]
  readonly warnings: string[]
  readonly outputs: Record<string, string>
}

/** Surroundings of an attempt that keep what was said and handed on. */
export function told(values: Record<string, string> = {}, account: Context['account'] = null): Told {
  const lines: string[] = []
  const warnings: string[] = []
  const outputs: Record<string, string> = {}
  const context: Context = {
    values,
    account,
    run: '18204',
    attempt: '1',
    say: (line) => void lines.push(line),
    warn: (line) => void warnings.push(line),
    hand: (name, value) => void (outputs[name] = value),
  }
  return { context, lines, warnings, outputs }
}
