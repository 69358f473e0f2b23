import { z } from 'zod'
import { idSchema } from '../calendar/rule'
import { parseDuration } from '../timing/duration'
import { filePathSchema } from './file-name'
import { timeOfDaySchema, type TimeRule } from '../timing/rule'

/** What may start work besides the clock. A trigger has exactly one of these, or `time`. */
export const EVENT_KINDS = ['backlog', 'file', 'call', 'after'] as const
export const TRIGGER_KINDS = ['time', ...EVENT_KINDS] as const
export type TriggerKind = (typeof TRIGGER_KINDS)[number]

/** A duration of at least a second, at most a week. */
const stretchSchema = z.string().superRefine((text, context) => {
  const seconds = parseDuration(text)
  if (seconds === undefined || seconds < 1 || seconds > 7 * 86_400)
    context.addIssue({ code: 'custom', message: 'Expected a duration from PT1S to P7D, such as PT30M.' })
})
const wholeFrom1 = (most: number): z.ZodInt =>
  z
    .int(`Expected a whole number from 1 to ${most}.`)
    .min(1, `Expected a whole number from 1 to ${most}.`)
    .max(most, `Expected a whole number from 1 to ${most}.`)

/** Items of a queue wait: so many, or one for so long. */
export const backlogSchema = z.strictObject({
  queue: idSchema,
  /** So many items that may be taken now start the first run. */
  atLeast: wholeFrom1(100_000).default(1),
  /** So does a single one that came so long ago. */
  orOldest: stretchSchema.optional(),
  /** Items that one run is thought to work off: for each such share there is one run. */
  perRun: wholeFrom1(100_000).default(1),
  /** Open runs of the trigger at a time. */
  most: wholeFrom1(1000).default(1),
})
export type Backlog = z.output<typeof backlogSchema>

export const AFTER_WHEN = ['succeeded', 'failed', 'ended'] as const
/** A run of other work has ended. */
const afterSchema = z.strictObject({
  /** The id of a job or a flow. */
  work: idSchema,
  when: z.enum(AFTER_WHEN).default('succeeded'),
})
export type After = z.output<typeof afterSchema>

/** A file has come, and stands still. */
const fileSchema = z.strictObject({
  /** Whose disk is looked at. */
  on: z.strictObject({ agent: z.string().min(1, 'Name an agent.').max(80) }),
  path: filePathSchema,
  /** Its size and the time of its last change have not changed for so long. */
  settled: stretchSchema.default('PT10S'),
  /** What lies there already when it is saved counts, too. */
  present: z.boolean().default(false),
})
export type FileEvent = z.output<typeof fileSchema>
/** Values that a file brings: inputs that are called so take them by themselves. */
export const FILE_VALUES: readonly string[] = ['file', 'folder', 'size', 'modified']

/** A JSON Pointer (RFC 6901). */
const pointerSchema = z
  .string()
  .max(500)
  .regex(/^(\/([^/~]|~[01])*)*$/, 'Expected a JSON Pointer such as /data/vessel.')
/** A program calls an address of the trigger. */
const callSchema = z.strictObject({
  /** Only calls in which each of these pointers leads to this value start something. */
  only: z
    .record(z.string(), z.union([z.string().max(1000), z.number(), z.boolean()]))
    .superRefine((only, context) => {
      for (const pointer of Object.keys(only)) {
        const fault = pointerSchema.safeParse(pointer).error?.issues[0]?.message
        if (fault) context.addIssue({ code: 'custom', path: [pointer], message: fault })
      }
    })
    .default({}),
  /** Calls without a right signature are refused. */
  signed: z.boolean().default(false),
})
export type Call = z.output<typeof callSchema>

/** A value that a call brings along. */
export const fromCallSchema = z.strictObject({ from: pointerSchema })
export type FromCall = z.output<typeof fromCallSchema>
export const isFromCall = (value: unknown): value is FromCall =>
  typeof value === 'object' && value !== null && 'from' in value

/** The keys that only triggers by events have; the server keeps them as they are here. */
export const eventKeys = {
  backlog: backlogSchema.optional(),
  after: afterSchema.optional(),
  call: callSchema.optional(),
  file: fileSchema.optional(),
  /** Only from one time of the day until before another, on the clock of its zone: what comes outside waits. */
  between: z
    .strictObject({ earliest: timeOfDaySchema, latest: timeOfDaySchema })
    .refine(
      ({ earliest, latest }) => earliest !== latest,
      'The two times are the same: leave it away for the whole day.',
    )
    .optional(),
  /** Beyond so many starts in so long nothing starts. */
  atMost: z.strictObject({ starts: wholeFrom1(10_000), in: stretchSchema }).optional(),
  /** So many failed runs in a row switch it off; 5 without it. */
  stopAfter: wholeFrom1(1000).optional(),
} as const
export const DEFAULT_STOP_AFTER = 5

/** Keys that mean something only where a clock decides. */
const CLOCK_KEYS = ['window', 'lateStart'] as const
const LIMITS = ['between', 'atMost', 'stopAfter'] as const

interface Kinds {
  readonly time?: TimeRule | undefined
  readonly backlog?: Backlog | undefined
  readonly after?: After | undefined
  readonly call?: Call | undefined
  readonly file?: FileEvent | undefined
}
/** One that fires by the clock: nothing brings values for it. */
export type Timed<T> = T & {
  readonly time: TimeRule
  readonly with?: Readonly<Record<string, string | number | boolean>> | undefined
}
export const isTimed = <T extends { readonly time?: TimeRule | undefined }>(trigger: T): trigger is Timed<T> =>
  trigger.time !== undefined

/** What makes it start. A definition that was checked has exactly one. */
export function kindOf(definition: Kinds): TriggerKind {
  return EVENT_KINDS.find((kind) => definition[kind] !== undefined) ?? 'time'
}

/** What does not go together in a trigger, each with the key that it is about; works on what is not checked otherwise, too. */
export function kindFaults(trigger: Readonly<Record<string, unknown>>): { key: string; message: string }[] {
  const has = (key: string): boolean => Object.hasOwn(trigger, key) && trigger[key] !== undefined
  const kinds = TRIGGER_KINDS.filter(has)
  if (kinds.length === 0) return [{ key: '', message: `A trigger needs one of the keys ${TRIGGER_KINDS.join(', ')}.` }]
  if (kinds.length > 1)
    return [{ key: kinds[1] as string, message: `A trigger has one cause, but here are ${kinds.join(' and ')}.` }]
  const [kind] = kinds as [TriggerKind]
  const faults: { key: string; message: string }[] = (kind === 'time' ? LIMITS : CLOCK_KEYS)
    .filter(has)
    .map((key) => ({ key, message: `The key ${key} goes ${kind === 'time' ? 'with events' : 'with time'} only.` }))
  // How many go on at once is said by the backlog itself.
  if (kind === 'backlog')
    for (const key of ['overlap', 'waitMost'])
      if (has(key) && !(key === 'overlap' && ['wait', 'start'].includes(trigger[key] as string)))
        faults.push({ key, message: 'With a backlog “most” says how many runs go on at once.' })
  const values = Object.entries((trigger.with ?? {}) as object)
  for (const [name, value] of kind === 'call' ? [] : values)
    if (isFromCall(value)) faults.push({ key: `with.${name}`, message: 'Only a call brings values with “from”.' })
  return faults
}
