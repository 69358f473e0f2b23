import type { ItemState } from '@/core/events/item'
import type { Mark } from '@/ui/parts/state-mark'

/** The shape that stands for each state of an item. */
export const ITEM_MARKS: Readonly<Record<ItemState, Mark>> = {
  waiting: 'waiting',
  taken: 'running',
  done: 'succeeded',
  rejected: 'failed',
  failed: 'lost',
  withdrawn: 'cancelled',
}

/** A value of an item's data in one line. */
export const inShort = (value: unknown): string =>
  value === undefined || value === null
    ? ''
    : typeof value === 'object'
      ? JSON.stringify(value)
      : String(value as string | number | boolean)

/** What an item's data has under this name, if it is an object. */
export const valueOf = (data: unknown, name: string): unknown => (data as Record<string, unknown> | null)?.[name]

/** Whether all that have something under this name have a number there, as a column of figures. */
export const areNumbers = (all: readonly unknown[], name: string): boolean =>
  all.every((data) => ['number', 'undefined'].includes(typeof (valueOf(data, name) ?? undefined)))

/** The names of what is in the data of these, those that most have first; none where the data is no object. */
export function namesIn(all: readonly unknown[]): string[] {
  const counts = new Map<string, number>()
  for (const data of all)
    if (typeof data === 'object' && data !== null && !Array.isArray(data))
      for (const name of Object.keys(data)) counts.set(name, (counts.get(name) ?? 0) + 1)
  return [...counts].sort(([, a], [, b]) => b - a).map(([name]) => name)
}
