import { z } from 'zod'
import { textSchema, titleSchema } from '../schema/text'
import { loopsOf } from '../bundle/graph'
import { SYSTEM_KINDS, type SystemKind } from '../fleet/system-state'
import { ACCOUNT_USE, hostKeySchema, hostSchema, portSchema, type ConnectionKind } from './connections'
import { slugSchema } from './job'

/**
 * Systems: what work serves or is done on, without an agent of its own. A job that names one does not repeat what a connection to it needs; whatever the system
 * says stands in the job, too, and changes with it, so that everything that reads a job finds it whole.
 */

/** What a system says of itself; null: it leaves that open, and each job says it. */
export const systemSaysSchema = z.strictObject({
  kind: z.enum(Object.keys(SYSTEM_KINDS) as [SystemKind, ...SystemKind[]]),
  host: hostSchema.nullable().default(null),
  port: portSchema.nullable().default(null),
  /** Of a database. */
  database: z.string().min(1).max(63).nullable().default(null),
  tls: z.boolean().default(false),
  hostKey: hostKeySchema.nullable().default(null),
  account: slugSchema.nullable().default(null),
  /** Whose agents reach it. */
  pool: slugSchema.nullable().default(null),
})
export type SystemSays = z.output<typeof systemSaysSchema>

export const systemSchema = systemSaysSchema
  .extend({
    title: titleSchema('A system needs a title.', 120),
    notes: textSchema(10_000).default(''),
    /** What it runs on, by name. */
    on: z.array(slugSchema).max(20, 'It runs on 20 systems at most.').default([]),
  })
  .superRefine((system, context) => {
    const fault = (path: string, message: string): void => context.addIssue({ code: 'custom', path: [path], message })
    if (system.database !== null && system.kind !== 'database') fault('database', 'Only a database has such a name.')
    if (system.hostKey !== null && system.kind !== 'host') fault('hostKey', 'Only a host has a host key.')
    if (new Set(system.on).size < system.on.length) fault('on', 'A system stands there twice.')
  })
export type SystemContent = z.output<typeof systemSchema>

/** Kinds of job, and of which kinds of system they take their address. A reach check looks at any. */
const FITS: Readonly<Record<string, readonly SystemKind[]>> = {
  sql: ['database'],
  ssh: ['host'],
  transfer: ['host'],
  http: ['application', 'other'],
  ticket: ['application', 'other'],
  mail: ['application', 'other'],
  reach: ['application', 'database', 'host', 'other'],
}
const NEEDS: Readonly<Record<string, string>> = {
  sql: 'SQL is carried out on a database',
  ssh: 'A command over SSH is carried out on a host',
  transfer: 'Files go to and from a host',
  http: 'An HTTP request goes to an application',
  ticket: 'A ticket is opened at an application',
  mail: 'A mail goes out by an application',
}

/** An action of which perhaps only its kind is known. */
interface Action {
  readonly kind: string
  readonly [field: string]: unknown
}

/** Whether a job of this kind takes its address from a system; others only say whom they serve. */
export const isReached = (kind: string): boolean => kind in FITS

/** Why a job with this action cannot be done on this system; null: it can. */
export function systemFault(action: Action, title: string, { kind, host }: SystemSays): string | null {
  const fits = FITS[action.kind]
  if (!fits) return null
  if (!fits.includes(kind)) return `${NEEDS[action.kind]}; ${title} is ${SYSTEM_KINDS[kind]}.`
  return host === null ? `${title} says no address: write it into the system first.` : null
}

/** Whether a job of this kind signs in where it goes, and so may do it as the system says. */
export const isSignedIn = (kind: string): boolean => isReached(kind) && ACCOUNT_USE[kind as ConnectionKind] !== 'none'

/** The same address at another scheme, host and port. @param text may have references to inputs in it */
const moved = (text: unknown, { host, port, tls }: SystemSays): string => {
  const bare = host?.includes(':') ? `[${host}]` : (host ?? '')
  const origin = `${tls ? 'https' : 'http'}://${bare}${port === null || port === (tls ? 443 : 80) ? '' : `:${port}`}`
  const rest = typeof text === 'string' ? text.replace(/^https?:\/\/[^/?#]*/i, '') : ''
  return `${origin}${rest}`
}

/** The fields of an action that a system says, with what it says. */
export function saidBy(action: Action, system: SystemSays): Readonly<Record<string, unknown>> {
  const { kind, host, port, database, tls, hostKey } = system
  if (host === null || !FITS[action.kind]?.includes(kind)) return {}
  switch (action.kind) {
    case 'sql':
      return { host, port: port ?? 5432, ...(database === null ? {} : { database }), tls }
    case 'ssh':
    case 'transfer':
      return { host, port: port ?? 22, ...(hostKey === null ? {} : { hostKey }) }
    case 'mail':
      return { host, port: port ?? 25, tls }
    case 'http':
    case 'ticket':
      return { url: moved(action.url, system) }
    default:
      return action.by === 'http'
        ? { host: moved(action.host, system) }
        : { host, ...(action.by === 'tcp' && port !== null ? { port } : {}) }
  }
}

interface Doable {
  readonly action: Action
  readonly account: string | null
}

/** A job as it is on this system: what the system says takes the place of what the job said. Saying it again changes nothing. */
export function onSystem<D extends Doable>(definition: D, system: SystemSays): D {
  const { action } = definition
  if (!isReached(action.kind)) return definition
  return {
    ...definition,
    action: { ...action, ...saidBy(action, system) },
    ...(system.account !== null && isSignedIn(action.kind) ? { account: system.account } : {}),
    ...(system.pool === null ? {} : { target: { pool: system.pool } }),
  }
}

/** Systems that run on each other in a ring, by name; null: there is none. One of which nothing is known runs on nothing. */
export function ringOf(on: ReadonlyMap<string, readonly string[]>): readonly string[] | null {
  const names = [...on.keys()]
  const places = new Map(names.map((name, i) => [name, i]))
  const next = names.map((name) => (on.get(name) ?? []).flatMap((below) => places.get(below) ?? []))
  return loopsOf(next)[0]?.map((i) => names[i] as string) ?? null
}
