import { z } from 'zod'
import { idSchema } from '../calendar/rule'
import { exactlyOne } from '../schema/one-key'
import { parseDuration } from '../timing/duration'
import { filePathSchema } from './file-name'
import { timeOfDaySchema, type TimeRule } from '../timing/rule'

/** What may start work besides the clock. A trigger has exactly one of these, or `time`. */
export const EVENT_KINDS = ['backlog', 'measure', 'file', 'call', 'after'] as const
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

/** changed: it succeeded, and its output is not what it was; of jobs that watch their output. */
export const AFTER_WHEN = ['succeeded', 'failed', 'ended', 'changed'] as const
/** What such a trigger is told of a run: how it ended, or that its output changed. */
export const TOLD_STATES = ['succeeded', 'failed', 'lost', 'cancelled', 'changed'] as const
/** A run of other work has ended. */
const afterSchema = z.strictObject({
  /** The id of a job or a flow. */
  work: idSchema,
  when: z.enum(AFTER_WHEN).default('succeeded'),
})
export type After = z.output<typeof afterSchema>

const nameOfMeasure = z
  .string()
  .min(1, 'Name a measure.')
  .max(40)
  .regex(/^[A-Za-z_][\w-]*$/, 'A measure’s name has letters, digits, “_” and “-”.')
/** Whose values are looked at: of a pool each of its agents by itself. */
const measureOfSchema = exactlyOne(
  z.strictObject({
    agent: z.string().max(80).optional(),
    pool: idSchema.optional(),
    queue: idSchema.optional(),
    job: idSchema.optional(),
  }),
  'What is measured',
  ['agent', 'pool', 'queue', 'job'],
) as z.ZodType<MeasureOf>
export interface MeasureOf {
  readonly agent?: string | undefined
  readonly pool?: string | undefined
  readonly queue?: string | undefined
  readonly job?: string | undefined
}
/** Measures of agents, in percent but for the load (per core), and of queues: how many wait, and for how many seconds the first has. Those of a job are what its runs report. */
export const AGENT_MEASURES = ['memory', 'disk', 'load'] as const
export const QUEUE_MEASURES = ['waiting', 'oldest'] as const
const finite = z.number('Expected a number.').min(-1e15).max(1e15)
/** A measured value goes beyond a limit, and stays there. */
const measureSchema = z
  .strictObject({
    of: measureOfSchema,
    name: nameOfMeasure,
    above: finite.optional(),
    below: finite.optional(),
    /** So many values in a row. */
    times: wholeFrom1(1000).default(1),
    /** It fires again only after a value on the other side of this. */
    clear: finite.optional(),
  })
  .superRefine(({ of, name, above, below, clear }, context) => {
    const add = (key: string, message: string): void => context.addIssue({ code: 'custom', path: [key], message })
    if ((above === undefined) === (below === undefined)) add('above', 'Say one limit: above, or below.')
    else if (clear !== undefined && above !== undefined && clear > above)
      add('clear', 'It is cleared at or below the limit that it goes above.')
    else if (clear !== undefined && below !== undefined && clear < below)
      add('clear', 'It is cleared at or above the limit that it goes below.')
    const known: readonly string[] | null = of.job ? null : of.queue ? QUEUE_MEASURES : AGENT_MEASURES
    if (known && !known.includes(name)) add('name', `Here are measured: ${known.join(', ')}.`)
  })
export type Measure = z.output<typeof measureSchema>

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
  measure: measureSchema.optional(),
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
  readonly measure?: Measure | undefined
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
