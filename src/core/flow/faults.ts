import { flowFaults } from '../bundle/check-flows'
import { calendarsNamed } from '../calendar/rule'
import { pathOf, type Fault } from '../schema/faults'
import { bundleFlow, type FlowDefinition, type FlowStep } from '../work/flow'
import { stepValueFaults, type Asked } from './step-values'

/** What a flow may be made of. */
export interface Surroundings {
  readonly jobs: readonly (Asked & { readonly slug: string })[]
  readonly flows: readonly { readonly slug: string; readonly title: string; readonly definition: FlowDefinition }[]
  readonly calendars: readonly { readonly slug: string }[]
}

/** What is wrong with a flow of sound shape: names that lead nowhere or in a circle, and values that do not fit. Paths begin at the definition. */
export function definitionFaults(slug: string, definition: FlowDefinition, around: Surroundings): Fault[] {
  const faults: Fault[] = []
  const seen = new Set<string>()
  definition.steps.forEach(({ id }, i) => {
    if (seen.has(id)) faults.push({ path: `steps[${i}].id`, message: `Another step is called ${id}.` })
    seen.add(id)
  })
  const others = around.flows.filter((flow) => flow.slug !== slug)
  flowFaults(
    {
      jobs: around.jobs.map((job) => ({ id: job.slug })),
      // First, so that a loop of flows is told of this one.
      flows: [bundleFlow(slug, definition), ...others.map((flow) => bundleFlow(flow.slug, flow.definition))],
    },
    (path, message) => {
      if (path[0] !== 'flows' || path[1] !== 0) return
      faults.push({ path: pathOf(path.slice(2)), message: message.replace('in this file', 'here') })
    },
  )
  const calendars = new Set(around.calendars.map((calendar) => calendar.slug))
  definition.steps.forEach(({ gate }, i) => {
    if (!gate || !('days' in (gate as object))) return
    const { days } = gate as { days: Parameters<typeof calendarsNamed>[0] }
    for (const name of calendarsNamed(days))
      if (!calendars.has(name))
        faults.push({ path: `steps[${i}].gate.days`, message: `There is no calendar ${name} here.` })
  })
  const values = stepValueFaults(definition, askedIn(around)).map(({ path, message }) => ({ path, message }))
  return [...faults, ...values]
}

/** What each step's work asks for; null for work that is not there. */
export function askedIn(around: Pick<Surroundings, 'jobs' | 'flows'>): (step: FlowStep) => Asked | null {
  const jobs = new Map(around.jobs.map((job) => [job.slug, job]))
  const flows = new Map(around.flows.map((flow) => [flow.slug, flow]))
  return ({ job, flow }) => {
    if (job !== undefined) return jobs.get(job) ?? null
    const inner = flows.get(flow ?? '')
    return inner ? { title: inner.title, inputs: inner.definition.inputs } : null
  }
}
