import type { Bundle, BundleJob } from '../bundle/schema'
import { onDay } from '../bundle/on-day'
import { placedJob } from '../bundle/on-system'
import type { Timings } from '../bundle/timings'
import type { Day } from '../calendar/days'
import { isRobotTarget, priorityOfStep, type Priority, type Target } from '../dispatch'
import { TARGETS } from '../bundle/check'
import { chainsToTheEnd, idleSteps } from '../flow/critical'
import { FlowFault, innerInputs, type InputValues, type Value } from '../flow/inputs'
import { planOf, type Plan } from '../flow/plan'
import { lookOn, type IsDay } from '../flow/rehearse'
import { parseDuration } from '../timing/duration'
import { isDayDefault } from '../work/inputs'
import { lengthOf, measuredLength } from './length'
import { ForecastFault, type StepModel, type Work } from './model'
import { allowancesOf, type JobLength, type Server } from './server'

/** What of a trigger decides about what it starts. */
type Starting = Pick<Bundle['triggers'][number], 'start' | 'priority'> & {
  readonly with?: Readonly<Record<string, Value>> | undefined
}

/** What triggers start, each laid out once for all that start it alike. */
export class Works {
  private readonly jobs: ReadonlyMap<string, { job: BundleJob; index: number }>
  private readonly flows: ReadonlyMap<string, Bundle['flows'][number]>
  /** Some flow has an input that is a day by default: what it takes is another on each day. */
  private readonly takesDays: boolean
  private readonly isDay: IsDay

  constructor(
    private readonly bundle: Bundle,
    private readonly timings: Timings,
    private readonly server: Server | null,
  ) {
    const systems = new Map(bundle.systems.map((system) => [system.id, system]))
    this.jobs = new Map(bundle.jobs.map((job, index) => [job.id, { job: placedJob(job, systems), index }]))
    this.flows = new Map(bundle.flows.map((flow) => [flow.id, flow]))
    this.takesDays = bundle.flows.some(({ inputs = [] }) => inputs.some((input) => isDayDefault(input.default)))
    this.isDay = (rule, day) => timings.daysOf(rule).has(day)
  }

  /** Where a job goes; null: it names nothing. */
  targetOf(id: string): Target | null {
    const job = this.jobs.get(id)?.job
    const key = job && TARGETS.find((each) => job[each] !== undefined)
    return key === undefined ? null : ({ [key]: job?.[key] } as unknown as Target)
  }

  /**
   * null: it starts nothing, because its job or flow is switched off.
   *
   * @param isLenient whether one that cannot be laid out starts nothing too, instead of a fault: on a server one bad flow must not hide all others
   */
  of(trigger: Starting, index: number, isLenient = false): ((day: Day) => Work) | null {
    try {
      return this.workOf(trigger, index)
    } catch (error) {
      if (isLenient && error instanceof ForecastFault) return null
      throw error
    }
  }

  private workOf({ start, priority, with: given }: Starting, index: number): ((day: Day) => Work) | null {
    if ('job' in start) {
      const { job } = this.jobs.get(start.job) as { job: BundleJob }
      const step = this.step(start.job, null, 0, priority ?? job.priority ?? 'normal', {}, given ?? {}, null)
      const work: Work = { plan: null, look: () => 'open', steps: [step], chains: [step.length.p50] }
      return job.active ? () => work : null
    }
    const flow = this.flows.get(start.flow) as Bundle['flows'][number]
    const own = priority ?? flow.priority ?? 'normal'
    const make = (bundle: Bundle): ((day: Day) => Work) => {
      const plan = this.planned(bundle, start.flow, given ?? {}, `triggers[${index}].with`)
      const steps = plan.steps.map(({ job, path, index: at, definition, inputs }) =>
        job === null
          ? undefined
          : this.step(
              job,
              path,
              at,
              priorityOfStep(own, this.jobs.get(job)?.job.priority),
              definition,
              definition.with ?? {},
              inputs,
            ),
      )
      return this.byDay(plan, steps)
    }
    const works = this.takesDays ? null : make(this.bundle)
    // Looked at now, so that what is wrong is said whether or not it fires in the stretch.
    const byDay = new Map<Day, Work>()
    const on = (day: Day): Work => {
      let work = byDay.get(day)
      if (!work) byDay.set(day, (work = works ? works(day) : make(onDay(this.bundle, this.timings, day))(day)))
      return work
    }
    on(0)
    return flow.active ? on : null
  }

  private planned(bundle: Bundle, flow: string, given: Readonly<Record<string, Value>>, path: string): Plan {
    try {
      const plan = planOf(bundle, flow, given as Record<string, string>)
      for (const step of plan.steps)
        if (step.gate && 'input' in step.gate && step.inputs.get(step.gate.input) === undefined)
          throw new ForecastFault(
            path,
            `The gate of ${step.path} looks at the input ${step.gate.input}, which has no value.`,
          )
      return plan
    } catch (error) {
      throw error instanceof FlowFault ? new ForecastFault(path, error.message) : error
    }
  }

  /** On days that all gates take for the same it is the same work. */
  private byDay(plan: Plan, steps: Work['steps']): (day: Day) => Work {
    const gates = plan.steps.flatMap(({ gate }) => (gate && 'days' in gate ? [gate.days] : []))
    const known = new Map<string, Work>()
    return (day) => {
      const key = gates.map((rule) => (this.isDay(rule, day) ? '1' : '0')).join('')
      let work = known.get(key)
      if (work) return work
      const look = lookOn(day, this.isDay)
      const idle = idleSteps(plan, look)
      const chains = chainsToTheEnd(plan, ({ index }) => (idle.has(index) ? 0 : (steps[index]?.length.p50 ?? 0)))
      known.set(key, (work = { plan, look, steps, chains }))
      return work
    }
  }

  private step(
    id: string,
    path: string | null,
    index: number,
    priority: Priority,
    own: Partial<Pick<Bundle['flows'][number]['steps'][number], 'expect' | 'retry' | 'fails'>>,
    given: Readonly<Record<string, Value>>,
    outer: InputValues | null,
  ): StepModel {
    const { job, index: place } = this.jobs.get(id) as { job: BundleJob; index: number }
    const target = this.targetOf(id)
    if (target === null || (job.pool === undefined && !this.server))
      throw new ForecastFault(
        `jobs[${place}]`,
        `The job ${id} names no pool: where it runs cannot be told from a file.`,
      )
    const retry = own.retry ?? job.retry
    const known = this.server?.lengths[id]
    const measured = known && { ...known, samples: samplesFor(known, job, given, outer) }
    return {
      job: id,
      path,
      index,
      pool: job.pool ?? '',
      target,
      kind: this.server ? (job.kind ?? 'command') : '',
      account: this.server ? (job.account ?? null) : null,
      minVersion: this.server ? (job.minVersion ?? null) : null,
      off: !job.active,
      slots: job.slots,
      load: isRobotTarget(target) ? 0 : job.slots,
      locks: {
        ...job.locks,
        ...allowancesOf({ area: job.area, isRobots: isRobotTarget(target), slots: job.slots }, this.server?.allowances),
      },
      length: measured && !measured.isGuess ? measuredLength(measured) : lengthOf(own.expect ?? job.expect, measured),
      priority,
      fails: measured && !measured.isGuess ? measured.fails : (own.fails ?? job.fails ?? 0),
      retries: retry?.times ?? 0,
      retryDelay: retry ? (parseDuration(retry.delay) ?? 0) : 0,
    }
  }
}

/** The lengths of a job's runs with these values: by the choice input that makes a difference, else of all its runs. */
function samplesFor(
  { samples, byChoice }: JobLength,
  { inputs = [] }: BundleJob,
  given: Readonly<Record<string, Value>>,
  outer: InputValues | null,
): readonly number[] {
  const input = byChoice && inputs.find(({ name }) => name === byChoice.input)
  if (!byChoice || !input) return samples
  const own = given[input.name]
  try {
    const value = innerInputs([input], own === undefined ? {} : { [input.name]: own }, outer).get(input.name)
    return byChoice.samples[String(value)] ?? samples
  } catch {
    // What a step hands on is known only in the night itself.
    return samples
  }
}
