import { z } from 'zod'
import { regexFault } from '@/core/schema/regex'
import { titleSchema } from '@/core/schema/text'
import { isRobotTarget } from '../dispatch/target'
import { PRIORITIES } from '../dispatch/types'
import { ACCOUNT_USE, CONNECTION_KINDS, CONNECTION_SCHEMAS, connectionFaults, isConnection } from './connections'
import { inputSchema } from './inputs'
import { watchesSchema } from './watches'

/** Names that stand in addresses, files and the bundle. */
export const slugSchema = z
  .string()
  .regex(/^[a-z0-9][a-z0-9-]{0,63}$/, 'Use lower-case letters, digits and hyphens, beginning with a letter or digit.')

export const labelsSchema = z.record(
  z.string().regex(/^[a-z][a-z0-9._-]{0,39}$/, 'A label’s name is lower-case letters, digits, “.”, “_”, “-”.'),
  z.string().min(1, 'A label needs a value.').max(80),
)

export const INTERPRETERS = ['sh', 'bash', 'node', 'python3'] as const
export type Interpreter = (typeof INTERPRETERS)[number]

const script = z.string().min(1, 'Write what is to be done.').max(200_000)

/** What is to be done. */
const actionSchema = z.discriminatedUnion('kind', [
  z.strictObject({ kind: z.literal('command'), command: script }),
  z.strictObject({ kind: z.literal('script'), interpreter: z.enum(INTERPRETERS), script }),
  z.strictObject({
    kind: z.literal('wait'),
    minutes: z.union([
      z.number().min(0).max(1440),
      z.string().regex(/^\$\{[a-z]\w*\}$/i, 'A number of minutes, or ${name} of an input.'),
    ]),
  }),
  ...CONNECTION_SCHEMAS,
])
export const ACTION_KINDS = ['command', 'script', 'wait', ...CONNECTION_KINDS] as const

const someLabels = labelsSchema.refine((l) => Object.keys(l).length > 0, 'Name at least one label.')

/** What a robot is called: it stands in bundles and commands as it is. */
export const robotNameSchema = z
  .string()
  .regex(
    /^[A-Za-z0-9][A-Za-z0-9._-]{0,79}$/,
    'Use letters, digits, “.”, “_” and “-”, beginning with a letter or digit.',
  )

export const targetSchema = z.union([
  z.strictObject({ agent: z.string().min(1, 'Name an agent.').max(80) }),
  z.strictObject({ pool: slugSchema }),
  z.strictObject({ labels: someLabels }),
  z.strictObject({ robot: robotNameSchema }),
  z.strictObject({ robotPool: slugSchema }),
  z.strictObject({ robotLabels: someLabels }),
])

/** A pattern looked for in each line of output. A regular expression is ECMAScript's, without flags. */
const patternSchema = z
  .strictObject({ text: z.string().min(1, 'Write the text to look for.').max(500), regex: z.boolean().default(false) })
  .superRefine((pattern, context) => {
    const message = pattern.regex ? regexFault(pattern.text) : undefined
    if (message !== undefined) context.addIssue({ code: 'custom', path: ['text'], message })
  })
export type Pattern = z.output<typeof patternSchema>

export const successSchema = z.strictObject({
  exitCodes: z.array(z.int().min(0).max(255)).min(1, 'Name at least one exit code.').max(20).default([0]),
  must: patternSchema.nullable().default(null),
  mustNot: patternSchema.nullable().default(null),
})
export type SuccessRule = z.output<typeof successSchema>

export const UNREACHABLE_THEN = ['wait', 'fail', 'elsewhere'] as const

/**
 * While no agent of the target can be reached: how often to look again, how many times, and what then: wait on, fail, or, where the
 * target is one agent, take another agent of its pools.
 */
export const unreachableSchema = z.strictObject({
  everySeconds: z.int().min(5, 'Look again every 5 seconds at most.').max(86_400).default(30),
  times: z.int().min(1).max(1000).default(10),
  then: z.enum(UNREACHABLE_THEN).default('wait'),
})
export type Unreachable = z.output<typeof unreachableSchema>

export const IF_NOBODY = ['wait', 'fail'] as const

/** Of a task for attended robots: how long a person is asked before it goes elsewhere, and what then if nobody takes it. */
export const askingSchema = z.strictObject({
  forSeconds: z.int().min(60, 'Ask for a minute at least.').max(86_400, 'Ask for a day at most.').default(900),
  ifNobody: z.enum(IF_NOBODY).default('wait'),
})

const BOARD_KEEPING = ['at-once', 'on-success', 'after-hours', 'by-hand'] as const

/** How long a finished run stays on the board, and how long its history and output are kept. */
export const keepingSchema = z.strictObject({
  board: z.enum(BOARD_KEEPING).default('after-hours'),
  boardHours: z.int().min(1).max(720).default(24),
  historyDays: z.int().min(1).max(3660).default(400),
  outputDays: z.int().min(1).max(3660).default(60),
})

const environmentSchema = z.record(
  z.string().regex(/^[A-Za-z_][A-Za-z0-9_]*$/, 'A variable’s name is letters, digits and “_”.'),
  z.string().max(10_000),
)

/** Everything that says what a job does. A run keeps the version it was started with. */
export const jobDefinitionSchema = z
  .strictObject({
    action: actionSchema,
    target: targetSchema,
    /** What it serves or is done on. What that says of the address, the account and the pool stands here, too. */
    system: slugSchema.nullable().default(null),
    /** Whom it signs in as, or under which account of the machine it runs; its agent must have it. */
    account: slugSchema.nullable().default(null),
    slots: z.int().min(1).max(64).default(1),
    /** Units of named locks that it holds while it runs, across all runs. */
    locks: z.record(slugSchema, z.int().min(1).max(1000)).default({}),
    minVersion: z
      .string()
      .regex(/^\d+(\.\d+){0,2}$/, 'A version reads like 1.4.0.')
      .nullable()
      .default(null),
    /** Work queues, by name, whose items its runs may take, and those that they may add to. */
    queues: z
      .strictObject({ take: z.array(slugSchema).max(20).default([]), add: z.array(slugSchema).max(20).default([]) })
      .default({ take: [], add: [] }),
    environment: environmentSchema.default({}),
    folder: z.string().max(1000).nullable().default(null),
    inputs: z.array(inputSchema).max(40).default([]),
    timeLimitSeconds: z
      .int()
      .min(1)
      .max(30 * 86_400)
      .nullable()
      .default(3600),
    retries: z.int().min(0, 'Retries are 0 to 50.').max(50, 'Retries are 0 to 50.').default(0),
    retryDelaySeconds: z.int().min(0).max(86_400).default(30),
    unreachable: unreachableSchema.default({ everySeconds: 30, times: 10, then: 'wait' }),
    asking: askingSchema.default({ forSeconds: 900, ifNobody: 'wait' }),
    /** Processes that the command leaves behind may go on; else they are ended with it. */
    mayLeave: z.boolean().default(false),
    success: successSchema.default({ exitCodes: [0], must: null, mustNot: null }),
    /** Whether a success that wrote something else than the one before is told. */
    watches: watchesSchema.nullable().default(null),
    priority: z.enum(PRIORITIES).default('normal'),
    keeping: keepingSchema.default({ board: 'after-hours', boardHours: 24, historyDays: 400, outputDays: 60 }),
  })
  .superRefine((job, context) => {
    const seen = new Set<string>()
    job.inputs.forEach((input, index) => {
      if (seen.has(input.name)) {
        context.addIssue({
          code: 'custom',
          path: ['inputs', index, 'name'],
          message: `Another input is called ${input.name}.`,
        })
      }
      seen.add(input.name)
      if (input.name in job.environment) {
        context.addIssue({
          code: 'custom',
          path: ['inputs', index, 'name'],
          message: `The environment sets ${input.name} too.`,
        })
      }
    })
    if (job.unreachable.then === 'elsewhere' && !('agent' in job.target)) {
      context.addIssue({
        code: 'custom',
        path: ['unreachable', 'then'],
        message: 'Another agent of its pool can be taken only where the target is one agent.',
      })
    }
    if (isRobotTarget(job.target)) {
      const fault = (path: string, message: string): void => context.addIssue({ code: 'custom', path: [path], message })
      if (job.action.kind !== 'command' && job.action.kind !== 'script')
        fault('action', 'A robot carries out a command or a script.')
      if (job.account !== null) fault('account', 'A robot task runs under its robot’s account.')
      if (job.slots !== 1) fault('slots', 'A robot task takes no slot, and one robot.')
    }
    if (isConnection(job.action)) {
      const { kind } = job.action
      for (const { path, message } of connectionFaults(job.action, new Set(job.inputs.map(({ name }) => name))))
        context.addIssue({ code: 'custom', path: ['action', ...path], message })
      if (ACCOUNT_USE[kind] === 'must' && job.account === null)
        context.addIssue({ code: 'custom', path: ['account'], message: 'Choose the account that it signs in with.' })
      if (ACCOUNT_USE[kind] === 'none' && job.account !== null)
        context.addIssue({ code: 'custom', path: ['account'], message: 'A reach check signs in nowhere.' })
    }
    if (job.action.kind === 'wait' && job.watches !== null)
      context.addIssue({ code: 'custom', path: ['watches'], message: 'Waiting writes nothing that could be watched.' })
    if (job.action.kind === 'wait' && job.account !== null)
      context.addIssue({ code: 'custom', path: ['account'], message: 'Waiting needs no account.' })
    if (job.action.kind === 'wait' && typeof job.action.minutes === 'string') {
      const name = job.action.minutes.slice(2, -1)
      if (!job.inputs.some((input) => input.name === name && input.type === 'number')) {
        context.addIssue({ code: 'custom', path: ['action', 'minutes'], message: `No number input is called ${name}.` })
      }
    }
  })
export type JobDefinition = z.output<typeof jobDefinitionSchema>

/** What a person saves: the definition and what it is called. */
export const jobSchema = z.strictObject({
  title: titleSchema('A job needs a title.', 120),
  notes: z.string().max(10_000).default(''),
  areaId: z.int().positive('Choose an area.'),
  active: z.boolean().default(true),
  definition: jobDefinitionSchema,
})
export type JobContent = z.output<typeof jobSchema>
