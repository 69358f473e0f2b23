import type { RunFull } from '@/service/runs/run-page'

const ms = (text: string): number => new Date(text).getTime()

/** How long a run was ready before a machine took it for its first try (for want of a slot or lock, or held), milliseconds; null: none has, or it took less than a second. */
export function waitedMs({ readyAt, createdAt, startAfter, tries }: RunFull): number | null {
  const first = tries[0]
  if (!first) return null
  // The last moment it became ready is kept: with several tries it is not that of the first.
  const from = tries.length === 1 && readyAt ? ms(readyAt) : Math.max(ms(createdAt), startAfter ? ms(startAfter) : 0)
  const waited = ms(first.handedAt) - from
  return waited >= 1000 ? waited : null
}
