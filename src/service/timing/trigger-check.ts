import { checkBundle } from '@/core/bundle/check'
import { FORMAT } from '@/core/bundle/schema'
import { FILE_VALUES, isTimed } from '@/core/events/kinds'
import { broughtNames, plainValues } from '@/core/events/values'
import { cadenceOf, type Cadence } from '@/core/timing/cadence'
import type { Schedule } from '@/core/timing/schedule'
import type { Tx } from '@/store/db'
import { bounded } from '@/service/base/budgets'
import { inputsFor, workToStart, type WorkToStart } from '@/service/runs/new-run'
import { Problem, type FieldFault } from '@/service/base/problem'
import { dayAt, daysAround } from '@/service/work/run-days'
import { byTrigger, type SharedValues } from '@/service/work/shared-values'
import { machinesFor, machinesOf } from '@/service/fleet/targets'
import type { TimingState } from '@/service/base/timing-cache'
import type { TriggerDefinition } from '@/core/work/trigger'

const MOST_A_DAY = 10_000
const RARE_YEARS = 20
/** What is started, where only the rest of a definition is looked at. */
const STARTED = 'started-by-the-trigger'
const YEAR_SECONDS = 365.25 * 86_400

/** What is wrong with a definition beyond its shape: calendars and holidays that are not there, rules that nest too deep, inputs that do not fit. */
export function definitionFaults(
  definition: TriggerDefinition,
  job: WorkToStart | undefined,
  state: TimingState,
  shared: SharedValues,
): FieldFault[] {
  return [...(timingFaults([definition], state)[0] as FieldFault[]), ...startFaults(definition, job, shared, state)]
}

/** What of it the calendars decide, for each definition; all in one look at the calendars. */
export function timingFaults(definitions: readonly TriggerDefinition[], state: TimingState): FieldFault[][] {
  // Whether what an event is about is there is asked of the database.
  const jobs = new Set([STARTED, ...definitions.flatMap(({ measure }) => measure?.of.job ?? [])])
  const works = new Set(definitions.flatMap(({ after }) => after?.work ?? []).filter((id) => !jobs.has(id)))
  const queues = new Set(definitions.flatMap(({ backlog, measure }) => backlog?.queue ?? measure?.of.queue ?? []))
  const checked = checkBundle({
    format: FORMAT,
    calendars: state.stored.map(({ slug, rule }) => ({ id: slug, days: rule })),
    jobs: [...jobs].map((id) => ({ id })),
    queues: [...queues].map((id) => ({ id })),
    flows: [...works].map((id) => ({ id, steps: [] })),
    triggers: definitions.map(({ with: _, ...timing }, i) => ({
      id: `trigger-${i}`,
      start: { job: STARTED },
      ...timing,
    })),
  })
  const found = definitions.map((): FieldFault[] => [])
  for (const { path, message } of checked.ok ? [] : checked.faults) {
    const place = /^triggers\[(\d+)\]\.?(.*)$/.exec(path)
    // A fault of the calendars themselves is one of all that may stand on them.
    if (!place) for (const faults of found) faults.push({ path: 'definition', message })
    else found[Number(place[1])]?.push({ path: `definition.${place[2]}`.replace(/\.$/, ''), message })
  }
  return found
}

/** What of it the job decides. */
export function startFaults(
  definition: TriggerDefinition,
  job: WorkToStart | undefined,
  shared: SharedValues,
  state: TimingState,
): FieldFault[] {
  const values = definition.with
  const faults: FieldFault[] = []
  if (!job) return [{ path: 'jobId', message: 'This job does not exist.' }]
  if (job.isFlow && definition.spread === 'each')
    faults.push({
      path: 'definition.spread',
      message: 'A flow starts once; its steps go to their own machines.',
    })
  const secrets = job.definition.inputs.filter((input) => input.type === 'secret')
  for (const { name } of secrets)
    if (values[name] !== undefined)
      faults.push({ path: `definition.with.${name}`, message: 'A trigger cannot give a secret: it would be readable.' })
  if (secrets.some((input) => input.default === null))
    faults.push({
      path: 'jobId',
      message: `${job.title} asks for a secret, which a trigger cannot give. A shared secret as its default can be taken.`,
    })
  else {
    const today = dayAt(Date.now(), null)
    // Whether its calendar has a day is asked when it starts.
    const known = shared.known(byTrigger(), (source) => daysAround(state, today)(source) ?? today)
    // What only the event brings is looked at when it comes.
    const brought = isTimed(definition) ? new Set<string>() : broughtNames(values)
    if (definition.file) for (const { name } of job.definition.inputs) if (FILE_VALUES.includes(name)) brought.add(name)
    const now = Object.fromEntries(Object.entries(plainValues(values)).filter(([name]) => !brought.has(name)))
    for (const { name, message } of inputsFor(job.definition, now, known).faults)
      if (!brought.has(name)) faults.push({ path: `definition.with.${name}`, message })
    for (const name of brought)
      if (!job.definition.inputs.some((input) => input.name === name))
        faults.push({ path: `definition.with.${name}`, message: `There is no input called ${name}.` })
  }
  return faults
}

/** What a person should know before a schedule is saved. */
export interface ScheduleFacts extends Cadence {
  /** Runs on one day at the most, on all machines together. */
  readonly mostRunsInADay: number
  readonly machines: number
  /** Sentences; saving asks for a word more while there is any. */
  readonly warnings: readonly string[]
}

export async function scheduleFacts(
  tx: Tx | null,
  schedule: Schedule,
  definition: TriggerDefinition,
  job: WorkToStart,
  nowMs: number,
): Promise<ScheduleFacts> {
  const now = nowMs / 1000
  const { cadence, isRare } = bounded('trigger', 'definition.time', () => ({
    cadence: cadenceOf(schedule, now),
    isRare: !schedule.next(now, now + RARE_YEARS * YEAR_SECONDS),
  }))
  const machines = machinesFor(await machinesOf(tx), job.definition).length
  const mostRunsInADay = cadence.mostInADay * (definition.spread === 'each' ? machines : 1)
  const warnings: string[] = []
  if (isRare) warnings.push(`This rule has no occurrence in the next ${RARE_YEARS} years.`)
  if (mostRunsInADay > MOST_A_DAY)
    warnings.push(`This would start ${mostRunsInADay.toLocaleString('en')} runs on one day.`)
  return { ...cadence, mostRunsInADay, machines, warnings }
}

/** Saving something with warnings takes a person who has read them. */
export function askFirst(facts: ScheduleFacts): void {
  if (facts.warnings.length === 0) return
  throw new Problem('ask-first', `${facts.warnings.join(' ')} Save it all the same?`, [], { warnings: facts.warnings })
}

export async function jobOf(tx: Tx | null, id: number): Promise<WorkToStart | undefined> {
  return (await workToStart(tx, [id])).get(id)
}
