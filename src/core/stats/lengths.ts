import { groupedBy } from '../group'
import { driftOf, type Measured } from './drift'
import { differenceOf } from './groups'

/** A run that has ended. Seconds since the epoch, and seconds. */
export interface EndedRun {
  readonly at: number
  readonly seconds: number
  readonly succeeded: boolean
  /** Tries it took. */
  readonly attempts: number
  /** Its values of the job's choice inputs. */
  readonly choices?: Readonly<Record<string, string>>
}

/** Lengths by the values of the one input that tells them apart best. */
export interface ByChoice {
  readonly input: string
  /** Seconds, ascending, each as likely as the others; values with too few runs are missing. */
  readonly samples: Readonly<Record<string, readonly number[]>>
}

/** How lengths are learned from runs. */
export interface Learning {
  /** A run that is so many days older counts half as much. */
  readonly halfLifeDays: number
  /** With fewer succeeded runs it is a guess. */
  readonly least: number
  /** No more than so many, the newest. */
  readonly most: number
  /** Whether a trend is carried on to the instant in question. */
  readonly drifts: boolean
  /** What a job fails of that never ran: the share of all tries of all jobs that fail. One half is Jeffreys’ prior. */
  readonly prior: number
}

export const LEARNING: Learning = { halfLifeDays: 14, least: 8, most: 400, drifts: true, prior: 0.5 }

/** What was learned: lengths in seconds, ascending, each as likely as the others. */
export interface Learned {
  readonly samples: readonly number[]
  /** Chance that one try fails. */
  readonly fails: number
  /** Succeeded runs that it stands on. */
  readonly count: number
  /** Growth from the first of them to the last along the fitted line, as a share; 0: no trend. */
  readonly drift: number
  /** null: no choice input makes a clear difference. */
  readonly byChoice: ByChoice | null
}

const DAY = 86_400
/** So many quantiles stand for a distribution. */
const MOST_SAMPLES = 100
/** A trend is not carried on beyond this, in either direction. */
const MOST_GROWTH = 2

/**
 * The empirical distribution of lengths at an instant, from runs that ended before it: weighted by age, a trend carried on, outliers left in the tail. The chance of failure of a try is
 * the mean of its posterior under a prior that weighs one try, (failed + prior) / (tries + 1): with ½ Jeffreys' (Brown, Cai & DasGupta 2001, “Interval Estimation for a Binomial Proportion”),
 * with the share of all jobs an empirical one (Casella 1985, “An Introduction to Empirical Bayes Data Analysis”), since of a flow of many steps that run once a night ½ for each makes a
 * failure that never came.
 *
 * Where lengths clearly differ by the value of a choice input (`groups.ts`), they are told for each value apart.
 *
 * @param runs in any order
 * @param now seconds since the epoch; runs that ended later are not looked at
 */
export function learn(runs: readonly EndedRun[], now: number, learning: Learning = LEARNING): Learned {
  const before = runs.filter(({ at }) => at <= now).sort((a, b) => b.at - a.at)
  const ended = before.filter(({ succeeded }) => succeeded).slice(0, learning.most)
  const looked = before.slice(0, learning.most)
  const tries = looked.reduce((sum, { attempts }) => sum + Math.max(1, attempts), 0)
  const failed = looked.reduce((sum, { attempts, succeeded }) => sum + Math.max(1, attempts) - (succeeded ? 1 : 0), 0)
  const { factor, drift } = learning.drifts ? trendOf(ended, now) : NO_TREND
  const weighed = ended
    .map(({ at, seconds, choices }): Weighed => ({
      length: Math.max(1, seconds * factor(at)),
      weight: 2 ** (-(now - at) / (learning.halfLifeDays * DAY)),
      ...(choices ? { choices } : {}),
    }))
    .sort((a, b) => a.length - b.length)
  return {
    samples: quantilesOf(weighed, learning),
    byChoice: byChoice(weighed, learning),
    fails: (failed + learning.prior) / (tries + 1),
    count: ended.length,
    drift,
  }
}

interface Weighed {
  readonly length: number
  readonly weight: number
  readonly choices?: Readonly<Record<string, string>>
}

const quantilesOf = (ascending: readonly Weighed[], { least }: Learning): number[] =>
  weightedQuantiles(ascending, Math.min(MOST_SAMPLES, Math.max(least, ascending.length)))

/** By the input whose values explain most of the lengths; values with too few runs stay with all others. */
function byChoice(ascending: readonly Weighed[], learning: Learning): ByChoice | null {
  const inputs = new Set(ascending.flatMap(({ choices = {} }) => Object.keys(choices)))
  let found: { input: string; share: number; groups: Map<string, Weighed[]> } | null = null
  for (const input of inputs) {
    const groups = groupedBy(
      ascending.filter(({ choices }) => choices?.[input] !== undefined),
      ({ choices }) => choices?.[input] as string,
    )
    for (const [value, group] of groups) if (group.length < learning.least) groups.delete(value)
    const measured = [...groups].flatMap(([group, all]) => all.map(({ length }) => ({ group, length })))
    const share = differenceOf(measured)
    if (share > (found?.share ?? 0)) found = { input, share, groups }
  }
  if (!found) return null
  const samples = Object.fromEntries(Array.from(found.groups, ([value, all]) => [value, quantilesOf(all, learning)]))
  return { input: found.input, samples }
}

const NO_TREND = { factor: () => 1, drift: 0 }

/** What a length of then would be now, by the trend of the medians of days: those are not moved by one night with many runs. */
function trendOf(ended: readonly EndedRun[], now: number): { factor: (at: number) => number; drift: number } {
  const days = new Map<number, number[]>()
  for (const { at, seconds } of ended) {
    const day = Math.floor(at / DAY)
    const list = days.get(day)
    if (list) list.push(seconds)
    else days.set(day, [seconds])
  }
  const medians = [...days].map(([day, lengths]): Measured => {
    lengths.sort((a, b) => a - b)
    return { at: day * DAY, length: lengths[lengths.length >> 1] as number }
  })
  const found = driftOf(medians)
  if (!found) return NO_TREND
  const first = Math.min(...medians.map(({ at }) => at))
  const fitted = (at: number): number => 1 + found.change * ((at - first) / found.span)
  const there = fitted(now)
  const factor = (at: number): number => {
    const then = fitted(Math.floor(at / DAY) * DAY)
    return then <= 0 || there <= 0 ? 1 : Math.min(MOST_GROWTH, Math.max(1 / MOST_GROWTH, there / then))
  }
  return { factor, drift: found.change }
}

/** Values at the middles of n equal shares of the weight. */
function weightedQuantiles(ascending: readonly { length: number; weight: number }[], n: number): number[] {
  const total = ascending.reduce((sum, { weight }) => sum + weight, 0)
  if (ascending.length === 0 || !(total > 0)) return []
  const out: number[] = []
  let [at, below] = [0, 0]
  for (let i = 0; i < n; i++) {
    const wanted = ((i + 0.5) / n) * total
    while (at < ascending.length - 1 && below + (ascending[at]?.weight ?? 0) < wanted)
      below += ascending[at++]?.weight ?? 0
    out.push(Math.round((ascending[at]?.length ?? 1) * 10) / 10)
  }
  return out
}
