import { z } from 'zod'
import type { DaySet } from '../calendar/day-set'
import { isoDay, type Day } from '../calendar/days'
import { idSchema } from '../calendar/rule'

export const DAYS_AROUND = ['today', 'yesterday', 'tomorrow'] as const
const OFFSETS: Readonly<Record<(typeof DAYS_AROUND)[number], number>> = { today: 0, yesterday: -1, tomorrow: 1 }

/** A day that follows from the day of the run: beside it, or the nearest of a calendar's days after it or before it. */
export const dayDefaultSchema = z.union([
  z.strictObject({ day: z.enum(DAYS_AROUND) }),
  z.strictObject({ day: z.enum(['next', 'last']), calendar: idSchema }),
])
export type DayDefault = z.output<typeof dayDefaultSchema>

/** So far from the run's day a calendar is looked through, in days. */
const FAR = 366 * 30

/**
 * The day that such a default is in a run of this day, as ISO 8601; undefined: its calendar is not there, or has no day within thirty years. The run's own day is neither the next
 * nor the last.
 */
export function dayBy(
  source: DayDefault,
  runDay: Day,
  calendar: (id: string) => DaySet | undefined,
): string | undefined {
  if (!('calendar' in source)) return isoDay(runDay + OFFSETS[source.day])
  const days = calendar(source.calendar)
  const found = source.day === 'next' ? days?.first(runDay + 1, runDay + FAR) : days?.last(runDay - FAR, runDay - 1)
  return found === undefined || Number.isNaN(found) ? undefined : isoDay(found)
}

export const dayWords = (source: DayDefault): string =>
  'calendar' in source ? `the ${source.day} day of ${source.calendar}` : source.day
