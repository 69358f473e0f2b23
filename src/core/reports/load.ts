import { getOr } from '../group'
import { section, type Section } from './document'
import { Lengths, type Frame, type RunFact, type RunTaker } from './facts'

const HOUR_MS = 3_600_000

export interface PoolCapacity {
  readonly name: string
  readonly slots: number
}

/** Starts and ends of runs on a pool’s slots, as two numbers each: small enough to be kept for a hundred thousand runs. */
class Use {
  readonly marks: [atMs: number, slots: number][] = []
  readonly waits = new Lengths()
}

interface HourUse {
  meanSlots: number
  peak: number
}

/**
 * Slots in use in each hour that a clock shows, from a sweep over starts and ends (ends before starts of the same instant). @param hours begin and end of each hour, in order, without gaps
 * @returns mean over the hour, and the most at once
 */
export function slotsByHour(
  marks: readonly (readonly [atMs: number, slots: number])[],
  hours: readonly { readonly fromMs: number; readonly toMs: number }[],
): HourUse[] {
  const sorted = [...marks].sort(([a, x], [b, y]) => a - b || x - y)
  let level = 0
  let next = 0
  return hours.map(({ fromMs, toMs }) => {
    while (next < sorted.length && (sorted[next]?.[0] ?? 0) <= fromMs) level += sorted[next++]?.[1] ?? 0
    let at = fromMs
    let area = 0
    let peak = level
    while (next < sorted.length) {
      const [markMs, slots] = sorted[next] as readonly [number, number]
      if (markMs >= toMs) break
      area += level * (markMs - at)
      at = markMs
      level += slots
      peak = Math.max(peak, level)
      next++
    }
    area += level * (toMs - at)
    return { meanSlots: toMs > fromMs ? area / (toMs - fromMs) : 0, peak }
  })
}

/** Runs that began before the period and go on in it count, too: whoever reads begins so much earlier. */
export const LOAD_BEFORE_MS = 2 * 24 * HOUR_MS

/** Load and capacity: slots in use by pool and hour of the day, peaks, and how long runs waited. What runs under steps of flows counts, flows themselves take no slot. */
export function load(frame: Frame, pools: readonly PoolCapacity[]): RunTaker<Section[]> {
  const { period, zone, nowMs } = frame
  const uses = new Map<string, Use>()
  const all = new Use()
  const take = (run: RunFact): void => {
    if (run.isFlow || run.startedAtMs === null) return
    const from = Math.max(run.startedAtMs, period.fromMs)
    const to = Math.min(run.endedAtMs ?? nowMs, period.toMs)
    const own = getOr(uses, run.pool ?? 'by name or label', () => new Use())
    for (const use of [own, all]) {
      if (run.readyAtMs !== null && run.startedAtMs >= period.fromMs && run.startedAtMs < period.toMs)
        use.waits.add(Math.max(0, run.startedAtMs - run.readyAtMs))
      if (to > from) use.marks.push([from, run.slots], [to, -run.slots])
    }
  }
  const finish = (): Section[] => {
    const toMs = Math.min(period.toMs, nowMs)
    const hours: { fromMs: number; toMs: number; ofDay: number }[] = []
    for (let at = period.fromMs; at < toMs;) {
      // Offsets of zones are whole quarters of an hour, and the clock changes at whole ones.
      const local = zone.localAt(Math.floor(at / 1000))
      const end = Math.min(toMs, at + HOUR_MS - ((((local % 3600) + 3600) % 3600) * 1000 + (at % 1000)))
      hours.push({ fromMs: at, toMs: end, ofDay: Math.floor((((local % 86_400) + 86_400) % 86_400) / 3600) })
      at = end
    }
    const capacityOf = (name: string): number | null => pools.find((pool) => pool.name === name)?.slots ?? null
    const byPool = [...uses]
      .sort(([a], [b]) => a.localeCompare(b))
      .map(([name, use]) => ({ name, use, capacity: capacityOf(name), hours: slotsByHour(use.marks, hours) }))
    const together = slotsByHour(all.marks, hours)
    const ofDay = (list: readonly HourUse[]): { mean: number | null; peak: number | null }[] =>
      Array.from({ length: 24 }, (_, hour) => {
        let lengthMs = 0
        let area = 0
        let peak = 0
        hours.forEach((one, i) => {
          if (one.ofDay !== hour) return
          const lasts = one.toMs - one.fromMs
          lengthMs += lasts
          area += (list[i]?.meanSlots ?? 0) * lasts
          peak = Math.max(peak, list[i]?.peak ?? 0)
        })
        return lengthMs === 0 ? { mean: null, peak: null } : { mean: area / lengthMs, peak }
      })
    const meanOf = (list: readonly HourUse[]): number =>
      toMs > period.fromMs
        ? list.reduce(
            (sum, { meanSlots }, i) => sum + meanSlots * ((hours[i]?.toMs ?? 0) - (hours[i]?.fromMs ?? 0)),
            0,
          ) /
          (toMs - period.fromMs)
        : 0
    const peakOf = (list: readonly HourUse[]): number => list.reduce((most, { peak }) => Math.max(most, peak), 0)
    const allOfDay = ofDay(together)
    const labels = Array.from({ length: 24 }, (_, hour) => `${String(hour).padStart(2, '0')}:00`)
    return [
      section('In all', {
        figures: [
          {
            label: 'Slots in use',
            unit: 'decimal',
            value: meanOf(together),
            formula:
              'The mean over all of the period: slots times how long they were taken, by the length of the period.',
          },
          { label: 'Most at once', unit: 'count', value: peakOf(together) },
          { label: 'Runs that started', unit: 'count', value: all.waits.n },
          {
            label: 'Waited for a slot',
            unit: 'ms',
            value: all.waits.meanMs,
            formula: 'From when a run was ready to when it started, the mean.',
          },
          { label: 'Waited longest', unit: 'ms', value: all.waits.n === 0 ? null : all.waits.mostMs },
        ],
        charts: [
          {
            title: 'Slots in use by hour of the day',
            kind: 'lines',
            unit: 'decimal',
            labels,
            series: [
              { title: 'mean', mark: 'plain', values: allOfDay.map(({ mean }) => mean) },
              { title: 'most at once', mark: 'bad', values: allOfDay.map(({ peak }) => peak) },
            ],
          },
        ],
      }),
      section('By pool', {
        notes: ['Slots of a pool are those of its agents that are switched on now.'],
        tables: [
          {
            title: 'By pool',
            columns: [
              { title: 'Pool', unit: 'text' },
              { title: 'Slots', unit: 'count' },
              { title: 'In use', unit: 'decimal' },
              { title: 'Share', unit: 'share' },
              { title: 'Most at once', unit: 'count' },
              { title: 'Runs', unit: 'count' },
              { title: 'Waited', unit: 'ms' },
              { title: 'Waited longest', unit: 'ms' },
            ],
            rows: byPool.map(({ name, use, capacity, hours: list }) => ({
              cells: [
                name,
                capacity,
                meanOf(list),
                capacity ? meanOf(list) / capacity : null,
                peakOf(list),
                use.waits.n,
                use.waits.meanMs,
                use.waits.n === 0 ? null : use.waits.mostMs,
              ],
            })),
          },
        ],
      }),
      section('By hour', {
        tables: [
          {
            title: 'By hour of the day',
            columns: [
              { title: 'Hour', unit: 'text' },
              { title: 'All: mean', unit: 'decimal' },
              { title: 'most', unit: 'count' },
              ...byPool.slice(0, 8).flatMap(({ name }) => [
                { title: `${name}: mean`, unit: 'decimal' as const },
                { title: 'most', unit: 'count' as const },
              ]),
            ],
            rows: labels.map((label, hour) => ({
              cells: [
                label,
                allOfDay[hour]?.mean ?? null,
                allOfDay[hour]?.peak ?? null,
                ...byPool.slice(0, 8).flatMap(({ hours: list }) => {
                  const of = ofDay(list)[hour]
                  return [of?.mean ?? null, of?.peak ?? null]
                }),
              ],
            })),
          },
        ],
      }),
    ]
  }
  return { take, finish }
}
