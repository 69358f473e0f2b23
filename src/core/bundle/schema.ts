import { dayDefaultSchema } from '../work/day-defaults'
import { CONNECTION_KINDS } from '../work/connections'
import { z } from 'zod'
import { dayRuleSchema, idSchema, isoDaySchema } from '../calendar/rule'
import { PRIORITIES } from '../dispatch/types'
import { keysSchema } from '../events/item'
import { eventKeys, fromCallSchema, TRIGGER_KINDS } from '../events/kinds'
import { parseDuration } from '../timing/duration'
import { FOLDS, GAPS, timeOfDaySchema, timeRuleSchema, zoneSchema } from '../timing/rule'
import { INPUT_TYPES } from '../work/inputs'
import { LEVELS } from '../people/rights'
import { reportSchema } from '../reports/definition'
import { listNameSchema } from '../views/view'
import {
  keepingSchema,
  labelsSchema,
  IF_NOBODY,
  robotNameSchema,
  successSchema,
  INTERPRETERS,
  UNREACHABLE_THEN,
} from '../work/job'
import { systemSaysSchema } from '../work/systems'
import { watchesSchema } from '../work/watches'
import { exactlyOne } from '../schema/one-key'

export const FORMAT = 'bugle-bundle/1'

const durationSchema = z
  .string()
  .refine(
    (text) => parseDuration(text) !== undefined,
    'Expected a duration of whole weeks, days, hours, minutes and seconds, such as PT15M.',
  )
const titleSchema = z.string().max(120)
const notesSchema = z.string().max(10_000)
const count = z.int().min(1, 'Expected a whole number from 1.')
export const instantSchema = z.iso.datetime({
  offset: true,
  error: 'Expected an instant such as 2027-03-09T02:00:00Z.',
})

/** How long something usually takes: a duration, two quantiles, or measured lengths. */
const expectSchema = z.union([
  durationSchema,
  z.strictObject({ p50: durationSchema, p90: durationSchema }),
  z.strictObject({ samples: z.array(durationSchema).min(2).max(1000) }),
])
const retrySchema = z.strictObject({ times: z.int().min(0).max(50), delay: durationSchema.default('PT30S') })
const locksSchema = z.record(idSchema, count)
const valueSchema = z.union([z.string().max(10_000), z.number(), z.boolean()])
const withSchema = z.record(z.string(), valueSchema)

const calendarSchema = z.strictObject({
  id: idSchema,
  title: titleSchema.optional(),
  notes: notesSchema.optional(),
  days: dayRuleSchema,
})
const poolSchema = z.strictObject({ id: idSchema, title: titleSchema.optional(), slots: count.optional() })
const lockSchema = z.strictObject({ id: idSchema, title: titleSchema.optional(), units: count.default(1) })
const agentSchema = z.strictObject({
  id: idSchema,
  slots: count,
  pools: z.array(idSchema).default([]),
  away: z.array(z.strictObject({ from: instantSchema, to: instantSchema })).default([]),
})

export const inputSchema = z.strictObject({
  name: z
    .string()
    .regex(/^[a-z][A-Za-z0-9_]{0,39}$/, 'An input’s name begins with a lower-case letter; then letters, digits, “_”.'),
  title: titleSchema.optional(),
  type: z.enum(INPUT_TYPES),
  options: z.array(z.string().min(1).max(200)).max(100).optional(),
  default: z
    .union([
      z.string().max(10_000),
      z.number(),
      z.boolean(),
      z.strictObject({ shared: z.string() }),
      z.strictObject({ starter: z.string() }),
      dayDefaultSchema,
    ])
    .optional(),
  ask: z.boolean().default(true),
})

const jobSchema = z.strictObject({
  id: idSchema,
  title: titleSchema.optional(),
  notes: notesSchema.optional(),
  area: z.string().min(1).max(80).optional(),
  active: z.boolean().default(true),
  kind: z.enum(['command', 'script', 'wait', ...CONNECTION_KINDS]).optional(),
  /** The fields of a job that talks to others, as its kind has them. */
  with: z.record(z.string(), z.unknown()).optional(),
  account: idSchema.optional(),
  /** The system that it is done on, of those in the file. */
  system: idSchema.optional(),
  command: z.string().min(1).max(200_000).optional(),
  interpreter: z.enum(INTERPRETERS).optional(),
  script: z.string().min(1).max(200_000).optional(),
  wait: z.union([durationSchema, z.string().regex(/^\$\{[a-z]\w*\}$/i)]).optional(),
  pool: idSchema.optional(),
  agent: z.string().min(1).max(80).optional(),
  labels: labelsSchema.optional(),
  robot: robotNameSchema.optional(),
  robotPool: idSchema.optional(),
  robotLabels: labelsSchema.optional(),
  slots: count.default(1),
  locks: locksSchema.default({}),
  /** Work queues that its runs may take items from, and add to. */
  queues: z
    .strictObject({ take: z.array(idSchema).max(20).default([]), add: z.array(idSchema).max(20).default([]) })
    .optional(),
  minVersion: z.string().optional(),
  environment: z.record(z.string(), z.string()).optional(),
  folder: z.string().max(1000).optional(),
  mayLeave: z.boolean().optional(),
  inputs: z.array(inputSchema).max(40).optional(),
  expect: expectSchema.optional(),
  fails: z.number().min(0).max(1).optional(),
  timeout: durationSchema.optional(),
  retry: retrySchema.optional(),
  success: successSchema.optional(),
  unreachable: z
    .strictObject({ every: durationSchema, times: z.int().min(1).max(1000), then: z.enum(UNREACHABLE_THEN) })
    .optional(),
  /** Of a task for attended robots: how long each person is asked, and what if nobody takes it. */
  askFor: durationSchema.optional(),
  ifNobody: z.enum(IF_NOBODY).optional(),
  /** It watches what it writes; left out: it does not. */
  watches: watchesSchema.optional(),
  priority: z.enum(PRIORITIES).optional(),
  keeping: keepingSchema.optional(),
})

/** A work queue; its items are never in a file. */
const queueSchema = z.strictObject({
  id: idSchema,
  title: titleSchema.optional(),
  notes: notesSchema.optional(),
  area: z.string().min(1).max(80).optional(),
  tries: z.int().min(1).max(20).default(3),
  delay: durationSchema.default('PT1M'),
  keys: keysSchema.default('none'),
  /** JSON Schema 2020-12 of an item's data. */
  schema: z.record(z.string(), z.unknown()).optional(),
  keepDays: z.int().min(1).max(3650).default(90),
  /** Beyond so many rejected and failed items a person is told. */
  mostRejected: z.int().min(0).max(1_000_000).default(10),
  enabled: z.boolean().default(true),
})

/** An account of an agent's machine that does one thing at a time. Its secret is never in a file. */
const robotSchema = z.strictObject({
  id: robotNameSchema,
  agent: z.string().min(1).max(80),
  account: idSchema,
  kind: z.enum(['attended', 'unattended']).default('unattended'),
  pools: z.array(idSchema).max(50).default([]),
  earliest: timeOfDaySchema.optional(),
  latest: timeOfDaySchema.optional(),
  calendar: idSchema.optional(),
  labels: labelsSchema.default({}),
  notes: z.string().max(2000).optional(),
  enabled: z.boolean().default(true),
})

/** What work serves or is done on, without an agent of its own; what it says its jobs need not say. Its secret is that of its account, and never in a file. */
const systemSchema = systemSaysSchema.extend({
  id: idSchema,
  title: titleSchema.optional(),
  notes: notesSchema.optional(),
  on: z.array(idSchema).max(20).default([]),
})

const onFailureSchema = z.union([z.enum(['fail', 'carryOn', 'endFlow']), z.strictObject({ goTo: idSchema })])
const gateSchema = exactlyOne(
  z.strictObject({
    days: dayRuleSchema.optional(),
    input: z.string().optional(),
    /** `check.count`: what the step `check` handed on as `count`. */
    value: z.string().optional(),
    equals: z.union([z.string(), z.number(), z.boolean()]).optional(),
    not: z.union([z.string(), z.number(), z.boolean()]).optional(),
    in: z
      .array(z.union([z.string(), z.number()]))
      .min(1)
      .optional(),
  }),
  'A gate',
  ['days', 'input', 'value'],
)
export const stepSchema = z.strictObject({
  id: idSchema,
  title: titleSchema.optional(),
  job: idSchema.optional(),
  flow: idSchema.optional(),
  with: withSchema.optional(),
  after: z
    .array(
      z.strictObject({ step: idSchema, when: z.enum(['succeeded', 'failed', 'ended', 'over']).default('succeeded') }),
    )
    .optional(),
  join: z.enum(['all', 'any']).default('all'),
  gate: gateSchema.optional(),
  onFailure: onFailureSchema.optional(),
  retry: retrySchema.optional(),
  expect: expectSchema.optional(),
  /** Chance that one try fails. */
  fails: z.number().min(0).max(1).optional(),
})
export const groupSchema = z.strictObject({
  id: idSchema,
  title: titleSchema.optional(),
  steps: z.array(idSchema),
  onFailure: onFailureSchema.optional(),
})
const flowSchema = z.strictObject({
  id: idSchema,
  title: titleSchema.optional(),
  notes: notesSchema.optional(),
  area: z.string().min(1).max(80).optional(),
  active: z.boolean().default(true),
  inputs: z.array(inputSchema).max(40).optional(),
  steps: z.array(stepSchema),
  groups: z.array(groupSchema).optional(),
  priority: z.enum(PRIORITIES).optional(),
  keeping: keepingSchema.optional(),
})

export const OVERLAPS = ['wait', 'skip', 'start', 'replace'] as const
export type Overlap = (typeof OVERLAPS)[number]
export const MAKE_UP = ['once', 'each'] as const
export const SPREADS = ['one', 'each'] as const
export type Spread = (typeof SPREADS)[number]

/** What is wrong with a limit of waiting. */
export const waitMostFault = ({ overlap, waitMost }: { overlap?: unknown; waitMost?: unknown }): string | undefined =>
  waitMost !== undefined && overlap !== undefined && overlap !== 'wait'
    ? 'How many may wait is said only where the overlap is “wait”.'
    : undefined

/** The keys of a trigger that say when it fires, by the clock or by what happens; the server keeps them as they are here. */
export const timingKeys = {
  time: timeRuleSchema.optional(),
  ...eventKeys,
  zone: zoneSchema.optional(),
  on: dayRuleSchema.optional(),
  notOn: dayRuleSchema.optional(),
  gap: z.enum(GAPS).default('later'),
  fold: z.enum(FOLDS).default('first'),
  from: isoDaySchema.optional(),
  until: isoDaySchema.optional(),
  window: z.strictObject({ earliest: timeOfDaySchema, latest: timeOfDaySchema }).optional(),
  finishBy: timeOfDaySchema.optional(),
  lateStart: durationSchema.optional(),
  makeUp: z.enum(MAKE_UP).default('once'),
  overlap: z.enum(OVERLAPS).default('wait'),
  /** With `overlap: wait`: how many may wait for the run before; one more is not started. Without it any number. */
  waitMost: z
    .int('Expected a whole number from 1 to 1000.')
    .min(1, 'Expected a whole number from 1 to 1000.')
    .max(1000, 'Expected a whole number from 1 to 1000.')
    .optional(),
  priority: z.enum(PRIORITIES).optional(),
  spread: z.enum(SPREADS).default('one'),
} as const

const triggerSchema = z
  .strictObject({
    id: idSchema,
    title: titleSchema.optional(),
    notes: notesSchema.optional(),
    start: exactlyOne(z.strictObject({ job: idSchema.optional(), flow: idSchema.optional() }), 'A start', [
      'job',
      'flow',
    ]) as z.ZodType<{ readonly job: string } | { readonly flow: string }>,
    ...timingKeys,
    enabled: z.boolean().default(true),
    with: z.record(z.string(), z.union([valueSchema, fromCallSchema])).optional(),
  })
  // Checked in check-triggers.ts; the published schema says it, too.
  .meta({ oneOf: TRIGGER_KINDS.map((kind) => ({ required: [kind] })) })

const peopleGroupSchema = z.strictObject({
  /** Its title. */
  id: z.string().trim().min(1).max(80),
  notes: z.string().max(2000).optional(),
  /** E-mail addresses. */
  people: z.array(z.string().max(200)).max(5000).default([]),
})
const areaSchema = z.strictObject({
  /** Its path: the titles of the areas that it lies in and its own, ` / ` between them. */
  id: z.string().trim().min(1).max(800),
  notes: z.string().max(2000).optional(),
  closed: z.boolean().optional(),
  members: z
    .array(
      z
        .strictObject({
          /** An e-mail address. */
          person: z.string().max(200).optional(),
          /** The title of a group. */
          group: z.string().max(80).optional(),
          may: z.enum(LEVELS),
        })
        .refine(({ person, group }) => (person === undefined) !== (group === undefined), {
          message: 'A member is a person or a group: one of the keys person, group.',
        }),
    )
    .max(1000)
    .optional(),
})

/** A view of a list that others see, too. What its filters name stands by its name: work and triggers by id, areas by path, people by address. */
const viewSchema = z.strictObject({
  id: idSchema,
  title: z.string().min(1).max(80).optional(),
  list: listNameSchema,
  /** Of a view of items: the queue. */
  queue: idSchema.optional(),
  /** Whose people see it; without it everybody does. */
  area: z.string().min(1).max(500).optional(),
  values: z.record(z.string().max(40), z.union([z.string().max(2000), z.array(z.string().max(500)).min(1).max(50)])),
})

const { shape: report } = reportSchema
const idList = z.array(idSchema).min(1).max(50)
const pathList = z.array(z.string().min(1).max(500)).min(1).max(50)
const addressList = z.array(z.string().max(200)).min(1).max(50)
const nameList = z.array(z.string().max(120)).min(1).max(50)

/** A report that others read, or that a job makes. What it names stands by its name, as in views. */
const bundleReportSchema = z.strictObject({
  id: idSchema,
  title: report.title.optional(),
  notes: report.notes.unwrap().optional(),
  kind: report.kind,
  period: report.period,
  /** Without it the zone of the file. */
  zone: report.zone.optional(),
  filter: z
    .strictObject({
      job: idList,
      area: pathList,
      trigger: idList,
      person: addressList,
      agent: nameList,
      robot: nameList,
      cause: z.array(z.string().max(40)).min(1).max(20),
      kind: z.array(z.string().max(40)).min(1).max(20),
      view: idSchema,
    })
    .partial()
    .default({}),
  options: report.options.unwrap().partial().optional(),
  readers: z
    .strictObject({ people: addressList, roles: report.readers.unwrap().shape.roles, areas: pathList })
    .partial()
    .default({}),
  mail: report.mail,
  keepDays: report.keepDays.unwrap().optional(),
  /** Whose rights it is made with, where the server’s command line brings it in; else it is whose that brings it in. */
  owner: z.string().max(200).optional(),
})

/** A bundle. That its parts fit together is looked at in check.ts. */
export const bundleSchema = z
  .strictObject({
    format: z.literal(FORMAT, `Expected "${FORMAT}".`),
    zone: zoneSchema.default('UTC'),
    calendars: z.array(calendarSchema).default([]),
    pools: z.array(poolSchema).default([]),
    agents: z.array(agentSchema).default([]),
    locks: z.array(lockSchema).default([]),
    robots: z.array(robotSchema).default([]),
    queues: z.array(queueSchema).default([]),
    systems: z.array(systemSchema).default([]),
    jobs: z.array(jobSchema).default([]),
    flows: z.array(flowSchema).default([]),
    triggers: z.array(triggerSchema).default([]),
    groups: z.array(peopleGroupSchema).default([]),
    areas: z.array(areaSchema).default([]),
    views: z.array(viewSchema).default([]),
    reports: z.array(bundleReportSchema).default([]),
  })
  .meta({
    title: 'A Bugle bundle',
    description:
      'Definitions of calendars, jobs, flows and triggers, to be carried between servers and kept under version control.',
  })

export type Bundle = z.output<typeof bundleSchema>
export type BundleTrigger = Bundle['triggers'][number]
export type BundleArea = Bundle['areas'][number]
export type BundleGroup = Bundle['groups'][number]
export type BundleView = Bundle['views'][number]
export type BundleReport = Bundle['reports'][number]
export type BundleQueue = Bundle['queues'][number]
export type BundleSystem = Bundle['systems'][number]
export type BundleRobot = Bundle['robots'][number]
export type BundleJob = Bundle['jobs'][number]

/** JSON Schema 2020-12 of what a file may hold. */
export function bundleJsonSchema(): object {
  return z.toJSONSchema(bundleSchema, { target: 'draft-2020-12', io: 'input', unrepresentable: 'any' })
}
