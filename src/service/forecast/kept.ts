import type { NightForecast } from '@/core/forecast/night'
import type { ForecastRun } from '@/core/forecast/report'
import type { StandingDeadline } from './risks'

/** The forecast of the next day, as it is kept for all. */
export interface Standing extends Omit<NightForecast, 'deadlines'> {
  readonly madeAt: string
  readonly deadlines: readonly StandingDeadline[]
  /** Jobs whose lengths are guesses, of all that run in the stretch. */
  readonly guesses: readonly string[]
  readonly jobs: number
  /** Definitions that cannot be read. */
  readonly leftOut: readonly string[]
  /** Runs that start soon, for the lanes of Watch. */
  readonly soon: readonly Pick<ForecastRun, 'target' | 'agent' | 'start' | 'end'>[]
  /** Occurrences whose work starts later than they fall, and why. */
  readonly late: readonly {
    readonly trigger: string
    readonly occurrence: string
    readonly at: string
    readonly why: string
  }[]
}
