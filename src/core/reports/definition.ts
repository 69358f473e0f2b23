import { z } from 'zod'
import { CAUSES } from '../run/lifecycle'
import { textSchema, titleSchema } from '../schema/text'
import { isZoneName } from '../timing/zone'
import { periodSchema } from './period'

/** Kinds of reports: what each is called and shows. */
export const REPORT_KINDS = {
  runs: { title: 'Runs by day', says: 'Outcomes and lengths by day, job, area and machine.' },
  failures: { title: 'Failures', says: 'By job, cause and machine, and how long it took to put them right.' },
  deadlines: { title: 'Deadlines kept', says: 'Share in time, margins, and the forecast against what came.' },
  load: { title: 'Load and capacity', says: 'Slots in use by pool and hour, peaks, how long runs waited.' },
  queues: { title: 'Work queues', says: 'What arrived, what was done or rejected, how long an item took.' },
  schedules: { title: 'Schedules reviewed', says: 'Cadence × machines = runs a day; what starts too often.' },
  worth: { title: 'Worth', says: 'Hours and money that automation saved, with every formula.' },
} as const
export type ReportKind = keyof typeof REPORT_KINDS
const REPORT_KIND_NAMES = Object.keys(REPORT_KINDS) as [ReportKind, ...ReportKind[]]

const ids = z.array(z.int().positive()).max(50)

/** Runs that a report is about: of these jobs or flows, areas with all in them, triggers, people, causes. */
const reportFilterSchema = z
  .strictObject({
    job: ids.min(1),
    area: ids.min(1),
    trigger: ids.min(1),
    person: ids.min(1),
    cause: z.array(z.enum(CAUSES)).min(1).max(20),
  })
  .partial()
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

const mailAddress = z
  .string()
  .max(200)
  .regex(/^[^\s@,;:<>()[\]"\\]+@[^\s@,;:<>()[\]"\\]+$/, 'This is not one mail address.')

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

/** Of a report with all that is known about it, what a person says of it. */
export const contentOf = ({
  title,
  notes,
  kind,
  period,
  zone,
  filter,
  options,
  readers,
  mail,
  keepDays,
}: ReportContent): ReportContent => ({ title, notes, kind, period, zone, filter, options, readers, mail, keepDays })
