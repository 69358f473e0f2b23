import { z } from 'zod'
import { connectionSchema } from '@/core/work/connections'

/**
 * Messages between an agent and an engine's gateway: JSON text frames over one WebSocket. `docs/agent-protocol.md` explains each.
 * Both sides parse with these schemas; instants are milliseconds since the epoch on the server's clock.
 */
export const PROTOCOL_VERSION = 1
export const AGENT_VERSION = '1.0.0'
/** A frame is refused beyond this; agents send far smaller ones. */
export const MAX_FRAME_BYTES = 4 * 1024 * 1024

const id = z.int().positive()
const text = z.string().max(1000)

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
  /** The account of the machine that it runs under; null: the agent's own. */
  runAs: z.string().max(100).nullable().default(null),
  /** Names of inputs and variables to be masked in output and record. */
  secrets: z.array(z.string()),
  timeLimitSeconds: z.number().positive().nullable(),
  graceSeconds: z.number().min(0),
  must: patternSchema.nullable(),
  mustNot: patternSchema.nullable(),
  maxOutputBytes: z.int().positive(),
})
export type Lease = z.output<typeof leaseSchema>

export const attemptEndSchema = z.object({
  exitCode: z.int().nullable(),
  signal: z.string().max(20).nullable(),
  how: z.enum(['exited', 'stopped', 'timedOut', 'couldNotStart', 'orphaned']),
  detail: z.string().max(2000).nullable(),
  sawMust: z.boolean().nullable(),
  sawMustNot: z.boolean().nullable(),
  mustNotLine: z.string().max(2000).nullable(),
})

/** o: standard output, e: standard error, a: the agent's own word. */
export const STREAMS = ['o', 'e', 'a'] as const
export const outputLineSchema = z.tuple([z.int(), z.enum(STREAMS), z.string().max(70_000)])
export type OutputLine = z.output<typeof outputLineSchema>

export const whatRanSchema = z.object({
  argv: z.array(z.string()),
  environment: z.record(z.string(), z.string()),
  folder: z.string(),
  user: z.string(),
  pid: z.int().nullable(),
  agentVersion: z.string(),
})

export const reportBodySchema = z.discriminatedUnion('kind', [
  z.object({ kind: z.literal('started'), at: z.int(), ran: whatRanSchema }),
  z.object({ kind: z.literal('output'), lines: z.array(outputLineSchema).min(1).max(2000) }),
  z.object({
    kind: z.literal('ended'),
    at: z.int(),
    end: attemptEndSchema,
    outputCut: z.boolean(),
    /** Named values for later steps. */
    outputs: z.record(z.string().max(40), z.string().max(10_000)).default({}),
  }),
])
export type ReportBody = z.output<typeof reportBodySchema>

/** Reports of one attempt are numbered from 1 without gaps. */
export const reportSchema = z.object({ attempt: id, token: id, seq: id, body: reportBodySchema })
export type Report = z.output<typeof reportSchema>

export const factsSchema = z.object({
  host: z.string().min(1).max(255),
  machineId: z.string().min(8).max(128),
  system: text,
  arch: text,
  version: z
    .string()
    .regex(/^\d+\.\d+\.\d+/)
    .max(40),
  runtime: text,
  abilities: z.array(z.string().max(40)).max(100),
})
export type AgentFacts = z.output<typeof factsSchema>

export const helloSchema = z.object({
  type: z.literal('hello'),
  protocol: z.int(),
  facts: factsSchema,
  /** Attempts the agent has in hand or has reports of, with the number of the last report that it made. */
  held: z.array(z.object({ attempt: id, token: id })).max(10_000),
})
export const heartbeatSchema = z.object({ type: z.literal('heartbeat'), load: z.number().nullable(), used: z.int() })
export const acceptedSchema = z.object({ type: z.literal('accepted'), attempt: id, token: id })
export const reportsSchema = z.object({ type: z.literal('reports'), reports: z.array(reportSchema).min(1).max(500) })

export const fromAgentSchema = z.discriminatedUnion('type', [
  helloSchema,
  heartbeatSchema,
  acceptedSchema,
  reportsSchema,
])
export type FromAgent = z.output<typeof fromAgentSchema>

export const toAgentSchema = z.discriminatedUnion('type', [
  z.object({
    type: z.literal('welcome'),
    protocol: z.int(),
    agent: z.string(),
    serverTime: z.int(),
    heartbeatSeconds: z.number(),
    slots: z.int(),
    draining: z.boolean(),
  }),
  z.object({ type: z.literal('refused'), code: z.string(), message: z.string(), retry: z.boolean() }),
  z.object({ type: z.literal('lease'), lease: leaseSchema }),
  z.object({ type: z.literal('stop'), attempt: id, token: id }),
  z.object({ type: z.literal('settings'), slots: z.int(), draining: z.boolean() }),
  /** Reports up to and including this number are stored. */
  z.object({ type: z.literal('ack'), acks: z.array(z.tuple([id, z.int()])) }),
  /** The lease is not this agent's any more: stop the work, forget its reports. */
  z.object({ type: z.literal('stale'), attempt: id, token: id }),
  /** A report is missing: send again from this number. */
  z.object({ type: z.literal('resend'), attempt: id, from: id }),
])
export type ToAgent = z.output<typeof toAgentSchema>

export const enrolRequestSchema = z.strictObject({
  key: z.string().max(200),
  facts: factsSchema,
  simulated: z.boolean().default(false),
  name: z.string().max(80).optional(),
})
export const enrolAnswerSchema = z.discriminatedUnion('state', [
  z.object({ state: z.literal('granted'), agent: z.string(), credential: z.string(), gateway: z.string() }),
  z.object({ state: z.literal('asking'), poll: z.string(), message: z.string() }),
  z.object({ state: z.literal('refused'), message: z.string() }),
])
export type EnrolAnswer = z.output<typeof enrolAnswerSchema>
