import { driftOf, type Drift } from './drift'

/** What values usually are: nine in ten of them lie between `low` and `high`, half of them on each side of `middle`. */
export interface Band {
  readonly low: number
  readonly middle: number
  readonly high: number
}

/** A value at an instant, milliseconds. */
export interface ValueAt {
  readonly atMs: number
  readonly value: number
}

const LEAST = 8

/** Quantiles 5 %, 50 % and 95 % (Hyndman and Fan 1996, type 7); null: of fewer than eight values nothing is usual. */
export function bandOf(values: readonly number[]): Band | null {
  if (values.length < LEAST) return null
  const sorted = Float64Array.from(values).sort()
  const at = (share: number): number => {
    const place = share * (sorted.length - 1)
    const below = Math.floor(place)
    const [a, b] = [sorted[below] as number, sorted[Math.min(below + 1, sorted.length - 1)] as number]
    return a + (b - a) * (place - below)
  }
  return { low: at(0.05), middle: at(0.5), high: at(0.95) }
}

/** A trend is looked for in so many values; of more each stands for as many. */
const MOST = 60

/** Whether values of a measure rise or fall over time, in order; see `driftOf`. Null as well where they begin at nothing or below. */
export function driftOfValues(values: readonly ValueAt[]): Drift | null {
  const size = Math.max(1, Math.ceil(values.length / MOST))
  const few: { at: number; length: number }[] = []
  for (let from = 0; from < values.length; from += size) {
    const some = values.slice(from, from + size)
    const middle = [...some].sort((a, b) => a.value - b.value)[some.length >> 1] as ValueAt
    few.push({ at: (some[some.length >> 1] as ValueAt).atMs / 1000, length: middle.value })
  }
  return driftOf(few)
}
