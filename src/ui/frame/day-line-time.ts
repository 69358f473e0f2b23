/** Times on the day line: quarters of an hour, 8 hours back and 16 ahead, further back by steps. */
export const HOURS_BACK = 8
export const HOURS = 24
export const HOUR_MS = 3_600_000
export const QUARTER_MS = 900_000
/** How far the line can be moved back, hours. */
export const MOST_HOURS_BACK = 168

/** A stretch of time, ms since 1970; `to` excluded. */
export interface Stretch {
  readonly from: number
  readonly to: number
}

export const quarterAt = (ms: number): Stretch => {
  const from = Math.floor(ms / QUARTER_MS) * QUARTER_MS
  return { from, to: from + QUARTER_MS }
}

/** Where a stretch leads: what ran in it, or what is to start in it; the larger part decides. */
export function placeOf(
  { from, to }: Stretch,
  nowMs: number,
): { readonly path: string; readonly from: string; readonly to: string } {
  const iso = (ms: number): string => new Date(Math.round(ms / 60_000) * 60_000).toISOString()
  return { path: (from + to) / 2 < nowMs ? '/runs' : '/timing/coming', from: iso(from), to: iso(to) }
}

const STEPS: Readonly<Record<string, number>> = {
  ArrowLeft: -1,
  ArrowRight: 1,
  PageUp: -16,
  PageDown: 16,
}

/**
 * The stretch after a key: a quarter on or back by the arrows, four hours by the page keys, longer or shorter with Shift, to now by Home; null: the key means nothing
 * here.
 */
export function afterKey(chosen: Stretch | null, key: string, isLonger: boolean, nowMs: number): Stretch | null {
  if (key === 'Home' || (chosen === null && key in STEPS)) return quarterAt(nowMs)
  const step = (STEPS[key] ?? 0) * QUARTER_MS
  if (step === 0 || chosen === null) return null
  const earliest = quarterAt(nowMs).from - (HOURS_BACK + MOST_HOURS_BACK) * HOUR_MS
  const latest = quarterAt(nowMs).from + (HOURS - HOURS_BACK) * HOUR_MS
  if (isLonger) return { from: chosen.from, to: Math.min(latest, Math.max(chosen.from + QUARTER_MS, chosen.to + step)) }
  const length = chosen.to - chosen.from
  const from = Math.min(latest - length, Math.max(earliest, chosen.from + step))
  return { from, to: from + length }
}

/** How many hours back the line must begin so that this instant is on it, from where it is now. */
export function backFor(ms: number, nowMs: number, back: number): number {
  const begins = nowMs - (HOURS_BACK + back) * HOUR_MS
  const ends = begins + HOURS * HOUR_MS
  const move =
    ms < begins
      ? Math.ceil((begins - ms) / HOUR_MS / HOURS_BACK)
      : ms > ends
        ? -Math.ceil((ms - ends) / HOUR_MS / HOURS_BACK)
        : 0
  return Math.min(MOST_HOURS_BACK, Math.max(0, back + move * HOURS_BACK))
}
