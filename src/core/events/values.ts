import { isFromCall, type FromCall } from './kinds'

type Given = Readonly<Record<string, string | FromCall>>

const NAMED = /\$\{([A-Za-z][\w.-]{0,79})\}/g

/** What a trigger that is started by an event can give to inputs. */
export interface Brought {
  /** By name: taken as `${name}`. */
  readonly values: Readonly<Record<string, string>>
  /** What a call sent: taken by pointers. */
  readonly body?: unknown
  /** Of the values those that inputs of the same name take by themselves. */
  readonly byName?: readonly string[]
}

/**
 * The values of `with` for one event: `${name}` is what the event brings under that name, `{"from": "/a/b"}` what a call sent there; where it sent nothing the input is left to its
 * default. Faults by the input's name.
 */
export function broughtInputs(
  given: Given,
  { values, body, byName = [] }: Brought,
  /** The names of the inputs that there are. */
  inputs: readonly string[] = [],
): { readonly given: Record<string, string>; readonly faults: readonly { name: string; message: string }[] } {
  const faults: { name: string; message: string }[] = []
  const found: Record<string, string> = Object.fromEntries(
    byName.flatMap((name) =>
      inputs.includes(name) && Object.hasOwn(values, name) ? [[name, values[name] as string]] : [],
    ),
  )
  for (const [name, value] of Object.entries(given)) {
    if (isFromCall(value)) {
      const sent = atPointer(body, value.from)
      if (sent !== undefined && sent !== null) found[name] = textOf(sent)
      continue
    }
    found[name] = value.replaceAll(NAMED, (_, wanted: string) => {
      if (Object.hasOwn(values, wanted)) return values[wanted] as string
      faults.push({ name, message: `What started it brought no value called ${wanted}.` })
      return ''
    })
  }
  return { given: found, faults }
}

/** The values that are written as they are. */
export const plainValues = (given: Given): Record<string, string> =>
  Object.fromEntries(Object.entries(given).flatMap(([name, value]) => (isFromCall(value) ? [] : [[name, value]])))

/** Inputs whose values are known only when it starts. */
export const broughtNames = (given: Given): Set<string> =>
  new Set(
    Object.entries(given).flatMap(([name, value]) => (isFromCall(value) || value.search(NAMED) >= 0 ? [name] : [])),
  )

/** What lies at a JSON Pointer (RFC 6901); undefined: nothing. */
export function atPointer(value: unknown, pointer: string): unknown {
  let here = value
  for (const part of pointer.split('/').slice(1)) {
    const key = part.replaceAll('~1', '/').replaceAll('~0', '~')
    if (typeof here !== 'object' || here === null || !Object.hasOwn(here, key)) return undefined
    here = (here as Record<string, unknown>)[key]
  }
  return here
}

/** As an input takes it: a yes-no is yes or no, and what has parts is JSON. */
function textOf(value: unknown): string {
  if (typeof value === 'boolean') return value ? 'yes' : 'no'
  return typeof value === 'string' ? value : JSON.stringify(value)
}

/** Whether all of these pointers lead to these values. */
export const fitsOnly = (only: Readonly<Record<string, string | number | boolean>>, body: unknown): boolean =>
  Object.entries(only).every(([pointer, value]) => atPointer(body, pointer) === value)
