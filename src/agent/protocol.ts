import { z } from 'zod'
import { clippedSchema, textSchema } from '@/core/schema/text'
import { isStorable, storableText, visible } from '@/core/schema/plain-text'
import { AGENT_MEASURES } from '@/core/events/kinds'
import { accountRulesSchema } from '@/core/work/account'
import { connectionSchema } from '@/core/work/connections'
import {
  deskAskSchema,
  deskStateSchema,
  filesSchema,
  foundFileSchema,
  id,
  instant,
  itemAnswerSchema,
  itemSchema,
  MOST_FOUND,
  MOST_INSTANT,
  text,
  thereSchema,
  traceSchema,
  triedSchema,
  watchedSchema,
  watchSchema,
} from './protocol-beside'

export {
  deskSaySchema,
  HAS_DESKS,
  itemAskSchema,
  reportAskSchema,
  LOOKS_FOR_FILES,
  MOST_FOUND,
  TRACES,
  type DeskQuestion,
  type DeskSay,
  type DeskState,
  type FoundFile,
  type ItemAnswer,
  type ItemQuestion,
  type TraceLine,
  type Watch,
} from './protocol-beside'

/**
 * Messages between an agent and an engine's gateway: JSON text frames over one WebSocket. `docs/agent-protocol.md` explains each.
 * Both sides parse with these schemas; instants are milliseconds since the epoch on the server's clock.
 */
export const PROTOCOL_VERSION = 1
export const AGENT_VERSION = '1.0.0'
/** A frame is refused beyond this; agents send far smaller ones. */
export const MAX_FRAME_BYTES = 4 * 1024 * 1024
/** All that an agent may send before and with its hello. */
export const MAX_HELLO_BYTES = 1024 * 1024

const MAX_INT32 = 2 ** 31 - 1
/** Reports of an attempt are counted in 32 bits. */
const seq = z.int().positive().max(MAX_INT32)
/** What is larger than a process can end with is nearer to the truth cut to 32 bits than refused with the whole end. */
const exitCode = z.number().transform((code) => Math.trunc(Math.min(MAX_INT32, Math.max(-MAX_INT32 - 1, code))))

/** Longer receipts are not taken. */
const MOST_RECEIPT = 4000
/** So many are asked for at once. */
export const MOST_RECEIPTS = 200

const patternSchema = z.object({ text: z.string().max(500), regex: z.boolean() })

/** What one attempt is to do, and the token that proves the right to do it. */
export const leaseSchema = z.object({
  attempt: id,
  token: id,
  run: id,
  try: id,
  title: text,
  action: z.discriminatedUnion('kind', [
    z.object({ kind: z.literal('command'), command: z.string() }),
    z.object({ kind: z.literal('script'), interpreter: z.enum(['sh', 'bash', 'node', 'python3']), script: z.string() }),
    z.object({ kind: z.literal('wait'), seconds: z.number().min(0) }),
    /** Talks to another machine or service. */
    z.object({ kind: z.literal('act'), of: connectionSchema }),
  ]),
  folder: z.string().nullable(),
  environment: z.record(z.string(), z.string()),
  inputs: z.record(z.string(), z.string()),
  /** Whom an action that talks to others signs in as, and where that secret may go; null: nobody. */
  signIn: z
    .object({ account: z.string(), user: z.string(), secret: z.string(), ...accountRulesSchema.shape })
    .nullable()
    .default(null),
  /** The run-as account that its job names; null: none. */
  account: z.string().max(100).nullable().default(null),
  /** The account of the machine that it runs under; null: the agent's own. An agent refuses a command whose job names an account and whose lease has none. */
  runAs: z.string().max(100).nullable().default(null),
  /** The robot that does it, under its account and in its hours; null: the agent does. An agent has each of its robots do one thing at a time. */
  robot: z
    .object({ name: z.string().max(80), hours: z.string().max(200) })
    .nullable()
    .default(null),
  /** Its job names work queues: the command may ask for items. */
  asksForItems: z.boolean().default(false),
  /** Names of inputs and variables to be masked in output and record. */
  secrets: z.array(z.string()),
  timeLimitSeconds: z.number().positive().nullable(),
  graceSeconds: z.number().min(0),
  must: patternSchema.nullable(),
  mustNot: patternSchema.nullable(),
  maxOutputBytes: z.int().positive(),
  /** What the command leaves running may go on; else it is ended with the command. */
  mayLeave: z.boolean().default(false),
  /** By which the server knows its own work again after its database was restored: the agent gives it back as it is. */
  proof: z.string().max(100).optional(),
  /** What the server says of the attempt, signed: given back as it is when the server asks for it. */
  receipt: z.string().max(MOST_RECEIPT).optional(),
})
export type Lease = z.output<typeof leaseSchema>

export const attemptEndSchema = z.object({
  exitCode: exitCode.nullable(),
  signal: textSchema(20).nullable(),
  how: z.enum(['exited', 'stopped', 'timedOut', 'couldNotStart', 'orphaned']),
  detail: clippedSchema(2000).nullable(),
  sawMust: z.boolean().nullable(),
  sawMustNot: z.boolean().nullable(),
  mustNotLine: clippedSchema(2000).nullable(),
})

/** o: standard output, e: standard error, a: the agent's own word. */
export const STREAMS = ['o', 'e', 'a'] as const
/** Instant, stream, text; a fourth that is 1: the line was too long for one piece and goes on in the next of its stream. */
export type OutputLine =
  | [at: number, stream: (typeof STREAMS)[number], text: string]
  | [at: number, stream: (typeof STREAMS)[number], text: string, goesOn: 1]

const isLine = (line: unknown): line is OutputLine =>
  Array.isArray(line) &&
  (line.length === 3 || (line.length === 4 && line[3] === 1)) &&
  Number.isSafeInteger(line[0]) &&
  line[0] >= 0 &&
  line[0] <= MOST_INSTANT &&
  (STREAMS as readonly unknown[]).includes(line[1]) &&
  typeof line[2] === 'string' &&
  line[2].length <= 70_000

/** Read by hand, line by line: a flood has a hundred thousand lines, and a schema of each costs more than storing it. */
const outputLinesSchema = z
  .array(z.custom<OutputLine>())
  .min(1)
  .max(2000)
  .transform((lines, context): OutputLine[] => {
    const bad = lines.findIndex((line) => !isLine(line))
    if (bad >= 0) {
      context.addIssue({ code: 'custom', message: 'This is no line of output.', path: [bad] })
      return z.NEVER
    }
    for (const line of lines) if (!isStorable(line[2])) line[2] = storableText(line[2])
    return lines
  })

/** Names and values that somebody may have written into an environment. */
const environment = z.record(textSchema(1000), clippedSchema(200_000))

const whatRanSchema = z.object({
  argv: z.array(clippedSchema(200_000)).max(5000),
  environment,
  folder: clippedSchema(4096),
  user: clippedSchema(256),
  pid: z.int().min(0).max(MAX_INT32).nullable(),
  agentVersion: clippedSchema(40),
  /** The robot that did it, and when it may work, as it was then. */
  robot: z.object({ name: clippedSchema(80), account: clippedSchema(100), hours: clippedSchema(200) }).optional(),
})

export const reportBodySchema = z.discriminatedUnion('kind', [
  z.object({ kind: z.literal('started'), at: instant, ran: whatRanSchema }),
  z.object({ kind: z.literal('output'), lines: outputLinesSchema }),
  z.object({
    kind: z.literal('ended'),
    at: instant,
    end: attemptEndSchema,
    outputCut: z.boolean(),
    /** Named values for later steps. */
    outputs: z.record(textSchema(40), clippedSchema(10_000)).default({}),
  }),
])
export type ReportBody = z.output<typeof reportBodySchema>

/** An end of which nothing is known but why. */
export const bareEnd = (at: number, how: z.output<typeof attemptEndSchema>['how'], detail: string): ReportBody => ({
  kind: 'ended',
  at,
  outputCut: false,
  outputs: {},
  end: { how, detail, exitCode: null, signal: null, sawMust: null, sawMustNot: null, mustNotLine: null },
})

/** Reports of one attempt are numbered from 1 without gaps. */
export interface Report {
  readonly attempt: number
  readonly token: number
  readonly seq: number
  readonly body: ReportBody
}

/** A report as it arrives: which one it is must be readable; what it says is read by itself, so that one that cannot be read keeps none of its neighbours. */
const arrivingReportSchema = z.object({ attempt: id, token: id, seq, body: z.unknown() })

const factsSchema = z.object({
  host: textSchema(255).min(1).overwrite(visible),
  machineId: textSchema(128).min(8),
  system: text,
  arch: text,
  version: textSchema(40).regex(/^\d{1,6}\.\d{1,6}\.\d{1,6}/),
  runtime: text,
  abilities: z.array(textSchema(40)).max(100),
})
export type AgentFacts = z.output<typeof factsSchema>

const helloSchema = z.object({
  type: z.literal('hello'),
  protocol: z.int(),
  facts: factsSchema,
  /** Attempts the agent has in hand or has reports of. */
  held: z.array(z.object({ attempt: id, token: id })).max(10_000),
  /** Which start of the program this is: made up anew by each. One that was replaced by another and comes back is a second agent with the same credential. */
  instance: textSchema(64).optional(),
  /** Attempts that are over and stored, whose reports it still has. */
  kept: z
    .array(z.object({ attempt: id, token: id }))
    .max(10_000)
    .optional(),
  /** The newest attempt that it was ever handed. */
  last: z.object({ attempt: id, token: id, run: id, proof: textSchema(100) }).optional(),
})
/** A load that no machine has is no load at all. */
const load = z
  .number()
  .nullable()
  .transform((value) => (value !== null && value >= 0 && value <= 1e6 ? value : null))
/** How the machine is: percent, and load per processor. What no machine has is left out. */
const machineSchema = z.record(textSchema(40), z.unknown()).transform((all) =>
  Object.fromEntries(
    AGENT_MEASURES.flatMap((name) => {
      const value = all[name]
      return typeof value === 'number' && value >= 0 && value <= 1e6 ? [[name, value] as const] : []
    }),
  ),
)
/** How its line is, as far as it can be read: what cannot is as if it were not told. */
const lineSchema = z
  .object({
    p50: z.number().min(0).max(1e9).nullable(),
    p95: z.number().min(0).max(1e9).nullable(),
    reconnects: z.int().min(0).max(1_000_000),
    unstored: z.int().min(0).max(1e9),
    clockMs: z.number().min(-1e15).max(1e15),
    through: textSchema(200).overwrite(visible).optional(),
    relay: z.object({ port: z.int().min(0).max(65_535), lines: z.int().min(0).max(1_000_000) }).optional(),
  })
  .nullable()
  .catch(null)
const heartbeatSchema = z.object({
  type: z.literal('heartbeat'),
  load,
  used: z.int().min(0).max(1_000_000),
  /** Its disk is full: it can take nothing new. */
  full: z.boolean().optional(),
  machine: machineSchema.optional(),
  line: lineSchema.optional(),
})
const acceptedSchema = z.object({ type: z.literal('accepted'), attempt: id, token: id })
const reportsSchema = z.object({
  type: z.literal('reports'),
  reports: z.array(arrivingReportSchema).min(1).max(500),
})

/** Reports that were asked for again and that nobody has any more. */
const goneSchema = z.object({ type: z.literal('gone'), attempt: id, token: id, from: seq, to: seq })
export type Gap = Omit<z.output<typeof goneSchema>, 'type' | 'attempt'>

/** Receipts of attempts that were asked about. */
const receiptsSchema = z.object({
  type: z.literal('receipts'),
  receipts: z.array(textSchema(MOST_RECEIPT)).max(MOST_RECEIPTS),
})

export const fromAgentSchema = z.discriminatedUnion('type', [
  helloSchema,
  heartbeatSchema,
  acceptedSchema,
  reportsSchema,
  goneSchema,
  receiptsSchema,
  triedSchema,
  itemSchema,
  filesSchema,
  watchedSchema,
  thereSchema,
  deskAskSchema,
  traceSchema,
])
/** What the server heard an agent say: its reports are still to be read, one by one. */
export type Heard = z.output<typeof fromAgentSchema>
/** What an agent may say. */
export type FromAgent = Exclude<Heard, { type: 'reports' }> | { readonly type: 'reports'; readonly reports: Report[] }

export const toAgentSchema = z.discriminatedUnion('type', [
  z.object({
    type: z.literal('welcome'),
    protocol: z.int(),
    agent: z.string(),
    serverTime: z.int(),
    heartbeatSeconds: z.number(),
    slots: z.int(),
    draining: z.boolean(),
    /** Where gateways are found from now on, the best first; missing: nothing is known beyond what the agent has. */
    gateways: z.array(z.string().max(500)).max(16).optional(),
  }),
  z.object({ type: z.literal('refused'), code: z.string(), message: z.string(), retry: z.boolean() }),
  z.object({ type: z.literal('lease'), lease: leaseSchema }),
  z.object({ type: z.literal('stop'), attempt: id, token: id }),
  z.object({ type: z.literal('settings'), slots: z.int(), draining: z.boolean() }),
  /** Reports up to and including this number are stored. */
  z.object({ type: z.literal('ack'), acks: z.array(z.tuple([id, seq])) }),
  /** The lease is not this agent's any more: stop the work, forget its reports. */
  z.object({ type: z.literal('stale'), attempt: id, token: id }),
  /** A report is missing: send again from this number. */
  z.object({ type: z.literal('resend'), attempt: id, from: seq }),
  /** The server does not know these attempts: what does the agent have of them? */
  z.object({ type: z.literal('receipts'), attempts: z.array(id).max(MOST_RECEIPTS) }),
  /** Sign in as this account of the machine, and say what came of it. Without a secret: whether work could be begun under it. */
  z.object({ type: z.literal('try'), ask: id, user: z.string().max(100), secret: z.string().nullable() }),
  /** All files that this agent is to look for, for triggers. */
  z.object({ type: z.literal('watch'), watches: z.array(watchSchema).max(1000) }),
  /** The attended robots of this machine, and what the people at them are asked. */
  z.object({ type: z.literal('desks'), desks: z.array(deskStateSchema).max(200) }),
  /** Tell what you do, until this instant; null: no more. */
  z.object({ type: z.literal('trace'), of: z.object({ trace: id, until: z.int() }).nullable() }),
  /** What came of a word of a person at a robot. */
  z.object({ type: z.literal('desk'), request: z.string(), answer: itemAnswerSchema }),
  /** These files are known: they need not be told again. */
  z.object({ type: z.literal('known'), files: z.array(foundFileSchema).max(MOST_FOUND) }),
  /** What came of a question about items; none is sent where the server could not look: it is asked again. */
  z.object({ type: z.literal('item'), attempt: id, request: z.string(), answer: itemAnswerSchema }),
  /** This report cannot be kept and must not be sent again; in its place the record says why. */
  z.object({ type: z.literal('unstorable'), attempt: id, seq, why: z.string() }),
  /** Too much at once: nothing is read from this agent for so long. */
  z.object({ type: z.literal('slower'), ms: z.int().min(0), why: z.string() }),
])
export type ToAgent = z.output<typeof toAgentSchema>

export const enrolRequestSchema = z.strictObject({
  key: textSchema(200),
  facts: factsSchema,
  simulated: z.boolean().default(false),
  name: textSchema(80).optional(),
})
export const enrolAnswerSchema = z.discriminatedUnion('state', [
  z.object({ state: z.literal('granted'), agent: z.string(), credential: z.string(), gateway: z.string() }),
  z.object({ state: z.literal('asking'), poll: z.string(), message: z.string() }),
  z.object({ state: z.literal('refused'), message: z.string() }),
])
export type EnrolAnswer = z.output<typeof enrolAnswerSchema>
