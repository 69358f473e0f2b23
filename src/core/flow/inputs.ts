import type { Bundle } from '../bundle/schema'
import { parseIsoDay } from '../calendar/days'

export type FlowInput = NonNullable<Bundle['flows'][number]['inputs']>[number]
export type Value = string | number | boolean
/** What each input of a flow is in a run of it; one without a value is missing. */
export type InputValues = ReadonlyMap<string, Value>

/** What is wrong with what was asked for, not with the file: `at` says with which part of it. */
export class FlowFault extends Error {
  constructor(
    message: string,
    readonly at: 'flow' | 'input' | 'outcomes' | 'gate',
  ) {
    super(message)
  }
}

const REFERENCE = /\$\{([a-z][A-Za-z0-9_]*)\}/g
const WHOLE = /^\$\{([a-z][A-Za-z0-9_]*)\}$/

/**
 * The values of a flow's inputs: what is given, else their defaults. `outer`: the values of the flow around it, which `${name}` in what is given refers to; a
 * whole `"${name}"` keeps its type. A default that only a server knows (shared values, who starts) is one only as far as `secrets` has it. Throws a FlowFault.
 */
export function innerInputs(
  inputs: readonly FlowInput[],
  given: Readonly<Record<string, Value>>,
  outer: InputValues | null,
  where = '',
  secrets: SharedSecrets = new Map(),
): InputValues {
  const place = where === '' ? '' : ` of ${where}`
  const values = new Map<string, Value>()
  for (const name of Object.keys(given))
    if (!inputs.some((input) => input.name === name)) throw new FlowFault(`There is no input ${name}${place}.`, 'input')
  for (const input of inputs) {
    const raw = Object.hasOwn(given, input.name) ? filled(given[input.name] as Value, outer) : written(input, secrets)
    if (raw === undefined) continue
    const value = fitting(input, raw)
    if (value === undefined)
      throw new FlowFault(`The input ${input.name}${place} is ${describe(input)}, not “${String(raw)}”.`, 'input')
    values.set(input.name, value)
  }
  return values
}

/** Shared secrets by their names: they stand in no plan, and are filled in as it is laid out. */
export type SharedSecrets = ReadonlyMap<string, string>

function written({ type, default: value }: FlowInput, secrets: SharedSecrets): Value | undefined {
  if (typeof value !== 'object') return value
  return type === 'secret' && 'shared' in value ? secrets.get(value.shared) : undefined
}

/** A given value with references filled in; undefined: it is a reference to a value that is not there. */
function filled(given: Value, outer: InputValues | null): Value | undefined {
  if (typeof given !== 'string' || outer === null) return given
  const whole = WHOLE.exec(given)?.[1]
  if (whole !== undefined) return outer.get(whole)
  return given.replace(REFERENCE, (_, name: string) => String(outer.get(name) ?? ''))
}

/** The names of what is given a secret, whatever the inputs that take it say now. */
export const givenSecrets = (given: Readonly<Record<string, Value>>, secrets: ReadonlySet<string>): string[] =>
  Object.keys(given).filter(
    (name) =>
      secrets.size > 0 &&
      typeof given[name] === 'string' &&
      [...given[name].matchAll(REFERENCE)].some((reference) => secrets.has(String(reference[1]))),
  )

/** The value as the input's type has it; undefined: it does not fit. Text that reads as a number or as yes and no fits those types. */
export function fitting({ type, options = [] }: FlowInput, raw: Value): Value | undefined {
  switch (type) {
    case 'number': {
      const number = typeof raw === 'string' && raw.trim() !== '' ? Number(raw) : raw
      return typeof number === 'number' && Number.isFinite(number) ? number : undefined
    }
    case 'yes-no':
      if (raw === true || raw === 'yes' || raw === 'true') return true
      return raw === false || raw === 'no' || raw === 'false' ? false : undefined
    case 'choice':
      return options.includes(String(raw)) ? String(raw) : undefined
    case 'day':
      return typeof raw === 'string' && parseIsoDay(raw) !== undefined ? raw : undefined
    case 'text':
    case 'secret':
      return String(raw)
  }
}

/** What the input’s values are, in words. */
export function describe({ type, options = [] }: FlowInput): string {
  if (type === 'choice') return `one of ${options.join(', ')}`
  return { number: 'a number', 'yes-no': 'yes or no', day: 'a day such as 2027-03-09', text: 'text', secret: 'text' }[
    type
  ]
}
