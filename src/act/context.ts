import { writeSync } from 'node:fs'
import { storableText } from '@/core/schema/plain-text'
import type { SignIn } from '@/core/work/account'
import { fill, valuesAsSegments } from '@/core/work/connections'

/** What an action sees of its attempt, and how it tells what it does. */
export interface Context {
  readonly values: Readonly<Record<string, string>>
  readonly account: SignIn | null
  readonly run: string
  readonly attempt: string
  /** The socket at which it asks the server; null or absent: it has nothing to ask. */
  readonly door?: string | null
  /** What a ticket refers to; else the run. */
  readonly reference?: string
  /** Whether a connection to this address of the network may be made; absent: to any. The server's own requests have such a rule. */
  readonly mayReach?: (address: string) => boolean
  /** Less than the action's own, for trials. */
  readonly limits?: { readonly seconds: number; readonly bytes: number }
  /** What goes along with a mail. */
  readonly attachments?: readonly { readonly name: string; readonly type: string; readonly bytes: Buffer }[]
  /** A line of standard output, or of standard error. */
  readonly say: (line: string) => void
  readonly warn: (line: string) => void
  /** A named value for later steps. */
  readonly hand: (name: string, value: string) => void
}

/** It did not work, for a reason that a person can act on. */
export class ActFault extends Error {}

/** What the agent writes down for the action's own process. Nothing of it goes through the environment, which belongs to the job. */
export interface Surroundings {
  readonly values: Readonly<Record<string, string>>
  readonly account: SignIn | null
  readonly run: string
  readonly attempt: string
  /** The socket at which an attempt asks the server; null: it has nothing to ask. */
  readonly door?: string | null
}

/** @param outputs a descriptor that named values are written to; null: they are dropped */
export function contextOf(
  { values, account, run, attempt, door = null }: Surroundings,
  outputs: number | null,
): Context {
  return {
    values,
    account,
    run,
    attempt,
    door,
    say: (line) => process.stdout.write(`${line}\n`),
    warn: (line) => process.stderr.write(`${line}\n`),
    hand: (name, value) => {
      if (outputs !== null) writeSync(outputs, `${name}=${oneLine(value)}\n`)
    },
  }
}

/** Line ends, and what some programs take for one, become spaces: nothing that comes after one is taken for another header, or another value. */
export const oneLine = (text: string): string => storableText(text).replaceAll(/[\r\n\v\f\u0085\u2028\u2029]+/g, ' ')

export const portOf = (port: number | string, values: Readonly<Record<string, string>>): number => {
  const number = Number(fill(String(port), values))
  if (!Number.isInteger(number) || number < 1 || number > 65_535) throw new ActFault(`${port} is not a port.`)
  return number
}

/** A path with values in it, each one part of it: none leads to another folder. */
export function pathOf(text: string, values: Readonly<Record<string, string>>, arePaths = false): string {
  const filled = valuesAsSegments(text, values, arePaths)
  if ('fault' in filled) throw new ActFault(filled.fault)
  return filled.text
}

/** An error as people read it: its cause rather than “fetch failed”. */
export function reasonOf(error: unknown): string {
  const { message, code, cause } = error as {
    message?: string
    code?: string
    cause?: { message?: string; code?: string }
  }
  const known = WORDS[cause?.code ?? code ?? '']
  return known ?? cause?.message ?? (message || String(error))
}
const WORDS: Readonly<Record<string, string>> = {
  ECONNREFUSED: 'the connection was refused: nothing listens there',
  ENOTFOUND: 'no address is known for that name',
  EAI_AGAIN: 'the name could not be looked up just now',
  EHOSTUNREACH: 'no way leads to that machine',
  ENETUNREACH: 'no way leads to that network',
  ECONNRESET: 'the other side cut the connection',
  EPIPE: 'the other side cut the connection',
  ETIMEDOUT: 'no answer in time',
  ENOSPC: 'the disk is full',
}

/** Rejects when the time is over; `cancel` ends what still goes on. */
export async function within<T>(seconds: number, work: Promise<T>, cancel: () => void): Promise<T> {
  let timer: NodeJS.Timeout | undefined
  const late = new Promise<never>((_, reject) => {
    timer = setTimeout(() => {
      reject(new ActFault(`No answer within ${seconds} s.`))
      cancel()
    }, seconds * 1000)
  })
  try {
    return await Promise.race([work, late])
  } finally {
    clearTimeout(timer)
  }
}
