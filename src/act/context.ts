import { appendFileSync } from 'node:fs'
import { fill } from '@/core/work/connections'

/** What an action sees of its attempt, and how it tells what it does. */
export interface Context {
  readonly values: Readonly<Record<string, string>>
  readonly account: { readonly user: string; readonly secret: string } | null
  readonly run: string
  readonly attempt: string
  /** What a ticket refers to; else the run. */
  readonly reference?: string
  /** A line of standard output, or of standard error. */
  readonly say: (line: string) => void
  readonly warn: (line: string) => void
  /** A named value for later steps. */
  readonly hand: (name: string, value: string) => void
}

/** It did not work, for a reason that a person can act on. */
export class ActFault extends Error {}

/** The attempt's surroundings, from the environment that the agent made. */
export function contextOf(env: NodeJS.ProcessEnv): Context {
  const names = (env.BUGLE_INPUTS ?? '').split(',').filter(Boolean)
  const values = Object.fromEntries(names.map((name) => [name, env[name] ?? '']))
  const { BUGLE_ACCOUNT_USER: user, BUGLE_ACCOUNT_SECRET: secret, BUGLE_OUTPUTS: file } = env
  return {
    values,
    account: user === undefined ? null : { user, secret: secret ?? '' },
    run: env.BUGLE_RUN ?? '',
    attempt: env.BUGLE_TRY ?? '',
    say: (line) => process.stdout.write(`${line}\n`),
    warn: (line) => process.stderr.write(`${line}\n`),
    hand: (name, value) => {
      if (file) appendFileSync(file, `${name}=${oneLine(value)}\n`)
    },
  }
}

/** Line ends become spaces: nothing that comes after one is taken for another header, or another value. */
export const oneLine = (text: string): string => text.replaceAll(/[\r\n]+/g, ' ')

export const portOf = (port: number | string, values: Readonly<Record<string, string>>): number => {
  const number = Number(fill(String(port), values))
  if (!Number.isInteger(number) || number < 1 || number > 65_535) throw new ActFault(`${port} is not a port.`)
  return number
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
