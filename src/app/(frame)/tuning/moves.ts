import type { Change } from '@/core/forecast/change'
import { parseTimeOfDay, timeOfDay } from '@/core/calendar/days'
import { rangeOf } from '@/core/tuning/clock'

/** Starts that are tried at another time, by trigger: `slug@02:35,…` in the address. */
export type Moves = ReadonlyMap<string, string>

const MOVE = /^([a-z0-9][a-z0-9-]*)@(\d{2}:\d{2}(?::\d{2})?)$/

export function movesOf(text: string | undefined): Moves {
  const moves = new Map<string, string>()
  for (const part of (text ?? '').split(',')) {
    const [, trigger, time] = MOVE.exec(part) ?? []
    if (trigger && time && parseTimeOfDay(time) !== undefined) moves.set(trigger, time)
  }
  return moves
}

export const movesText = (moves: Moves): string | null =>
  moves.size === 0 ? null : [...moves].map(([trigger, time]) => `${trigger}@${time}`).join(',')

export const changesFor = (moves: Moves): Change[] =>
  [...moves].map(([trigger, time]) => ({ at: { trigger, to: [time] } }))

/** The time of day so many minutes later, on the same day. */
export function shifted(time: string, minutes: number): string {
  const at = (parseTimeOfDay(time) ?? 0) + minutes * 60
  return timeOfDay(Math.max(0, Math.min(86_400 - 60, at)))
}

/** Why a start may not be there; null: it may. */
export function forbidden(
  from: string,
  to: string,
  window: { readonly earliest: string; readonly latest: string } | null,
): string | null {
  if (from === to) return null
  if (!window) return 'It has no window in which it may move: give it one on its page.'
  const range = rangeOf(window, parseTimeOfDay(from) ?? 0)
  const at = parseTimeOfDay(to) ?? 0
  if (range && at >= range[0] && at <= range[1]) return null
  return `Outside its window, ${window.earliest} to ${window.latest}.`
}
