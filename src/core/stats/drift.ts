/** One measured duration. Seconds since any instant, and any unit of length. */
export interface Measured {
  readonly at: number
  readonly length: number
}

export interface Drift {
  /** Change from the first to the last measurement along the fitted line, as a share of where that begins: 0.25 is a quarter longer. */
  readonly change: number
  /** Seconds from the first to the last. */
  readonly span: number
  readonly count: number
}

/** The drift of a job or flow, as it is told. */
export interface JobDrift {
  readonly jobId: number
  /** Growth along the fitted line, as a share of where it begins. */
  readonly change: number
  readonly days: number
  /** Days on which it ran. */
  readonly count: number
}

const LEAST_MEASURED = 12
/** What the trend must at least amount to, to be worth a person's time. */
const LEAST_CHANGE = 0.15
/** Two-sided 1 % of the normal distribution. */
const Z = 2.5758

/**
 * Whether lengths drift, robustly: the Mann–Kendall test says whether there is a trend at all (Mann 1945, Kendall 1975; with the correction for ties), the Theil–Sen line how large it is
 * (Sen 1968, “Estimates of the regression coefficient based on Kendall's tau”). Neither is moved by some outliers, as a mean or least squares would be. Null: no trend at the level
 * of 1 %, or one of less than 15 %, or fewer than 12 measurements. n² / 2 steps.
 */
export function driftOf(measured: readonly Measured[]): Drift | null {
  const n = measured.length
  if (n < LEAST_MEASURED) return null
  const sorted = [...measured].sort((a, b) => a.at - b.at)
  const slopes: number[] = []
  let s = 0
  for (let i = 0; i < n; i++)
    for (let j = i + 1; j < n; j++) {
      const [a, b] = [sorted[i] as Measured, sorted[j] as Measured]
      s += Math.sign(b.length - a.length)
      if (b.at > a.at) slopes.push((b.length - a.length) / (b.at - a.at))
    }
  if (slopes.length === 0) return null
  const ties = new Map<number, number>()
  for (const { length } of sorted) ties.set(length, (ties.get(length) ?? 0) + 1)
  const tied = [...ties.values()].reduce((sum, t) => sum + t * (t - 1) * (2 * t + 5), 0)
  const variance = (n * (n - 1) * (2 * n + 5) - tied) / 18
  if (variance <= 0 || (Math.abs(s) - 1) / Math.sqrt(variance) < Z) return null
  const slope = median(slopes)
  const first = (sorted[0] as Measured).at
  const begins = median(sorted.map(({ at, length }) => length - slope * (at - first)))
  const span = (sorted[n - 1] as Measured).at - first
  if (begins <= 0) return null
  const change = (slope * span) / begins
  return Math.abs(change) < LEAST_CHANGE ? null : { change, span, count: n }
}

function median(values: readonly number[]): number {
  const sorted = [...values].sort((a, b) => a - b)
  const middle = sorted.length >> 1
  return sorted.length % 2 === 1
    ? (sorted[middle] as number)
    : ((sorted[middle - 1] as number) + (sorted[middle] as number)) / 2
}
