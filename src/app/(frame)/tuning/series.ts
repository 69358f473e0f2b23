import type { Forecast } from '@/core/forecast/report'
import type { DemandPicture } from '@/core/tuning/picture'

/** A point of a chart. Milliseconds since the epoch; slots. */
export interface Point {
  readonly at: number
  readonly demand: number
  /** null: before the forecast begins. */
  readonly forecast: number | null
}

/** More points than this no screen shows apart. */
const MOST_POINTS = 1000

/** Demand and forecast of one pool, or of all together (null): the most of each stretch of some minutes. */
export function seriesOf(demand: DemandPicture, load: Forecast['load'], pool: string | null): Point[] {
  const pools = demand.pools.filter(({ id }) => pool === null || id === pool)
  const minutes = pools[0]?.used.length ?? 0
  const step = Math.max(1, Math.ceil(minutes / MOST_POINTS))
  const loads = load.filter((each) => pool === null || each.pool === pool)
  const first = Math.ceil((Date.parse(loads[0]?.profile[0]?.[0] ?? '') / 1000 - demand.from) / 60)
  const used = loads.map((each) => mostByMinute(each.profile, demand.from, minutes))
  const sum = (lists: readonly (readonly number[] | Int32Array)[], m: number): number =>
    lists.reduce((all, list) => all + (list[m] ?? 0), 0)
  const all = pools.map((each) => each.used)
  const out: Point[] = []
  for (let m = 0; m < minutes; m += step) {
    let [most, foreseen] = [0, 0]
    for (let i = m; i < Math.min(minutes, m + step); i++) {
      most = Math.max(most, sum(all, i))
      foreseen = Math.max(foreseen, sum(used, i))
    }
    out.push({ at: (demand.from + m * 60) * 1000, demand: most, forecast: m >= first ? foreseen : null })
  }
  return out
}

/** The most slots in use in each minute. */
function mostByMinute(profile: Forecast['load'][number]['profile'], from: number, minutes: number): Int32Array {
  const most = new Int32Array(minutes)
  profile.forEach(([instant, slots], i) => {
    if (slots === 0) return
    const next = profile[i + 1]
    const ends = next ? Date.parse(next[0]) / 1000 : from + minutes * 60
    const last = Math.min(minutes, Math.ceil((ends - from) / 60))
    for (let m = Math.max(0, Math.floor((Date.parse(instant) / 1000 - from) / 60)); m < last; m++)
      most[m] = Math.max(most[m] as number, slots)
  })
  return most
}
