import { visible } from '../schema/plain-text'
import type { SuccessRule } from '../work/job'
import type { AttemptOutcome } from './lifecycle'

/** What an agent reports at the end of an attempt. */
export interface AttemptEnd {
  /** Exit code; null when a signal ended it or it never started. */
  readonly exitCode: number | null
  readonly signal: string | null
  readonly how: 'exited' | 'stopped' | 'timedOut' | 'couldNotStart' | 'orphaned'
  /** Why it could not start, or, of an action that talks to others, why it failed. */
  readonly detail: string | null
  /** Whether the pattern that must appear, and the one that must not, were seen; null: no such pattern. */
  readonly sawMust: boolean | null
  readonly sawMustNot: boolean | null
  /** The first line that held the pattern that must not appear. */
  readonly mustNotLine: string | null
}

export interface Judgement {
  readonly outcome: AttemptOutcome
  /** One sentence for the run's page. */
  readonly reason: string
}

/** What is success: the job's rule applied to what the agent reports. */
export function judge(end: AttemptEnd, rule: SuccessRule, timeLimitSeconds: number | null): Judgement {
  const detail = end.detail === null ? null : visible(end.detail)
  if (end.how === 'stopped') return { outcome: 'stopped', reason: 'Stopped.' }
  if (end.how === 'timedOut') {
    return { outcome: 'timedOut', reason: `Stopped at its time limit of ${spell(timeLimitSeconds ?? 0)}.` }
  }
  if (end.how === 'couldNotStart') return { outcome: 'failed', reason: detail ?? 'The command could not be started.' }
  if (end.how === 'orphaned')
    return { outcome: 'failed', reason: detail ?? 'The process ended while the agent was away.' }
  if (end.signal !== null) return { outcome: 'failed', reason: `Ended by signal ${end.signal}.` }
  const code = end.exitCode
  if (code === null) return { outcome: 'failed', reason: detail ?? 'It ended without an exit code.' }
  if (!rule.exitCodes.includes(code)) {
    const wanted = rule.exitCodes.length === 1 ? `${rule.exitCodes[0]}` : `one of ${rule.exitCodes.join(', ')}`
    return { outcome: 'failed', reason: detail ?? `Exit code ${code}; success is ${wanted}.` }
  }
  if (end.sawMustNot === true) {
    return { outcome: 'failed', reason: `The output has “${clip(end.mustNotLine ?? '')}”, which must not appear.` }
  }
  if (end.sawMust === false) {
    return { outcome: 'failed', reason: `“${clip(rule.must?.text ?? '')}” did not appear in the output.` }
  }
  return { outcome: 'succeeded', reason: `Exit code ${code}.` }
}

function clip(raw: string): string {
  const text = visible(raw)
  return text.length > 80 ? `${text.slice(0, 79)}…` : text
}

/** Seconds in words: `45 s`, `20 min`, `1 h 08 min`. */
export function spell(seconds: number): string {
  if (seconds < 60) return `${seconds} s`
  const minutes = Math.floor(seconds / 60)
  const rest = seconds % 60
  if (minutes < 60) return rest === 0 ? `${minutes} min` : `${minutes} min ${String(rest).padStart(2, '0')} s`
  return `${Math.floor(minutes / 60)} h ${String(minutes % 60).padStart(2, '0')} min`
}
