export const HOUR_MS = 3_600_000

/** Units that something took for a while. Instants are milliseconds since the epoch. */
export interface Taken {
  readonly fromMs: number
  /** Infinity: it goes on. */
  readonly toMs: number
  readonly units: number
}

/** How much was in use at once during an hour. */
export interface HourOfUse {
  /** Its beginning, milliseconds since the epoch. */
  readonly hourMs: number
  readonly peak: number
  /** Over the whole hour. */
  readonly mean: number
}

/**
 * Use by the hour, by sweeping over beginnings and ends. What ends at the instant at which something else begins is not in use together with it.
 *
 * @param fromMs,toMs whole hours
 * @returns every hour from `fromMs` to `toMs`, in order
 */
export function hourlyUse(taken: readonly Taken[], fromMs: number, toMs: number): HourOfUse[] {
  const changes = taken
    .filter(({ fromMs: begin, toMs: end, units }) => units > 0 && begin < toMs && end > fromMs && end > begin)
    .flatMap(({ fromMs: begin, toMs: end, units }) => [
      { atMs: Math.max(begin, fromMs), by: units },
      { atMs: Math.min(end, toMs), by: -units },
    ])
    // Of one instant what ends comes first.
    .sort((a, b) => a.atMs - b.atMs || a.by - b.by)
  const hours: HourOfUse[] = []
  let now = 0
  let at = 0
  for (let hourMs = fromMs; hourMs < toMs; hourMs += HOUR_MS) {
    const endMs = hourMs + HOUR_MS
    // What goes on from the hour before counts only if it is still there at its beginning.
    for (; at < changes.length && changes[at]?.atMs === hourMs && (changes[at]?.by ?? 0) < 0; at++)
      now += changes[at]?.by ?? 0
    let [peak, area, sinceMs] = [now, 0, hourMs]
    for (; at < changes.length && (changes[at]?.atMs ?? Infinity) < endMs; at++) {
      const { atMs, by } = changes[at] as (typeof changes)[number]
      area += now * (atMs - sinceMs)
      now += by
      sinceMs = atMs
      if (now > peak) peak = now
    }
    area += now * (endMs - sinceMs)
    hours.push({ hourMs, peak, mean: area / HOUR_MS })
  }
  return hours
}
