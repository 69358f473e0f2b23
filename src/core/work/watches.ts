import { z } from 'zod'
import { MASKS, type MaskName } from '../compare/masks'
import { regexFault } from '../schema/regex'

const regexSchema = z
  .string()
  .min(1, 'Write the expression.')
  .max(300)
  .superRefine((text, context) => {
    const message = regexFault(text)
    if (message !== undefined) context.addIssue({ code: 'custom', message })
  })

/** A job that watches its own output: a success that wrote something else than the one before is told. */
export const watchesSchema = z.strictObject({
  /** What differs from run to run without meaning anything, by name. */
  masks: z
    .array(z.enum(MASKS as [MaskName, ...MaskName[]]))
    .max(MASKS.length)
    .default([...MASKS]),
  /** Further regular expressions (ECMAScript) of what does not count. */
  patterns: z.array(regexSchema).max(20).default([]),
  /** Open a matter when it has changed. */
  matter: z.boolean().default(false),
})
export type Watches = z.output<typeof watchesSchema>
