/** One value of a measure. */
export interface MeasureValue {
  /** Milliseconds since the epoch. */
  readonly atMs: number
  readonly value: number
}

/** A limit, how often in a row it must be passed, and from where on it may be passed anew. Exactly one of `above` and `below`. */
export interface MeasureLimit {
  readonly above?: number | undefined
  readonly below?: number | undefined
  readonly times: number
  /** Without it the limit itself. */
  readonly clear?: number | undefined
}

/** A gap longer than so many usual distances between values begins the row anew. */
const GAP_DISTANCES = 3
/** The usual distance is the median of so many before. */
const MOST_DISTANCES = 20

/**
 * The values that complete a row: there the trigger fires, once, and then only again after a value on the other side of `clear`. What is decided depends on the values alone, so it is the same
 * whenever it is looked at.
 *
 * @param values ascending in time
 * @param armed whether it may fire before any value has cleared it
 */
export function firings<V extends MeasureValue>(limit: MeasureLimit, values: readonly V[], armed = true): V[] {
  const isBeyond = beyondOf(limit)
  const isClear = clears(limit)
  const found: V[] = []
  const distances: number[] = []
  let row = 0
  let isArmed = armed
  for (const [i, each] of values.entries()) {
    const distance = i === 0 ? 0 : each.atMs - (values[i - 1] as MeasureValue).atMs
    if (distances.length > 0 && distance > GAP_DISTANCES * medianOf(distances)) row = 0
    else if (i > 0) {
      distances.push(distance)
      if (distances.length > MOST_DISTANCES) distances.shift()
    }
    row = isBeyond(each.value) ? row + 1 : 0
    if (isClear(each.value)) isArmed = true
    if (isArmed && row >= limit.times) {
      found.push(each)
      isArmed = false
    }
  }
  return found
}

function beyondOf({ above, below }: MeasureLimit): (value: number) => boolean {
  return above !== undefined ? (value) => value > above : (value) => value < (below ?? -Infinity)
}

/** Whether a value is on the other side: at `clear` itself it is neither. Without one, whatever is not beyond the limit clears. */
export function clears(limit: MeasureLimit): (value: number) => boolean {
  const { above, clear } = limit
  const isBeyond = beyondOf(limit)
  if (clear === undefined) return (value) => !isBeyond(value)
  return above !== undefined ? (value) => value < clear : (value) => value > clear
}

function medianOf(values: readonly number[]): number {
  const sorted = [...values].sort((a, b) => a - b)
  const half = sorted.length >> 1
  return sorted.length % 2 === 1
    ? (sorted[half] as number)
    : ((sorted[half - 1] as number) + (sorted[half] as number)) / 2
}
