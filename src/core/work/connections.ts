import { z } from 'zod'

/**
 * Kinds of action that talk to another machine or service. The agent carries them out as a child of its own. Texts may hold `${name}` of an input; how a value is
 * put in depends on where it stands (an address is percent-encoded, a header has no line breaks, SQL takes it as a bound parameter).
 */

const reference = /\$\{([a-z][A-Za-z0-9_]*)\}/g
const text = (most = 2000): z.ZodString => z.string().min(1, 'Write something here.').max(most)
const host = text(255).regex(/^[^\s/]+$/, 'A host name or address, without a scheme.')
/** A host that stands there itself, with no reference in it. */
export const hostSchema = host.regex(/^[^$]*$/, 'A host name or address.')
export const portSchema = z.int('A port is a number from 1 to 65535.').min(1).max(65_535)
const portOf = z.union([
  portSchema,
  z.string().regex(/^\$\{[a-z]\w*\}$/i, 'A port from 1 to 65535, or ${name} of an input.'),
])
const url = text(4000).refine((value) => {
  try {
    return ['http:', 'https:'].includes(new URL(value.replace(reference, 'x')).protocol)
  } catch {
    return false
  }
}, 'An address that begins with http:// or https://.')
/** SHA-256 fingerprint of a host key, as OpenSSH writes it. */
export const hostKeySchema = z.string().regex(/^(SHA256:)?[A-Za-z0-9+/]{43}=?$/, 'A fingerprint such as SHA256:….')

export const METHODS = ['GET', 'POST', 'PUT', 'PATCH', 'DELETE', 'HEAD'] as const
const seconds = z.number().min(1, 'At least a second.').max(3600, 'At most an hour.')

/** Is something there? A TCP port that accepts, an HTTP address that answers, or a machine that answers ICMP echo requests. */
const reachSchema = z.strictObject({
  kind: z.literal('reach'),
  by: z.enum(['tcp', 'http', 'ping']),
  host: z.string().max(4000).default(''),
  port: portOf.nullable().default(null),
  withinSeconds: seconds.default(10),
})

/** `pick`: names of outputs and where they lie in a JSON answer (JSON Pointer, RFC 6901). */
export const httpSchema = z.strictObject({
  kind: z.literal('http'),
  method: z.enum(METHODS).default('GET'),
  url,
  headers: z
    .record(z.string().regex(/^[!#$%&'*+.^_`|~0-9A-Za-z-]+$/, 'Not the name of a header.'), z.string().max(4000))
    .default({}),
  body: z.string().max(200_000).default(''),
  expect: z
    .array(z.string().regex(/^([1-5]xx|[1-5]\d\d)$/, 'A status such as 200, or 2xx.'))
    .min(1, 'Name at least one status.')
    .max(20)
    .default(['2xx']),
  pick: z
    .record(
      z
        .string()
        .regex(/^[a-z][A-Za-z0-9_]{0,39}$/, 'A name begins with a lower-case letter; then letters, digits, “_”.'),
      z.string().regex(/^(\/.*)?$/, 'A JSON pointer such as /items/0/name.'),
    )
    .default({}),
  withinSeconds: seconds.default(60),
})

/** PostgreSQL. A statement with parameters, or several statements without. Outputs: `rows`, and the columns of the first row. */
const sqlSchema = z.strictObject({
  kind: z.literal('sql'),
  host,
  port: portOf.default(5432),
  database: text(63),
  statement: text(200_000),
  parameters: z.array(z.string().max(10_000)).max(100).default([]),
  /** How many rows must come or be changed. */
  leastRows: z.int().min(0).nullable().default(null),
  mostRows: z.int().min(0).nullable().default(null),
  keepRows: z.int().min(0).max(10_000, 'At most 10,000 rows are kept.').default(200),
  tls: z.boolean().default(false),
})

/** SFTP. Outputs: `files`, `bytes`. */
const transferSchema = z.strictObject({
  kind: z.literal('transfer'),
  direction: z.enum(['up', 'down']),
  host,
  port: portOf.default(22),
  hostKey: hostKeySchema.nullable().default(null),
  /** Path with `*` and `?` in its last part; here for up, there for down. */
  from: text(),
  /** Folder that the files go to. */
  into: text(),
  /** Values of inputs in these two may have folders in them. */
  inputsArePaths: z.boolean().default(false),
  /** More than this is not moved. */
  mostFiles: z.int().min(1).max(100_000, 'At most 100,000 files.').default(10_000),
  mostMib: z.number().positive('More than nothing.').max(1_000_000, 'At most a million MiB.').default(10_240),
  least: z.int().min(0).default(1),
  withinSeconds: seconds.default(600),
})

export const mailAddressSchema = z
  .string()
  .max(320)
  .regex(/^[^\s@]+@[^\s@]+$/, 'A mail address.')
const address = z.string().regex(/^[^\s@]+@[^\s@]+$|^\$\{[a-z]\w*\}$/i, 'A mail address.')
/** What a mail says, to whom. */
export const letterShape = {
  to: z.array(address).min(1, 'Name at least one address.').max(50),
  subject: text(500),
  text: z.string().max(200_000).default(''),
}
const mailSchema = z.strictObject({
  kind: z.literal('mail'),
  host,
  port: portOf.default(25),
  tls: z.boolean().default(false),
  from: address,
  ...letterShape,
})

/** A ticket at a desk that takes JSON by HTTP. Outputs: `ticket`, its number. */
export const ticketSchema = z.strictObject({
  kind: z.literal('ticket'),
  url,
  title: text(300),
  text: z.string().max(50_000).default(''),
  urgency: z.enum(['low', 'normal', 'high']).default('normal'),
})

const sshSchema = z.strictObject({
  kind: z.literal('ssh'),
  host,
  port: portOf.default(22),
  hostKey: hostKeySchema.nullable().default(null),
  command: text(200_000),
  withinSeconds: seconds.default(3600),
})

/** A report is made: the server does it, and whoever it names gets it. The agent waits for it. Outputs: `result`, its number, and `pages`. */
const reportSchema = z.strictObject({
  kind: z.literal('report'),
  /** Its id, as lists and files call it. */
  report: text(64).regex(/^[a-z0-9][a-z0-9-]*$/, 'The id of a report.'),
})

export const CONNECTION_SCHEMAS = [
  reachSchema,
  httpSchema,
  sqlSchema,
  transferSchema,
  mailSchema,
  ticketSchema,
  sshSchema,
  reportSchema,
] as const
export const connectionSchema = z.discriminatedUnion('kind', [...CONNECTION_SCHEMAS])
export type Connection = z.output<typeof connectionSchema>
export type ConnectionKind = Connection['kind']
export const CONNECTION_KINDS = [
  'reach',
  'http',
  'sql',
  'transfer',
  'mail',
  'ticket',
  'ssh',
  'report',
] as const satisfies readonly ConnectionKind[]
export const isConnection = (action: { readonly kind: string }): action is Connection =>
  (CONNECTION_KINDS as readonly string[]).includes(action.kind)

/** Kinds that sign in with a run-as account, and those that cannot do without. */
export const ACCOUNT_USE: Readonly<Record<ConnectionKind, 'none' | 'may' | 'must'>> = {
  reach: 'none',
  report: 'none',
  http: 'may',
  ticket: 'may',
  mail: 'may',
  sql: 'must',
  transfer: 'must',
  ssh: 'must',
}

/** What is wrong between the fields of an action, and with references to inputs that are not there; paths below the action. */
export function connectionFaults(
  action: Connection,
  inputs: ReadonlySet<string>,
): { path: string[]; message: string }[] {
  const faults: { path: string[]; message: string }[] = []
  const add = (path: string, message: string): void => void faults.push({ path: path.split('.'), message })
  if (action.kind === 'reach') {
    if (action.by === 'http' ? !url.safeParse(action.host).success : !host.safeParse(action.host).success)
      add('host', action.by === 'http' ? 'An address that begins with http:// or https://.' : 'A host name or address.')
    if (action.by === 'tcp' && action.port === null) add('port', 'A TCP check needs a port.')
  }
  if (action.kind === 'sql') {
    if (referencesIn(action.statement).length > 0)
      add('statement', 'A value does not go into the statement: write $1 and name it as a parameter.')
    if (action.leastRows !== null && action.mostRows !== null && action.leastRows > action.mostRows)
      add('mostRows', 'The most is less than the least.')
  }
  const look = (path: string, value: unknown): void => {
    if (typeof value === 'string') {
      const missing = referencesIn(value).filter((name) => !inputs.has(name))
      if (missing.length > 0 && path !== 'statement')
        add(path, `No input is called ${[...new Set(missing)].join(', ')}.`)
    } else if (value !== null && typeof value === 'object')
      for (const [key, inner] of Object.entries(value)) look(path === '' ? key : `${path}.${key}`, inner)
  }
  // A command over SSH is shell text: what it references there is the far shell's, where it is no input.
  const { kind, ...fields } = action
  look('', kind === 'ssh' ? { ...fields, command: '' } : fields)
  return faults
}

export const referencesIn = (value: string): string[] =>
  [...value.matchAll(reference)].map((found) => found[1] as string)

/** References put in as they are, or as `encode` says. Unknown names stay. */
export function fill(
  value: string,
  values: Readonly<Record<string, string>>,
  encode: (raw: string) => string = (raw) => raw,
): string {
  return value.replace(reference, (whole, name: string) =>
    Object.hasOwn(values, name) ? encode(values[name] as string) : whole,
  )
}

type Filled = { readonly text: string } | { readonly fault: string }

/** Values put into a path. Each is one part of it, or a piece of one: it has no separator, and makes no part that is empty or leads elsewhere. `arePaths`: values may have folders in them, though none that leads up. */
export function valuesAsSegments(text: string, values: Readonly<Record<string, string>>, arePaths = false): Filled {
  for (const name of referencesIn(text)) {
    const value = Object.hasOwn(values, name) ? (values[name] as string) : ''
    if (value.includes('\0') || (!arePaths && /[/\\]/.test(value)))
      return { fault: `The value of ${name} has a separator in it: it stands for one part of a path.` }
  }
  const filled = fill(text, values)
  const written = text.split('/')
  // Parts that were written so stay; those that a value made so do not.
  const isOdd = (part: string): boolean => part === '..' || part === '.' || part === ''
  if (
    arePaths
      ? filled.split('/').some((part) => part === '..')
      : filled.split('/').some((part, i) => isOdd(part) && !isOdd(written[i] ?? ''))
  )
    return { fault: `With the values given ${filled} leads elsewhere than ${text} says.` }
  return { text: filled }
}

/** Values put into an address, percent-encoded (RFC 3986, 2.1). In the path each is one segment, or a piece of one, and none is empty or leads up. */
export function urlOf(text: string, values: Readonly<Record<string, string>>): Filled {
  const filled = fill(text, values, encodeURIComponent)
  const pathOf = (url: string): string[] => (/^[a-z]+:\/\/[^/?#]*([^?#]*)/i.exec(url)?.[1] ?? '').split('/')
  const written = pathOf(text)
  const parts = pathOf(filled)
  const isDots = (part: string): boolean => /^(\.|%2e){1,2}$/i.test(part)
  const isOdd = parts.some(
    (part, i) =>
      (isDots(part) && !isDots(written[i] ?? '')) || (part === '' && (written[i] ?? '') !== '' && i < parts.length),
  )
  return isOdd ? { fault: `With the values given the address leads elsewhere than ${text} says.` } : { text: filled }
}

/** Where a JSON pointer leads (RFC 6901); undefined: nowhere. */
export function atPointer(document: unknown, pointer: string): unknown {
  if (pointer === '') return document
  return pointer
    .slice(1)
    .split('/')
    .map((part) => part.replaceAll('~1', '/').replaceAll('~0', '~'))
    .reduce<unknown>((at, key) => {
      if (Array.isArray(at)) return /^(0|[1-9]\d*)$/.test(key) ? at[Number(key)] : undefined
      return at !== null && typeof at === 'object' && Object.hasOwn(at, key)
        ? (at as Record<string, unknown>)[key]
        : undefined
    }, document)
}

/** In a few words what it does, for lists. */
export function connectionWords(action: Connection): string {
  switch (action.kind) {
    case 'reach':
      return action.by === 'tcp' ? `${action.host}:${action.port} by TCP` : `${action.host} by ${action.by}`
    case 'http':
      return `${action.method} ${action.url}`
    case 'sql':
      return `${action.database} on ${action.host}`
    case 'transfer':
      return action.direction === 'up' ? `${action.from} to ${action.host}` : `${action.from} from ${action.host}`
    case 'mail':
      return `to ${action.to.join(', ')}`
    case 'ticket':
      return `“${action.title}” at ${action.url}`
    case 'ssh':
      return `on ${action.host}`
    case 'report':
      return action.report
  }
}
