import { z } from 'zod'
import { PRIORITIES, type Priority } from '../dispatch/types'

/** States of an item, in the order in which people look at them. */
export const ITEM_STATES = ['waiting', 'taken', 'rejected', 'failed', 'done', 'withdrawn'] as const
export type ItemState = (typeof ITEM_STATES)[number]
/** In these nothing more comes of it by itself. */
export const OVER: ReadonlySet<ItemState> = new Set(['rejected', 'failed', 'done', 'withdrawn'])

/** So often a run may put an item back for later without a try being counted. */
export const MOST_LATERS = 100
/** Characters of a key, and bytes of data and of a result as JSON. */
export const MOST_KEY = 200
export const MOST_DATA_BYTES = 256 * 1024

/** What decides of an item, and what its queue says. Instants are milliseconds since the epoch. */
export interface ItemLife {
  readonly state: ItemState
  /** Takes that came to nothing. */
  readonly tries: number
  readonly laters: number
  readonly notBeforeMs: number | null
}
export interface QueueRules {
  readonly tries: number
  readonly delayMs: number
}

/** How a take ends. `lost`: the attempt that had it ended in whatever way without a word about it. */
export type TakeEnd =
  | { readonly how: 'done' }
  | { readonly how: 'rejected' }
  | { readonly how: 'failed' | 'lost' }
  | { readonly how: 'later'; readonly notBeforeMs: number | null }

/** What the end of its take makes of an item; null: it was put back for later too often. */
export function afterTake(item: ItemLife, end: TakeEnd, rules: QueueRules, nowMs: number): ItemLife | null {
  switch (end.how) {
    case 'done':
    case 'rejected':
      return { ...item, state: end.how, notBeforeMs: null }
    case 'later': {
      if (item.laters >= MOST_LATERS) return null
      const isAhead = end.notBeforeMs !== null && end.notBeforeMs > nowMs
      return { ...item, state: 'waiting', laters: item.laters + 1, notBeforeMs: isAhead ? end.notBeforeMs : null }
    }
    default: {
      const tries = item.tries + 1
      if (tries >= rules.tries) return { ...item, state: 'failed', tries, notBeforeMs: null }
      return { ...item, state: 'waiting', tries, notBeforeMs: rules.delayMs > 0 ? nowMs + rules.delayMs : null }
    }
  }
}

/** What the order of items looks at. */
export interface ItemTurn {
  readonly number: number
  readonly priority: Priority
  readonly dueMs: number | null
}

/** Level, urgent first; due, earliest first and none last; number. No ageing. */
export function compareItems(a: ItemTurn, b: ItemTurn): number {
  const byLevel = PRIORITIES.indexOf(a.priority) - PRIORITIES.indexOf(b.priority)
  if (byLevel !== 0) return byLevel
  const [dueA, dueB] = [a.dueMs ?? Infinity, b.dueMs ?? Infinity]
  return dueA !== dueB ? (dueA < dueB ? -1 : 1) : a.number - b.number
}

export const keysSchema = z.enum(['none', 'open', 'ever'])
export type QueueKeys = z.output<typeof keysSchema>

/** Of a queue that is being worked off: when it is empty at this pace, milliseconds since the epoch; null: it does not fall. */
export function emptyAtMs(waiting: number, arrivedPerHour: number, endedPerHour: number, nowMs: number): number | null {
  const falls = endedPerHour - arrivedPerHour
  if (waiting === 0 || falls <= 0) return null
  return nowMs + (waiting / falls) * 3_600_000
}
