import type { Choice, Demand } from './demand'

/** What a state of the stretch is worth, the first that differs deciding: strain, then relative peaks. */
export interface Score {
  /** Slots above what there is, summed over pools. */
  readonly strain: number
  /** Peak ÷ slots, summed over pools. */
  readonly relative: number
}

/** Peaks that are equal are compared as equal, however their fractions were summed. */
const SAME = 1e-9

/** Negative: a is better. */
export function compareScores(a: Score, b: Score): number {
  if (a.strain !== b.strain) return a.strain - b.strain
  const difference = a.relative - b.relative
  return Math.abs(difference) < SAME ? 0 : difference
}

/** Use of every pool in every minute while triggers are moved about, with its peaks kept by a count of minutes at each height. */
export class LoadBoard {
  readonly peaks: Int32Array
  private readonly usage: readonly Int32Array[]
  /** By pool, how many minutes have each height. */
  private readonly heights: readonly Int32Array[]

  constructor(private readonly demand: Demand) {
    this.usage = demand.fixed.map((fixed) => fixed.slice())
    const most = demand.pools.map((_, pool) => mostOf(demand, pool))
    this.heights = most.map((height) => new Int32Array(height + 1))
    this.peaks = new Int32Array(demand.pools.length)
    demand.fixed.forEach((fixed, pool) => {
      const heights = this.heights[pool] as Int32Array
      for (const used of fixed) {
        heights[used] = (heights[used] as number) + 1
        if (used > (this.peaks[pool] as number)) this.peaks[pool] = used
      }
    })
  }

  add(choice: Choice): void {
    const { segments, shift } = choice
    for (const { pool, from, to, slots } of segments) this.change(pool, from + shift, to + shift, slots)
  }

  remove(choice: Choice): void {
    const { segments, shift } = choice
    for (const { pool, from, to, slots } of segments) this.change(pool, from + shift, to + shift, -slots)
  }

  private change(pool: number, from: number, to: number, slots: number): void {
    const usage = this.usage[pool] as Int32Array
    const heights = this.heights[pool] as Int32Array
    let peak = this.peaks[pool] as number
    for (let m = from; m < to; m++) {
      const old = usage[m] as number
      const used = old + slots
      heights[old] = (heights[old] as number) - 1
      heights[used] = (heights[used] as number) + 1
      usage[m] = used
      if (used > peak) peak = used
    }
    while (peak > 0 && heights[peak] === 0) peak--
    this.peaks[pool] = peak
  }

  /** The first minute in which a pool is used most. */
  peakMinute(pool: number): number {
    return (this.usage[pool] as Int32Array).indexOf(this.peaks[pool] as number)
  }

  score(): Score {
    let [strain, relative] = [0, 0]
    this.demand.pools.forEach(({ slots }, pool) => {
      const peak = this.peaks[pool] as number
      if (peak > slots) strain += peak - slots
      relative += peak / slots
    })
    return { strain, relative }
  }

  /**
   * What a search goes downhill on where peaks alone are flat: strain and peaks, and how many minutes lie at the peak or just below, each height counting half as much as the one above.
   */
  energy(): number {
    let sum = 0
    const { pools, minutes } = this.demand
    for (let pool = 0; pool < pools.length; pool++) {
      const peak = this.peaks[pool] as number
      const slots = pools[pool]?.slots as number
      const heights = this.heights[pool] as Int32Array
      let soft = 0
      let weight = 1
      for (let height = peak; height > 0 && height > peak - 8; height--, weight /= 3)
        soft += (heights[height] as number) * weight
      sum += (peak > slots ? 4 * (peak - slots) : 0) + (peak + (SOFT * soft) / (soft + minutes / 16)) / slots
    }
    return sum
  }
}

/** The load with every trigger where an answer has it. */
export function boardOf(demand: Demand, answer: ArrayLike<number>): LoadBoard {
  const board = new LoadBoard(demand)
  demand.movable.forEach(({ choices }, i) => board.add(choices[answer[i] as number] as Choice))
  return board
}

/** The places of triggers that have more than one choice. */
export const movingOf = ({ movable }: Demand): number[] =>
  movable.flatMap(({ choices }, i) => (choices.length > 1 ? [i] : []))

/** How much of a slot the minutes at the peak count, at most. */
const SOFT = 2

/** No minute of a pool can be used more than this. */
function mostOf({ fixed, movable }: Demand, pool: number): number {
  const most = (choices: readonly Choice[]): number =>
    choices.reduce(
      (high, { segments }) =>
        segments.reduce((top, segment) => (segment.pool === pool ? Math.max(top, segment.slots) : top), high),
      0,
    )
  const base = (fixed[pool] as Int32Array).reduce((high, used) => Math.max(high, used), 0)
  return movable.reduce((sum, { choices, now }) => sum + most([...choices, now]), base)
}
