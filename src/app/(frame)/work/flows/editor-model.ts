import { parseDuration } from '@/core/timing/duration'
import { definitionFaults } from '@/core/flow/faults'
import { planOf, type Plan } from '@/core/flow/plan'
import { FlowFault } from '@/core/flow/inputs'
import { rehearse, isOpen, type Rehearsal } from '@/core/flow/rehearse'
import type { Outcome } from '@/core/flow/state'
import { deciding, drawnOf, timesOf, type DrawnStep, type Span } from '@/core/flow/times'
import { bundleFlow, withKnown, type FlowDefinition } from '@/core/work/flow'
import type { KnownValues } from '@/core/work/inputs'
import type { Fault } from '@/core/schema/faults'
import type { FlowMaterial } from '@/service/work/flows'
import { typedIn } from '@/ui/hooks/following'

const DEFAULT_MS = 60_000
/** How the flow that is being written is called among the others. */
const DRAFT = 'this-flow'

/** Everything that follows from a flow as it is written: its picture with usual lengths, and what is wrong. */
export interface Model {
  readonly faults: readonly Fault[]
  /** Laid out with all flows in it; null while something is so wrong that it cannot be. */
  readonly plan: Plan | null
  readonly drawn: readonly DrawnStep[]
  readonly times: readonly Span[]
  readonly decides: ReadonlySet<number>
  /** Usual length of the whole, milliseconds. */
  readonly lengthMs: number
}

export function modelOf(definition: FlowDefinition, slug: string | null, material: FlowMaterial): Model {
  const faults = definitionFaults(slug ?? DRAFT, definition, material)
  const plan = planFor(definition, slug, material)
  if (!plan) return { faults, plan: null, drawn: [], times: [], decides: new Set(), lengthMs: 0 }
  const usual = new Map(material.jobs.map((job) => [job.slug, job.usualMs]))
  const drawn = drawnOf(plan.steps)
  const times = timesOf(drawn, (index) => {
    const step = plan.steps[index]
    return usual.get(step?.job ?? '') ?? ((step?.expect ?? 0) * 1000 || DEFAULT_MS)
  })
  const decides = deciding(drawn, times)
  return {
    faults,
    plan,
    drawn,
    times,
    decides,
    lengthMs: Math.max(0, ...[...decides].map((index) => times[index]?.end ?? 0)),
  }
}

/** Links that lead nowhere are left out, and a flow that leads in a circle has no plan: such faults are told beside the picture. */
export function planFor(
  definition: FlowDefinition,
  slug: string | null,
  material: FlowMaterial,
  given: Readonly<Record<string, string>> = {},
): Plan | null {
  const ids = new Set(definition.steps.map(({ id }) => id))
  const own = slug ?? DRAFT
  const flow = bundleFlow(own, {
    ...definition,
    steps: definition.steps.map(({ after, onFailure, ...step }) => ({
      ...step,
      ...(after ? { after: after.filter((link) => ids.has(link.step)) } : {}),
      ...(onFailure && (typeof onFailure === 'string' || ids.has(onFailure.goTo)) ? { onFailure } : {}),
    })),
    groups: definition.groups.filter(({ onFailure }) => typeof onFailure !== 'object' || ids.has(onFailure.goTo)),
  })
  if (ids.size < definition.steps.length || hasCircle(flow.steps, definition)) return null
  const others = material.flows
    .filter((each) => each.slug !== own)
    .map((each) => bundleFlow(each.slug, each.definition))
  const known: KnownValues = (source) => ('shared' in source ? material.shared[source.shared] : undefined)
  try {
    return planOf(
      {
        flows: [flow, ...others].map((each) => withKnown(each, known)),
        jobs: material.jobs.map((job) => ({ id: job.slug, active: job.active })),
      },
      own,
      given,
    )
  } catch (error) {
    // A flow in itself is a fault that is told; laid out it would be endless.
    if (error instanceof FlowFault || error instanceof RangeError) return null
    throw error
  }
}

function hasCircle(
  steps: readonly { id: string; after?: readonly { step: string }[] | undefined; onFailure?: unknown }[],
  { groups }: FlowDefinition,
): boolean {
  const groupOf = new Map(groups.flatMap((group) => group.steps.map((id) => [id, group.onFailure] as const)))
  const missing = new Map<string, number>(steps.map(({ id }) => [id, 0]))
  const next = new Map<string, string[]>()
  const add = (from: string, to: string): void => {
    next.set(from, [...(next.get(from) ?? []), to])
    missing.set(to, (missing.get(to) ?? 0) + 1)
  }
  for (const { id, after = [], onFailure } of steps) {
    for (const link of after) add(link.step, id)
    const route = (onFailure ?? groupOf.get(id)) as { goTo?: string } | string | undefined
    if (typeof route === 'object' && route.goTo !== undefined && missing.has(route.goTo)) add(id, route.goTo)
  }
  const work = [...missing].filter(([, count]) => count === 0).map(([id]) => id)
  let done = 0
  for (const id of work) {
    done++
    for (const to of next.get(id) ?? []) {
      const left = (missing.get(to) as number) - 1
      missing.set(to, left)
      if (left === 0) work.push(to)
    }
  }
  return done < missing.size
}

/** The rules of all gates on days, in the order of the plan: their answers are asked for in one go. */
export function gateRules(plan: Plan): { readonly index: number; readonly rule: unknown }[] {
  return plan.steps.flatMap(({ index, gate }) =>
    gate && 'days' in gate && typedIn(gate.days) === undefined ? [{ index, rule: gate.days }] : [],
  )
}

/** What would happen; a text if it cannot be said. `open`: which of the gates on days are open, by step. */
export function rehearsalOf(
  plan: Plan,
  open: ReadonlyMap<number, boolean>,
  outcomes: ReadonlyMap<string, Outcome>,
  lengthOf: (index: number) => number,
): Rehearsal | string {
  const timed: Plan = {
    ...plan,
    steps: plan.steps.map((step) => ({ ...step, expect: step.flow === null ? lengthOf(step.index) : null })),
  }
  try {
    return rehearse(
      timed,
      (step) => {
        if (step.gate && 'days' in step.gate)
          return open.get(step.index) === false ? 'gate' : step.isOff ? 'off' : 'open'
        return isOpen(step.gate, step, 0, () => true) ? (step.isOff ? 'off' : 'open') : 'gate'
      },
      new Map(
        [...outcomes].flatMap(([path, outcome]) =>
          plan.byPath.has(path) ? [[plan.byPath.get(path) as number, outcome]] : [],
        ),
      ),
    )
  } catch (error) {
    if (error instanceof FlowFault) return error.message
    throw error
  }
}

/** `90` seconds and the like from a text as people write it: `90 s`, `5 min`, `1 h 30 min`; undefined if it is none. */
export function readLength(text: string): number | undefined {
  const iso = parseDuration(text.trim())
  if (iso !== undefined) return iso
  const parts = [...text.trim().matchAll(/(\d+)\s*(h|min|m|s)\b/gi)]
  if (parts.length === 0 || text.replace(/(\d+)\s*(h|min|m|s)\b/gi, '').trim() !== '') return undefined
  return parts.reduce(
    (sum, [, n, unit]) => sum + Number(n) * ({ h: 3600, min: 60, m: 60, s: 1 }[(unit ?? '').toLowerCase()] ?? 0),
    0,
  )
}

/** `1 h 30 min`, `45 s`: what readLength reads. */
export function writeLength(seconds: number): string {
  const [h, m, s] = [Math.floor(seconds / 3600), Math.floor(seconds / 60) % 60, seconds % 60]
  return [h ? `${h} h` : '', m ? `${m} min` : '', s || seconds === 0 ? `${s} s` : ''].filter(Boolean).join(' ')
}

/** Titles of jobs and flows, by what a step that runs them says: `job till-file`, `flow close-of-day`. */
export function workTitles({ jobs, flows }: FlowMaterial): ReadonlyMap<string, string> {
  return new Map([
    ...jobs.map(({ slug, title }) => [`job ${slug}`, title] as const),
    ...flows.map(({ slug, title }) => [`flow ${slug}`, title] as const),
  ])
}

/** The place of the step that something is wrong with; -1: it is none. */
export const stepOfFault = ({ path }: Pick<Fault, 'path'>): number => Number(/^steps\[(\d+)\]/.exec(path)?.[1] ?? -1)
