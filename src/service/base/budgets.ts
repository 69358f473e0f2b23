import { TooMuch, within } from '@/core/budget'
import { invalid } from './problem'

/** Steps (core/budget) that a computation on what somebody wrote may take; a million take some ten milliseconds. */
export const STEPS = {
  /** What is asked of a trigger when it is looked at or saved. */
  trigger: 8_000_000,
  /** What the engine asks of it each time it is due: more than at saving, so that what was saved can be worked out later. */
  firing: 24_000_000,
  /** Some decades of a calendar. */
  calendar: 8_000_000,
  /** A file that is read. */
  file: 20_000_000,
} as const

/** The work within its budget; beyond it a refusal at this place of the request. `subject`: what it is about, when there are many. */
export function bounded<T>(budget: keyof typeof STEPS, path: string, work: () => T, subject = ''): T {
  try {
    return within(STEPS[budget], work)
  } catch (error) {
    if (error instanceof TooMuch) throw invalid(path, subject ? `${subject}: ${error.message}` : error.message)
    throw error
  }
}
