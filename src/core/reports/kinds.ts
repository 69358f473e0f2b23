/** Kinds of reports: what each is called and shows. */
export const REPORT_KINDS = {
  runs: { title: 'Runs by day', says: 'Outcomes and lengths by day, job, area and machine.' },
  failures: { title: 'Failures', says: 'By job, cause and machine, and how long it took to put them right.' },
  deadlines: { title: 'Deadlines kept', says: 'Share in time, margins, and the forecast against what came.' },
  load: { title: 'Load and capacity', says: 'Slots in use by pool and hour, peaks, how long runs waited.' },
  queues: { title: 'Work queues', says: 'What arrived, what was done or rejected, how long an item took.' },
  schedules: { title: 'Schedules reviewed', says: 'Cadence × machines = runs a day; what starts too often.' },
  'night log': {
    title: 'Night log',
    says: 'What failed, was late, was mended and how, what is open, what was changed, notes.',
  },
  worth: { title: 'Worth', says: 'Hours and money that automation saved, with every formula.' },
} as const
export type ReportKind = keyof typeof REPORT_KINDS

type Content = 'title' | 'notes' | 'kind' | 'period' | 'zone' | 'filter' | 'options' | 'readers' | 'mail' | 'keepDays'

/** Of a report with all that is known about it, what a person says of it. */
export const contentOf = <R extends Record<Content, unknown>>({
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
}: R): Pick<R, Content> => ({ title, notes, kind, period, zone, filter, options, readers, mail, keepDays })
