import { z } from 'zod'
import { parseIsoDay } from '../calendar/days'
import { idSchema } from '../calendar/rule'
import { dayDefaultSchema, dayWords, type DayDefault } from './day-defaults'

export const INPUT_TYPES = ['text', 'number', 'yes-no', 'choice', 'day', 'secret'] as const
export type InputType = (typeof INPUT_TYPES)[number]

/** What a default may take from the person who starts the run. */
const STARTER_FACTS = ['name', 'email'] as const

/** A default that is known only when the run is made: a shared value, by its name, something of whoever starts it, or a day beside the run's own. */
const defaultSourceSchema = z.union(
  [z.strictObject({ shared: idSchema }), z.strictObject({ starter: z.enum(STARTER_FACTS) }), dayDefaultSchema],
  {
    error:
      'A text, {"shared": "name"}, {"starter": "name"}, {"starter": "email"}, {"day": "today"} (or yesterday, tomorrow), or {"day": "next"} (or last) with a "calendar".',
  },
)
export type DefaultSource = z.output<typeof defaultSourceSchema>

/** What such a default of an input of this type is now; undefined: there is none. A secret goes only to an input that is one. */
export type KnownValues = (
  source: { readonly shared: string } | { readonly starter: string } | DayDefault,
  type: InputType,
) => string | undefined

/**
 * A named, typed value asked for when a run is started. The name becomes an environment variable of the process, so it begins with a
 * lower-case letter: upper case is left to the system's own variables.
 */
export const inputSchema = z
  .strictObject({
    name: z
      .string()
      .regex(
        /^[a-z][A-Za-z0-9_]{0,39}$/,
        'An input’s name begins with a lower-case letter; then letters, digits, “_”.',
      ),
    title: z.string().max(80).default(''),
    type: z.enum(INPUT_TYPES),
    options: z.array(z.string().min(1).max(200)).max(100).default([]),
    default: z
      .union([z.string().max(10_000), defaultSourceSchema])
      .nullable()
      .default(null),
    ask: z.boolean().default(true),
  })
  .superRefine((input, context) => {
    if (input.type === 'choice' && input.options.length === 0) {
      context.addIssue({ code: 'custom', path: ['options'], message: 'A choice needs at least one option.' })
    }
    if (input.type === 'secret' && input.default !== null && !isShared(input.default)) {
      context.addIssue({
        code: 'custom',
        path: ['default'],
        message: 'A secret has no default that is written here: it would be readable. It may be a shared secret.',
      })
    }
    if (isDayDefault(input.default) && input.type !== 'day') {
      context.addIssue({ code: 'custom', path: ['default'], message: 'Only a day has such a default.' })
    }
    if (typeof input.default === 'string' && input.type !== 'secret') {
      const fault = valueFault(input, input.default)
      if (fault) context.addIssue({ code: 'custom', path: ['default'], message: `The default ${fault}.` })
    }
    if (!input.ask && input.default === null) {
      context.addIssue({ code: 'custom', path: ['ask'], message: 'Ask for it, or give it a default.' })
    }
  })
export type Input = z.output<typeof inputSchema>

type Default = Input['default']
const isShared = (value: Default): value is { shared: string } =>
  typeof value === 'object' && value !== null && 'shared' in value

export const isDayDefault = (value: unknown): value is DayDefault =>
  typeof value === 'object' && value !== null && 'day' in value

/** The name of the shared value that an input takes where nothing else is given. */
export const sharedNameOf = ({ default: value }: Pick<Input, 'default'>): string | null =>
  isShared(value) ? value.shared : null

/** A default that is written out; empty: there is none, or only the server knows it. */
export const writtenDefault = ({ default: value }: Pick<Input, 'default'>): string =>
  typeof value === 'string' ? value : ''

/** A default in words; empty if there is none. */
export function defaultWords(value: Default): string {
  if (value === null || typeof value === 'string') return value ?? ''
  if (isDayDefault(value)) return dayWords(value)
  if ('shared' in value) return `the shared value ${value.shared}`
  return value.starter === 'email' ? 'the address of who starts it' : 'the name of who starts it'
}

/** What is wrong with a value for this input, as the end of a sentence; null if nothing is. Values travel as text. */
export function valueFault(input: Pick<Input, 'type' | 'options'>, value: string): string | null {
  if (value.includes('\0')) return 'contains a NUL character'
  switch (input.type) {
    case 'number':
      return /^-?\d+(\.\d+)?$/.test(value) ? null : 'is not a number'
    case 'yes-no':
      return value === 'yes' || value === 'no' ? null : 'is neither yes nor no'
    case 'choice':
      return input.options.includes(value) ? null : `is none of ${input.options.join(', ')}`
    case 'day':
      return parseIsoDay(value) === undefined ? 'is not a day such as 2027-03-09' : null
    case 'text':
    case 'secret':
      return value.length > 10_000 ? 'is longer than 10,000 characters' : null
  }
}

export interface InputFault {
  readonly name: string
  readonly message: string
}

/** Values given at start, laid over the defaults and checked. Every input ends with a value or a fault. */
export function resolveInputs(
  inputs: readonly Input[],
  given: Readonly<Record<string, string>>,
  known: KnownValues,
): { readonly values: Record<string, string>; readonly faults: readonly InputFault[] } {
  const values: Record<string, string> = {}
  const faults: InputFault[] = []
  for (const input of inputs) {
    const value = Object.hasOwn(given, input.name) ? given[input.name] : filledDefault(input, known)
    if (value === undefined || (value === '' && input.type !== 'text')) {
      faults.push({ name: input.name, message: `${input.title || input.name} needs a value${whyNone(input)}.` })
      continue
    }
    const fault = valueFault(input, value)
    if (fault) faults.push({ name: input.name, message: `${input.title || input.name} ${fault}.` })
    else values[input.name] = value
  }
  for (const name of Object.keys(given)) {
    if (!inputs.some((input) => input.name === name))
      faults.push({ name, message: `There is no input called ${name}.` })
  }
  return { values, faults }
}

/** The default as it is now; undefined: there is none. */
export function filledDefault({ type, default: value }: Input, known: KnownValues): string | undefined {
  return typeof value === 'object' && value !== null ? known(value, type) : (value ?? undefined)
}

function whyNone({ default: value }: Input): string {
  if (value === null || typeof value === 'string') return ''
  if ('shared' in value) return `: there is no shared value ${value.shared} that fits it`
  return `: ${defaultWords(value)} is not known here`
}
