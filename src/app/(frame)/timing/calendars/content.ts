import { z } from 'zod'
import { dayRuleSchema, type DayRule } from '@/core/calendar/rule'

/** What of a calendar is written in its form. */
export interface Content {
  readonly title: string
  readonly notes: string
  readonly rule: DayRule
}
export function contentOf({ title, notes, rule }: Content): Content {
  return { title, notes, rule }
}

export const contentSchema = z.strictObject({
  title: z.string().trim().min(1, 'A calendar needs a title.').max(120),
  notes: z.string().max(10_000),
  rule: dayRuleSchema,
})
