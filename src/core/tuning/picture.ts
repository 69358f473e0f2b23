import { modelOf } from '../forecast/build'
import type { Material } from '../forecast/changed'
import { LoadBoard } from './board'
import { demandOf } from './demand'

/** Demand of a stretch as a chart shows it, with the figures by which a tuning is judged. */
export interface DemandPicture {
  /** Seconds since the epoch; minutes of UTC from there. */
  readonly from: number
  readonly pools: readonly {
    readonly id: string
    readonly slots: number
    readonly peak: number
    /** Slots in demand by minute. */
    readonly used: readonly number[]
  }[]
  /** Occurrences that end after they are due though nothing had to wait. */
  readonly late: number
  readonly strain: number
  readonly relative: number
}

/** What is in demand if nothing ever had to wait. Throws a ForecastFault. */
export function demandPicture({ bundle, server }: Material, from: number, hours: number): DemandPicture {
  const model = modelOf(bundle, from, hours, server)
  // Nothing may move: all of it is fixed.
  const demand = demandOf(bundle, model, { grid: 300, only: new Set(), keep: new Set() })
  const board = new LoadBoard(demand)
  const [first, minutes] = [Math.floor(from / 60), hours * 60]
  const skip = first - demand.firstMinute
  return {
    from: first * 60,
    pools: demand.pools.map(({ id, slots }, i) => ({
      id,
      slots,
      peak: board.peaks[i] as number,
      used: Array.from({ length: minutes }, (_, m) => demand.fixed[i]?.[m + skip] ?? 0),
    })),
    late: demand.late.now,
    ...board.score(),
  }
}
