import { z } from 'zod'
import { ONE_ADDRESS } from '../net/mail-address'
import { CAUSES } from '../run/lifecycle'
import { textSchema, titleSchema } from '../schema/text'
import { isZoneName } from '../timing/zone'
import { ACTION_KINDS } from '../work/job'
import { REPORT_KINDS, type ReportKind } from './kinds'
import { periodSchema } from './period'

const REPORT_KIND_NAMES = Object.keys(REPORT_KINDS) as [ReportKind, ...ReportKind[]]

const ids = z.array(z.int().positive()).max(50)

/** Runs that a report is about: of these jobs or flows, areas with all in them, triggers, people, causes, machines, robots, kinds of work; or those of a view of runs as it is when the report is made. */
const reportFilterSchema = z
  .strictObject({
    job: ids.min(1),
    area: ids.min(1),
    trigger: ids.min(1),
    person: ids.min(1),
    cause: z.array(z.enum(CAUSES)).min(1).max(20),
    agent: ids.min(1),
    robot: ids.min(1),
    kind: z
      .array(z.enum([...ACTION_KINDS, 'flow']))
      .min(1)
      .max(20),
    view: z.int().positive(),
  })
  .partial()
  .refine((filter) => filter.view === undefined || Object.keys(filter).length === 1, {
    path: ['view'],
    message: 'Either a view says which runs, or marks do.',
  })
export type ReportFilter = z.output<typeof reportFilterSchema>

/** Beside its owner: these people, who has one of these roles, who may see one of these areas. */
const readersSchema = z.strictObject({
  people: ids.default([]),
  roles: z
    .array(z.enum(['administrator', 'designer', 'operator', 'viewer']))
    .max(4)
    .default([]),
  areas: ids.default([]),
})

const mailAddress = z.string().max(200).regex(ONE_ADDRESS, 'This is not one mail address.')

export const reportSchema = z.strictObject({
  title: titleSchema('A report needs a title.', 120),
  notes: textSchema(10_000).default(''),
  kind: z.enum(REPORT_KIND_NAMES),
  period: periodSchema,
  zone: z.string().max(64).refine(isZoneName, 'There is no such time zone.'),
  filter: reportFilterSchema.default({}),
  options: z
    .strictObject({
      /** Of runs: every run is listed. */
      details: z.boolean().default(false),
      /** Of worth: ISO 4217. */
      currency: z
        .string()
        .regex(/^[A-Z]{3}$/, 'A currency is three capital letters, such as GBP.')
        .default('GBP'),
      paper: z.enum(['A4', 'LETTER']).default('A4'),
    })
    .default({ details: false, currency: 'GBP', paper: 'A4' }),
  readers: readersSchema.default({ people: [], roles: [], areas: [] }),
  /** To whom the PDF is mailed each time it is made. */
  mail: z.array(mailAddress).max(50).default([]),
  /** So long results are kept. */
  keepDays: z.int().min(1).max(3650).default(400),
})
export type ReportContent = z.output<typeof reportSchema>
