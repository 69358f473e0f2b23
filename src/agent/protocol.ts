import { z } from 'zod'
import { clippedSchema, textSchema } from '@/core/schema/text'
import { isStorable, storableText, visible } from '@/core/schema/plain-text'
import { AGENT_MEASURES } from '@/core/events/kinds'
import { accountRulesSchema } from '@/core/work/account'
import { connectionSchema } from '@/core/work/connections'

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

const id = z.int().positive()
const MAX_INT32 = 2 ** 31 - 1
/** Reports of an attempt are counted in 32 bits. */
const seq = z.int().positive().max(MAX_INT32)
const text = textSchema(1000).overwrite(visible)
/** Milliseconds since the epoch, 1970 to 9999: what every clock, driver and format can tell. */
const MOST_INSTANT = 253_402_300_799_999
const instant = z.int().min(0).max(MOST_INSTANT)
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
const heartbeatSchema = z.object({
  type: z.literal('heartbeat'),
  load,
  used: z.int().min(0).max(1_000_000),
  /** Its disk is full: it can take nothing new. */
  full: z.boolean().optional(),
  machine: machineSchema.optional(),
})
const acceptedSchema = z.object({ type: z.literal('accepted'), attempt: id, token: id })
const reportsSchema = z.object({
  type: z.literal('reports'),
  reports: z.array(arrivingReportSchema).min(1).max(500),
})

/** Reports that were asked for again and that nobody has any more. */
const goneSchema = z.object({ type: z.literal('gone'), attempt: id, token: id, from: seq, to: seq })
export type Gap = Omit<z.output<typeof goneSchema>, 'type' | 'attempt'>

/** What came of trying to sign in as an account. */
const triedSchema = z.object({
  type: z.literal('tried'),
  ask: id,
  /** Why it did not work, in a sentence; null: it did. */
  fault: text.nullable(),
})

/** JSON as a run hands it over, read further where it is used. */
const anyJson = z.unknown()
const why = textSchema(1000)
const item = z.int().positive()
const queueName = textSchema(64)
/** What a run may ask for about items of work queues. */
export const itemAskSchema = z.discriminatedUnion('do', [
  z.object({ do: z.literal('take'), queue: queueName }),
  z.object({ do: z.literal('add'), queue: queueName, new: anyJson }),
  z.object({ do: z.literal('done'), item, result: anyJson.optional() }),
  z.object({ do: z.literal('reject'), item, why }),
  z.object({ do: z.literal('fail'), item, why }),
  z.object({ do: z.literal('later'), item, notBefore: z.iso.datetime({ offset: true }).optional() }),
])
const itemSchema = z.object({
  type: z.literal('item'),
  attempt: id,
  token: id,
  /** The same one is the same question, and gets the same answer. */
  request: textSchema(64).min(8),
  ask: z.unknown(),
})
export type ItemQuestion = Omit<z.output<typeof itemSchema>, 'type'>
/** What was asked for is done, and what came of it; or it was refused and nothing is done, and why. */
const itemAnswerSchema = z.union([
  z.object({ ok: z.literal(true), answer: z.record(z.string(), z.unknown()) }),
  z.object({ ok: z.literal(false), why: z.string() }),
])
export type ItemAnswer = { readonly ok: true; readonly answer: object } | { readonly ok: false; readonly why: string }

/** The ability of agents that look for files of triggers. */
export const LOOKS_FOR_FILES = 'files'
/** So many files are told in one message. */
export const MOST_FOUND = 100
const foundFileSchema = z.object({
  trigger: id,
  path: textSchema(1300),
  size: z.int().min(0),
  /** Its last change, by the clock of its machine. */
  modified: z.int().min(-MOST_INSTANT).max(MOST_INSTANT),
})
export type FoundFile = z.output<typeof foundFileSchema>
/** Files that triggers wait for have come, and stand still: told until the server says that it knows them. */
const filesSchema = z.object({ type: z.literal('files'), found: z.array(foundFileSchema).min(1).max(MOST_FOUND) })
/** How it goes with looking for them: why it cannot, in a sentence; null: it can. */
const watchedSchema = z.object({
  type: z.literal('watched'),
  faults: z.array(z.object({ trigger: id, fault: text.nullable() })).max(1000),
})
const watchSchema = z.object({
  trigger: id,
  path: z.string().max(1000),
  settledSeconds: z.number().min(0),
  /** What lies there already counts, too. */
  present: z.boolean(),
  /** What changed last before this instant lies there already. */
  since: z.int(),
})
export type Watch = z.output<typeof watchSchema>

/** The ability of agents on whose machines people can sit at attended robots. */
export const HAS_DESKS = 'desk'
/** What a person at a robot may say. */
export const deskSaySchema = z.discriminatedUnion('do', [
  z.object({ do: z.literal('now'), ask: id }),
  z.object({ do: z.literal('later'), ask: id, minutes: z.int().min(1).max(1440) }),
  z.object({ do: z.literal('no'), ask: id }),
  z.object({ do: z.literal('start'), job: textSchema(64), inputs: z.record(textSchema(40), textSchema(10_000)) }),
])
export type DeskSay = z.output<typeof deskSaySchema>
/** The desk programs that are open: of which robots. */
const thereSchema = z.object({ type: z.literal('there'), robots: z.array(textSchema(80)).max(200) })
const deskAskSchema = z.object({
  type: z.literal('desk'),
  robot: textSchema(80),
  /** The same one is the same word, and gets the same answer. */
  request: textSchema(64).min(8),
  ask: z.unknown(),
})
export type DeskQuestion = Omit<z.output<typeof deskAskSchema>, 'type'>
const deskStateSchema = z.object({
  robot: z.string().max(80),
  /** The account of the machine that it works under: nobody else can open its desk. */
  user: z.string().max(100),
  person: z.string().max(200).nullable(),
  questions: z
    .array(
      z.object({
        ask: id,
        run: id,
        title: text,
        from: text,
        usualMs: z.number().nullable(),
        how: z.enum(['asked', 'later', 'agreed', 'no', 'late']),
        at: instant,
      }),
    )
    .max(100),
  /** What the person may start there. */
  may: z.array(z.object({ job: text, title: text, inputs: z.array(z.string().max(40)).max(40) })).max(100),
})
export type DeskState = z.output<typeof deskStateSchema>

/** The ability of agents that tell what they do, when they are asked to. */
export const TRACES = 'trace'
const traceLineSchema = z.object({
  at: instant,
  what: textSchema(60),
  facts: z.record(textSchema(40), z.union([z.number(), z.boolean(), textSchema(300), z.null()])),
})
export type TraceLine = z.output<typeof traceLineSchema>
const traceSchema = z.object({ type: z.literal('trace'), trace: id, lines: z.array(traceLineSchema).min(1).max(500) })

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
