import { z } from 'zod'
import { exactlyOne } from '../schema/one-key'
import { parseIsoDay, WEEKDAYS, type Weekday } from './days'
import { parseRecurrence } from './recurrence-parse'

/** A set of days, as people and files write it; exactly one form. What each means: docs/formats.md. */
export type DayRule =
  | { readonly weekdays: readonly Weekday[] }
  | { readonly dates: readonly DateEntry[] }
  | { readonly between: readonly [string, string] }
  | { readonly rrule: string; readonly start: string }
  | { readonly holidays: HolidayQuery }
  | { readonly nth: NthRule }
  | { readonly any: readonly DayRule[] }
  | { readonly all: readonly DayRule[] }
  | { readonly not: DayRule }
  | { readonly shift: ShiftRule }
  | { readonly roll: RollRule }
  | { readonly calendar: string }

export type DateEntry = string | { readonly date: string; readonly title?: string | undefined }
export interface HolidayQuery {
  readonly country: string
  readonly region?: string | undefined
  readonly types?: readonly HolidayType[] | undefined
}
export interface NthRule {
  readonly n: number
  readonly of: DayRule
  readonly in: 'week' | 'month' | 'quarter' | 'year'
  readonly yearStart?: number | undefined
}
export interface ShiftRule {
  readonly of: DayRule
  readonly days: number
  readonly counting?: DayRule | undefined
}
export interface RollRule {
  readonly of: DayRule
  readonly onto: DayRule
  readonly to: RollTo
}
export const ROLL_TO = ['next', 'previous', 'nearest', 'next-in-month'] as const
export type RollTo = (typeof ROLL_TO)[number]
export const HOLIDAY_TYPES = ['public', 'bank', 'school', 'optional', 'observance'] as const
export type HolidayType = (typeof HOLIDAY_TYPES)[number]

/** How far `shift` with counting and `roll` look, in days. */
export const REACH_DAYS = 3660
/** Day rules nest at most this deep within one rule. */
export const MOST_NESTING = 64

export const idSchema = z
  .string()
  .regex(
    /^[a-z0-9][a-z0-9-]{0,63}$/,
    'An id is 1 to 64 lower-case letters, digits and hyphens, beginning with a letter or digit.',
  )
export const isoDaySchema = z
  .string()
  .refine((text) => parseIsoDay(text) !== undefined, 'Expected a day such as 2027-03-09, of the years 0001 to 9999.')
  .meta({ format: 'date' })

const monthDay = z
  .string()
  .refine((text) => parseIsoDay(`2000-${text}`) !== undefined, 'Expected a day of the year such as 05-15.')

const recurrence = z.string().superRefine((text, context) => {
  const parsed = parseRecurrence(text, 'days')
  if (!parsed.ok) context.addIssue({ code: 'custom', message: parsed.fault })
})

const KEYS = [
  'weekdays',
  'dates',
  'between',
  'rrule',
  'holidays',
  'nth',
  'any',
  'all',
  'not',
  'shift',
  'roll',
  'calendar',
]

/** How many days a period has at most. */
const MOST_DAYS = { week: 7, month: 31, quarter: 92, year: 366 } as const

/** What is wrong with asking for the n-th of a period: there never is one. */
export const nthFault = (n: number, period: keyof typeof MOST_DAYS): string | undefined =>
  Math.abs(n) > MOST_DAYS[period] && Math.abs(n) <= 366
    ? `A ${period} has at most ${MOST_DAYS[period]} days.`
    : undefined

const wholeNumber = (from: number, to: number): z.ZodType<number> =>
  z
    .int(`Expected a whole number from ${from} to ${to}.`)
    .min(from, `Expected a whole number from ${from} to ${to}.`)
    .max(to, `Expected a whole number from ${from} to ${to}.`)

const inner: z.ZodType<DayRule> = z.lazy(() => dayRuleSchema)

/** A day rule. Whether its calendars exist and how deep it nests is looked at for the whole file (core/bundle/check). */
export const dayRuleSchema: z.ZodType<DayRule> = exactlyOne(
  z.strictObject({
    weekdays: z.array(z.enum(WEEKDAYS)).min(1, 'Name at least one weekday.').optional(),
    dates: z
      .array(z.union([isoDaySchema, z.strictObject({ date: isoDaySchema, title: z.string().max(200).optional() })]))
      .optional(),
    between: z.tuple([monthDay, monthDay]).optional(),
    rrule: recurrence.optional(),
    start: isoDaySchema.optional(),
    holidays: z
      .strictObject({
        country: z.string().min(1).max(10),
        region: z.string().min(1).max(20).optional(),
        types: z.array(z.enum(HOLIDAY_TYPES)).min(1, 'Name at least one type.').optional(),
      })
      .optional(),
    nth: z
      .strictObject({
        n: wholeNumber(-366, 366).refine((n) => n !== 0, 'n counts from 1, or from -1 at the end; there is no 0th.'),
        of: inner,
        in: z.enum(['week', 'month', 'quarter', 'year']),
        yearStart: wholeNumber(1, 12).optional(),
      })
      .superRefine(({ n, in: period }, context) => {
        const message = nthFault(n, period)
        if (message) context.addIssue({ code: 'custom', path: ['n'], message })
      })
      .optional(),
    any: z.array(inner).min(1, 'Give at least one rule.').optional(),
    all: z.array(inner).min(1, 'Give at least one rule.').optional(),
    not: inner.optional(),
    shift: z
      .strictObject({ of: inner, days: wholeNumber(-REACH_DAYS, REACH_DAYS), counting: inner.optional() })
      .optional(),
    roll: z.strictObject({ of: inner, onto: inner, to: z.enum(ROLL_TO) }).optional(),
    calendar: idSchema.optional(),
  }),
  'A day rule',
  KEYS,
  { rrule: 'start' },
).meta({ id: 'DayRule', description: 'A set of days; exactly one form.' }) as unknown as z.ZodType<DayRule>

/** The rules directly inside a rule, each with its path within it. */
export function innerRules(
  rule: DayRule,
): readonly { readonly rule: DayRule; readonly path: readonly (string | number)[] }[] {
  if ('any' in rule) return rule.any.map((r, i) => ({ rule: r, path: ['any', i] }))
  if ('all' in rule) return rule.all.map((r, i) => ({ rule: r, path: ['all', i] }))
  if ('not' in rule) return [{ rule: rule.not, path: ['not'] }]
  if ('nth' in rule) return [{ rule: rule.nth.of, path: ['nth', 'of'] }]
  if ('shift' in rule)
    return [
      { rule: rule.shift.of, path: ['shift', 'of'] },
      ...(rule.shift.counting ? [{ rule: rule.shift.counting, path: ['shift', 'counting'] }] : []),
    ]
  if ('roll' in rule)
    return [
      { rule: rule.roll.of, path: ['roll', 'of'] },
      { rule: rule.roll.onto, path: ['roll', 'onto'] },
    ]
  return []
}

/** Ids of all calendars that the rule names, directly or inside it, in order of first mention. */
export function calendarsNamed(rule: DayRule): string[] {
  const found = new Set<string>()
  const look = (each: DayRule): void => {
    if ('calendar' in each) found.add(each.calendar)
    for (const { rule: one } of innerRules(each)) look(one)
  }
  look(rule)
  return [...found]
}
