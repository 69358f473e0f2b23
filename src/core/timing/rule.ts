import { z } from 'zod'
import { exactlyOne } from '../schema/one-key'
import { parseIsoDay, parseTimeOfDay } from '../calendar/days'
import { parseRecurrence } from '../calendar/recurrence-parse'
import { parseCron } from './cron'
import { parseDuration } from './duration'
import { isZoneName, type LocalSeconds } from './zone'

/** When on its days a trigger fires; exactly one form. What each means: docs/formats.md. */
export type TimeRule =
  | { readonly at: readonly string[] }
  | { readonly every: EveryRule }
  | { readonly cron: string }
  | { readonly rrule: string; readonly start: string }

export interface EveryRule {
  readonly step: string
  readonly from?: string | undefined
  readonly until?: string | undefined
}

export const GAPS = ['later', 'skip'] as const
export type Gap = (typeof GAPS)[number]
export const FOLDS = ['first', 'second', 'both'] as const
export type Fold = (typeof FOLDS)[number]

const LONGEST_STEP = 86_400
const MOST_TIMES = 2880

export const timeOfDaySchema = z
  .string()
  .refine((text) => parseTimeOfDay(text) !== undefined, 'Expected a time of day such as 06:00 or 23:59:59.')

export const zoneSchema = z.string().refine(isZoneName, 'Expected an IANA time zone such as Europe/London.')

/** `2027-01-04T06:00[:00]` as seconds of the local clock; undefined for anything else. */
export function parseLocalTime(text: string): LocalSeconds | undefined {
  const day = parseIsoDay(text.slice(0, 10))
  const time = text[10] === 'T' ? parseTimeOfDay(text.slice(11)) : undefined
  return day === undefined || time === undefined ? undefined : day * 86_400 + time
}

function checkedBy(parse: (text: string) => { ok: true } | { ok: false; fault: string }): z.ZodString {
  return z.string().superRefine((text, context) => {
    const parsed = parse(text)
    if (!parsed.ok) context.addIssue({ code: 'custom', message: parsed.fault })
  })
}

/** A whole number of seconds from one to a day. */
const stepSchema = z.string().superRefine((text, context) => {
  const seconds = parseDuration(text, 'no weeks')
  if (seconds === undefined || seconds < 1 || seconds > LONGEST_STEP)
    context.addIssue({
      code: 'custom',
      message: 'Expected a duration from PT1S to PT24H in whole days, hours, minutes and seconds, such as PT15M.',
    })
})

export const timeRuleSchema: z.ZodType<TimeRule> = exactlyOne(
  z.strictObject({
    at: z
      .array(timeOfDaySchema)
      .min(1, 'Name at least one time of day.')
      .max(MOST_TIMES, `Name at most ${MOST_TIMES} times of day; “every” says more in one.`)
      .optional(),
    every: z
      .strictObject({ step: stepSchema, from: timeOfDaySchema.optional(), until: timeOfDaySchema.optional() })
      .optional(),
    cron: checkedBy(parseCron).optional(),
    rrule: checkedBy((text) => parseRecurrence(text, 'times')).optional(),
    start: z
      .string()
      .refine((text) => parseLocalTime(text) !== undefined, 'Expected a local date and time such as 2027-01-04T06:00.')
      .optional(),
  }),
  'A time rule',
  ['at', 'every', 'cron', 'rrule'],
  { rrule: 'start' },
).meta({
  id: 'TimeRule',
  description: 'Instants on the days of a trigger; exactly one form.',
}) as unknown as z.ZodType<TimeRule>
