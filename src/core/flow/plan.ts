import type { Bundle } from '../bundle/schema'
import type { DayRule } from '../calendar/rule'
import { parseDuration } from '../timing/duration'
import { readHandedOn } from './handed-on'
import {
  fitting,
  FlowFault,
  givenSecrets,
  innerInputs,
  type InputValues,
  type SharedSecrets,
  type Value,
} from './inputs'

export type Flow = Bundle['flows'][number]
type Step = Flow['steps'][number]
type Job = Bundle['jobs'][number]
export type When = 'succeeded' | 'failed' | 'ended' | 'over'

interface Link {
  /** Index of the earlier step. */
  readonly from: number
  readonly when: When
}

export type Gate =
  | { readonly days: DayRule }
  | {
      readonly input: string
      readonly is: 'equals' | 'not' | 'in'
      readonly values: readonly Value[]
    }
  | {
      /** The path of a step that has always ended before, and the name under which it handed something on. */
      readonly value: { readonly path: string; readonly name: string }
      readonly is: 'equals' | 'not' | 'in'
      readonly values: readonly Value[]
    }

/** A step of a flow, or of a flow in it, at its place in the whole. */
export interface PlanStep {
  readonly index: number
  /** `outer/inner`, to any depth. */
  readonly path: string
  /** Index of the flow step that it lies in; -1: of the flow itself. */
  readonly parent: number
  readonly job: string | null
  /** The flow that it runs; its steps are `children`. */
  readonly flow: string | null
  readonly children: readonly number[]
  readonly links: readonly Link[]
  readonly join: 'all' | 'any'
  readonly gate: Gate | null
  /** Values of the inputs of the flow that it lies in: what its gate looks at. */
  readonly inputs: InputValues
  /** Which of them are secrets, or were given one. */
  readonly secrets: ReadonlySet<string>
  /** Its job, or the flow that it runs, is switched off. */
  readonly isOff: boolean
  readonly onFailure: 'fail' | 'carryOn' | 'endFlow' | 'goTo'
  /** Where its route leads; -1: it has none. */
  readonly routeTo: number
  readonly routesFrom: readonly number[]
  /** Links that lead from it: the later step, and the place of the link in that step's `links`. */
  readonly next: readonly { readonly to: number; readonly link: number }[]
  /** How long it usually takes, seconds; of a flow step only if it says so. */
  readonly expect: number | null
  /** The step as it stands in its flow. */
  readonly definition: Step
}

/** What a plan is made of: flows, and of the jobs that they use what a plan asks about. */
export interface PlanSource {
  readonly flows: readonly Flow[]
  readonly jobs: readonly Pick<Job, 'id' | 'active' | 'expect'>[]
}

/** A flow with all flows in it, laid out: a step comes after the flow step that it lies in, and otherwise as in the file. */
export interface Plan {
  readonly flow: string
  readonly steps: readonly PlanStep[]
  /** Steps of the flow itself. */
  readonly roots: readonly number[]
  readonly byPath: ReadonlyMap<string, number>
}

/** Flows in flows multiply: more steps than this are refused. */
const MOST_STEPS = 100_000

type Draft = { -readonly [K in keyof PlanStep]: PlanStep[K] extends readonly (infer E)[] ? E[] : PlanStep[K] }

/** Lays a flow out. The bundle was checked before. Throws a FlowFault for an unknown flow, inputs that do not fit, or too many steps. */
export function planOf(
  bundle: PlanSource,
  flowId: string,
  given: Readonly<Record<string, string>> = {},
  secrets: SharedSecrets = new Map(),
): Plan {
  const [flows, jobs] = [byId(bundle.flows), byId(bundle.jobs)]
  const flow = flows.get(flowId)
  if (!flow) throw new FlowFault(`There is no flow ${flowId} in the file.`, 'flow')
  const steps: Draft[] = []
  const roots = lay(flow, -1, '', innerInputs(flow.inputs ?? [], given, null), secretsOf(flow, {}, new Set()))
  return { flow: flowId, steps, roots, byPath: new Map(steps.map(({ path, index }) => [path, index])) }

  function lay(
    of: Flow,
    parent: number,
    prefix: string,
    inputs: InputValues,
    secretNames: ReadonlySet<string>,
  ): number[] {
    const indexes = new Map<string, number>()
    const groupOf = new Map((of.groups ?? []).flatMap((group) => group.steps.map((id) => [id, group] as const)))
    for (const step of of.steps) {
      const index = steps.length
      if (index >= MOST_STEPS)
        throw new FlowFault(`With all flows in it, ${flowId} has more than ${MOST_STEPS} steps.`, 'flow')
      indexes.set(step.id, index)
      const job = step.job === undefined ? undefined : jobs.get(step.job)
      const onFailure = step.onFailure ?? groupOf.get(step.id)?.onFailure ?? 'fail'
      steps.push({
        index,
        path: prefix + step.id,
        parent,
        job: step.job ?? null,
        flow: step.flow ?? null,
        children: [],
        links: [],
        join: step.join,
        gate: gateOf(step.gate, of.inputs ?? [], prefix),
        inputs,
        secrets: secretNames,
        isOff: (job ?? (step.flow === undefined ? undefined : flows.get(step.flow)))?.active === false,
        onFailure: typeof onFailure === 'string' ? onFailure : 'goTo',
        routeTo: -1,
        routesFrom: [],
        next: [],
        expect: expected(step, job),
        definition: step,
      })
      const inner = step.flow === undefined ? undefined : flows.get(step.flow)
      if (inner) {
        const values = innerInputs(inner.inputs ?? [], step.with ?? {}, inputs, prefix + step.id, secrets)
        ;(steps[index] as Draft).children = lay(
          inner,
          index,
          `${prefix}${step.id}/`,
          values,
          secretsOf(inner, step.with ?? {}, secretNames),
        )
      }
    }
    for (const step of of.steps) {
      const index = indexes.get(step.id) as number
      const draft = steps[index] as Draft
      for (const { step: id, when } of step.after ?? []) {
        const from = indexes.get(id) as number
        ;(steps[from] as Draft).next.push({ to: index, link: draft.links.length })
        draft.links.push({ from, when })
      }
      const onFailure = step.onFailure ?? groupOf.get(step.id)?.onFailure
      if (typeof onFailure !== 'object') continue
      draft.routeTo = indexes.get(onFailure.goTo) as number
      ;(steps[draft.routeTo] as Draft).routesFrom.push(index)
    }
    return [...indexes.values()]
  }
}

const indexes = new WeakMap<readonly { readonly id: string }[], ReadonlyMap<string, unknown>>()

/** A list by its ids; made once for each list, which many plans are laid out from. */
function byId<T extends { readonly id: string }>(list: readonly T[]): ReadonlyMap<string, T> {
  let found = indexes.get(list) as ReadonlyMap<string, T> | undefined
  if (!found) indexes.set(list, (found = new Map(list.map((each) => [each.id, each]))))
  return found
}

function secretsOf(
  flow: Flow,
  given: Readonly<Record<string, Value>>,
  outer: ReadonlySet<string>,
): ReadonlySet<string> {
  const own = (flow.inputs ?? []).filter(({ type }) => type === 'secret').map(({ name }) => name)
  return new Set([...own, ...givenSecrets(given, outer)])
}

/** The gate, its values as the input’s type has them: “4” and 4 are the same number, “yes” and true the same answer. */
function gateOf(gate: Step['gate'], inputs: NonNullable<Flow['inputs']>, prefix: string): Gate | null {
  if (gate === undefined) return null
  const { days, input, value, ...comparison } = gate as {
    days?: DayRule
    input?: string
    value?: string
    equals?: Value
    not?: Value
    in?: Value[]
  }
  if (days) return { days }
  const is = (['equals', 'not', 'in'] as const).find((key) => comparison[key] !== undefined) ?? 'in'
  const values = [comparison[is] ?? []].flat()
  const handedOn = value === undefined ? undefined : readHandedOn(value)
  if (handedOn) return { value: { path: prefix + handedOn.step, name: handedOn.name }, is, values }
  const declared = inputs.find(({ name }) => name === input)
  // The check of bundles saw to it that there is exactly one comparison, and that its values fit.
  return {
    input: input as string,
    is,
    values: values.map((value) => (declared ? (fitting(declared, value) ?? value) : value)),
  }
}

/** `expect` of the step, else of its job, else nothing; null for a flow step that says nothing. Of two quantiles the median, of samples their median. Seconds. */
function expected(step: Step, job: PlanSource['jobs'][number] | undefined): number | null {
  const expect = step.expect ?? job?.expect
  if (expect === undefined) return step.flow === undefined ? 0 : null
  if (typeof expect === 'string') return parseDuration(expect) ?? 0
  if ('p50' in expect) return parseDuration(expect.p50) ?? 0
  const samples = expect.samples.map((text) => parseDuration(text) ?? 0).sort((a, b) => a - b)
  const middle = samples.length >> 1
  return samples.length % 2 === 1
    ? (samples[middle] as number)
    : ((samples[middle - 1] as number) + (samples[middle] as number)) / 2
}
