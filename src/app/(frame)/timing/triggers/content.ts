import { triggerSchema, type TriggerContent } from '@/core/work/trigger'
import type { TriggerFull } from '@/service/timing/triggers'

/** What of a trigger is written in its form. */
export type Content = Omit<TriggerContent, 'slug'>

export function contentOf({ title, notes, jobId, enabled, definition }: TriggerFull): Content {
  return { title, notes, jobId, enabled, definition }
}

export const contentSchema = triggerSchema.omit({ slug: true })
