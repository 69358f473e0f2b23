import { someOf } from '../phrase/some-of'
import type { Plan } from './plan'
import type { FlowRun, StepResult } from './state'

/** Why a flow that has ended ended as it did, in a sentence. `titles`: of its steps, by index. */
export function sayEnding(plan: Plan, run: FlowRun, titles: readonly string[], stoppedBy: string | null): string {
  const jobs = plan.steps.filter((step) => step.flow === null)
  const named = (state: StepResult['state']): string =>
    someOf(
      jobs
        .filter(({ index }) => run.result(index).state === state && !run.result(index).tolerated)
        .map(({ index }) => titles[index] ?? ''),
    )
  if (run.state === 'failed') return `${named('failed')} failed.`
  if (run.state === 'cancelled')
    return stoppedBy === null ? `Cancelled: ${named('cancelled')}.` : `Stopped by ${stoppedBy}.`
  const skipped = jobs.filter(({ index }) => run.result(index).state === 'skipped').length
  return skipped > 0 ? `All that was to be done succeeded; ${skipped} skipped.` : 'Every step succeeded.'
}
