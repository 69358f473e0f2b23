import type { Bundle } from '../bundle/schema'
import { parseDuration } from '../timing/duration'

type Expect = NonNullable<Bundle['jobs'][number]['expect']>

/**
 * How long a step takes: always the same, log-normal, or one of lengths that were measured. Seconds; `p50` is what a forecast and demand go by, whole and at least 1.
 */
export interface Length {
  readonly p50: number
  /** Standard deviation of the logarithm; 0: always the same. */
  readonly sigma: number
  /** Ascending, each as likely as the others; null: it is log-normal. */
  readonly samples: readonly number[] | null
}

/** The 90th percentile of the standard normal distribution. */
const Z90 = 1.2815515655446004

const atLeastOne = (seconds: number): number => Math.max(1, Math.round(seconds))
const secondsOf = (text: string): number => parseDuration(text) ?? 0

/** Lengths that a server measured, seconds, ascending, each as likely as the others. */
export interface Measured {
  readonly samples: readonly number[]
}

const lowerMedian = (ascending: readonly number[]): number => ascending[((ascending.length + 1) >> 1) - 1] ?? 1

export const measuredLength = ({ samples }: Measured): Length => ({
  p50: atLeastOne(lowerMedian(samples)),
  sigma: 0,
  samples,
})

/** Of samples the lower median, the ((n + 1) div 2)-th smallest. `otherwise`: where nothing is expected. */
export function lengthOf(expect: Expect | undefined, otherwise?: Measured): Length {
  if (expect === undefined) return otherwise ? measuredLength(otherwise) : { p50: 1, sigma: 0, samples: null }
  if (typeof expect === 'string') return { p50: atLeastOne(secondsOf(expect)), sigma: 0, samples: null }
  if ('samples' in expect) {
    const samples = expect.samples.map(secondsOf).sort((a, b) => a - b)
    return measuredLength({ samples })
  }
  const [p50, p90] = [Math.max(1, secondsOf(expect.p50)), Math.max(1, secondsOf(expect.p90))]
  return { p50, sigma: Math.max(0, Math.log(p90 / p50) / Z90), samples: null }
}

/** A length drawn with two uniform numbers of [0, 1): whole seconds, at least 1 (Box & Muller 1958 for the normal deviate). */
export function drawnLength({ p50, sigma, samples }: Length, u: number, v: number): number {
  if (samples !== null) return atLeastOne(samples[Math.floor(u * samples.length)] ?? p50)
  if (sigma === 0) return p50
  const z = Math.sqrt(-2 * Math.log(1 - u)) * Math.cos(2 * Math.PI * v)
  return atLeastOne(p50 * Math.exp(sigma * z))
}

/** So much longer than it has taken already one that outlasts all that was measured is taken to go on, as a share. */
const BEYOND = 0.1

/**
 * How long one that has run for so long takes in all: drawn among the lengths that are longer than that (the conditional distribution), with one uniform number of [0, 1);
 * with 0.5 their median. Beyond all of them, or where the length is not spread: a tenth longer than it has taken.
 */
export function lengthBeyond(length: Length, elapsed: number, u: number): number {
  const { p50, sigma, samples } = length
  if (elapsed <= 0) return samples ? drawnLength(length, u, 0) : p50
  const left = samples?.filter((each) => each > elapsed) ?? []
  if (left.length > 0) return atLeastOne(left[Math.floor(u * left.length)] ?? p50)
  if (sigma === 0 && samples === null && p50 > elapsed) return p50
  const drawn = sigma > 0 ? drawnLength(length, u, 0) : 0
  if (drawn > elapsed) return drawn
  return atLeastOne(elapsed * (1 + BEYOND * 2 * u))
}
