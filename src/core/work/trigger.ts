import { z } from 'zod'
import { titleSchema } from '@/core/schema/text'
import { MAKE_UP, OVERLAPS, timingKeys, waitMostFault } from '../bundle/schema'
import { fromCallSchema, kindFaults } from '../events/kinds'
import { parseDuration } from '../timing/duration'
import { slugSchema } from './job'

/** Everything that says when a trigger fires and how it starts its job: the keys are those of the bundle. */
export const triggerDefinitionSchema = z
  .strictObject({
    ...timingKeys,
    with: z.record(z.string(), z.union([z.string().max(10_000), fromCallSchema])).default({}),
  })
  .superRefine(({ from, until, ...definition }, context) => {
    for (const { key, message } of kindFaults(definition))
      context.addIssue({ code: 'custom', path: key.split('.').filter(Boolean), message })
    const fault = waitMostFault(definition)
    if (fault) context.addIssue({ code: 'custom', path: ['waitMost'], message: fault })
    if (from !== undefined && until !== undefined && until < from)
      context.addIssue({
        code: 'custom',
        path: ['until'],
        message: `The last day ${until} comes before the first, ${from}.`,
      })
  })
export type TriggerDefinition = z.output<typeof triggerDefinitionSchema>

/** A stored definition as it is read where many are: one that cannot be read is left out, so that it keeps none of the others. */
export const triggerIfReadable = (stored: unknown): TriggerDefinition | undefined =>
  triggerDefinitionSchema.safeParse(stored).data

/** How a person likes new triggers to be. */
export const triggerDefaultsSchema = z
  .strictObject({
    zone: timingKeys.zone,
    lateStart: timingKeys.lateStart,
    makeUp: z.enum(MAKE_UP),
    overlap: z.enum(OVERLAPS),
    priority: timingKeys.priority,
  })
  .partial()
export type TriggerDefaults = z.output<typeof triggerDefaultsSchema>

export const triggerSchema = z.strictObject({
  slug: slugSchema.optional(),
  title: titleSchema('A trigger needs a title.', 120),
  notes: z.string().max(10_000).default(''),
  jobId: z.int().positive('Choose a job.'),
  enabled: z.boolean().default(true),
  definition: triggerDefinitionSchema,
})
export type TriggerContent = z.output<typeof triggerSchema>

/** How late a start may still be made up, milliseconds. */
export function allowanceMs(definition: TriggerDefinition, defaultMs: number): number {
  const seconds = definition.lateStart === undefined ? undefined : parseDuration(definition.lateStart)
  return seconds === undefined ? defaultMs : seconds * 1000
}
