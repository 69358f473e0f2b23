import type { Change } from '@/core/forecast/change'

/** Where a change is looked at before it is made: Tuning, with this one as the first of the list. */
export const whatIfPath = (change: Change): string =>
  `/tuning?tab=what-if&changes=${encodeURIComponent(JSON.stringify([change]))}`

/** The coming night from two to four, by the browser's clock. */
export function comingNight(): { from: string; to: string } {
  const from = new Date()
  from.setHours(2, 0, 0, 0)
  if (from.getTime() < Date.now()) from.setDate(from.getDate() + 1)
  return { from: from.toISOString(), to: new Date(from.getTime() + 2 * 3_600_000).toISOString() }
}
