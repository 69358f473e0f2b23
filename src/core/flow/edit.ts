import { reachable } from '../bundle/graph'
import type { FlowDefinition, FlowStep } from '../work/flow'
import { writtenDefault, type Input } from '../work/inputs'

/** Changes of a flow as a person makes them, each giving a new flow. Names of steps are those within this flow. */

/** A name that no step of the flow has: `check`, `check-2` … */
export function freeStepId({ steps }: FlowDefinition, wanted: string): string {
  const base =
    wanted
      .toLowerCase()
      .replace(/[^a-z0-9]+/g, '-')
      .replace(/^-+|-+$/g, '')
      .slice(0, 40) || 'step'
  return freeId(steps, base)
}

function freeId(used: readonly { readonly id: string }[], base: string): string {
  const ids = new Set(used.map(({ id }) => id))
  let id = base
  for (let n = 2; ids.has(id); n++) id = `${base}-${n}`
  return id
}

/** Where a new step stands. */
export type Place = { readonly how: 'alone' } | { readonly how: 'after' | 'before' | 'beside'; readonly step: string }

/**
 * A new step: at the end of nothing; `after` another; `before` it, taking over what it waited for; or `beside` it, waiting for the same.
 */
export function addStep(
  flow: FlowDefinition,
  work: { readonly job: string } | { readonly flow: string },
  id: string,
  where: Place,
): FlowDefinition {
  const fresh: FlowStep = { id, ...work, join: 'all' }
  if (where.how === 'alone') return { ...flow, steps: [...flow.steps, fresh] }
  const at = flow.steps.findIndex((step) => step.id === where.step)
  const other = flow.steps[at]
  if (!other) return { ...flow, steps: [...flow.steps, fresh] }
  const link = (step: string): NonNullable<FlowStep['after']> => [{ step, when: 'succeeded' }]
  const steps = [...flow.steps]
  if (where.how === 'after') steps.splice(at + 1, 0, { ...fresh, after: link(other.id) })
  else if (where.how === 'beside')
    steps.splice(at + 1, 0, { ...fresh, ...(other.after ? { after: other.after, join: other.join } : {}) })
  else
    steps.splice(
      at,
      1,
      { ...fresh, ...(other.after ? { after: other.after, join: other.join } : {}) },
      { ...other, after: link(id), join: 'all' },
    )
  return { ...flow, steps }
}

/** Without the step: what waited for it waits for what it waited for, and routes to it are gone. */
export function removeStep(flow: FlowDefinition, id: string): FlowDefinition {
  const gone = flow.steps.find((step) => step.id === id)
  if (!gone) return flow
  const steps = flow.steps
    .filter((step) => step.id !== id)
    .map((step) => {
      const link = step.after?.find((each) => each.step === id)
      const kept = withoutRouteTo(step, id)
      if (!link) return kept
      const others = (step.after ?? []).filter((each) => each.step !== id)
      const inherited = (gone.after ?? [])
        .filter((each) => !others.some((other) => other.step === each.step))
        .map((each) => ({ ...each, when: link.when }))
      return withLinks(kept, [...others, ...inherited])
    })
  const groups = flow.groups
    .map((group) => ({ ...withoutRouteTo(group, id), steps: group.steps.filter((member) => member !== id) }))
    .filter((group) => group.steps.length > 0)
  return { ...flow, steps, groups }
}

function withoutRouteTo<T extends Pick<FlowStep, 'onFailure'>>(step: T, id: string): T {
  if (typeof step.onFailure !== 'object' || step.onFailure.goTo !== id) return step
  const { onFailure: _, ...rest } = step
  return rest as T
}

function withLinks(step: FlowStep, after: NonNullable<FlowStep['after']>): FlowStep {
  const { after: _, ...rest } = step
  return after.length > 0 ? { ...rest, after } : rest
}

/** The same flow with a step called otherwise, wherever it is named. */
export function renameStep(flow: FlowDefinition, from: string, to: string): FlowDefinition {
  const name = (id: string): string => (id === from ? to : id)
  const route = <T extends Pick<FlowStep, 'onFailure'>>(step: T): T =>
    typeof step.onFailure === 'object' && step.onFailure.goTo === from ? { ...step, onFailure: { goTo: to } } : step
  // What the others take of it: `${from.count}` in what they are given, `from.count` at their gate.
  const referring = <T>(value: T): T =>
    (typeof value === 'string' ? value.replaceAll(`\${${from}.`, `\${${to}.`) : value) as T
  const gate = (written: FlowStep['gate']): FlowStep['gate'] => {
    const { value } = (written ?? {}) as { value?: string }
    return value?.startsWith(`${from}.`) ? { ...(written as object), value: to + value.slice(from.length) } : written
  }
  return {
    ...flow,
    steps: flow.steps.map((step) => ({
      ...route(step),
      id: name(step.id),
      ...(step.with
        ? { with: Object.fromEntries(Object.entries(step.with).map(([key, value]) => [key, referring(value)])) }
        : {}),
      ...(step.gate ? { gate: gate(step.gate) } : {}),
      ...(step.after ? { after: step.after.map((link) => ({ ...link, step: name(link.step) })) } : {}),
    })),
    groups: flow.groups.map((group) => ({ ...route(group), steps: group.steps.map(name) })),
  }
}

export function changeStep(flow: FlowDefinition, id: string, change: (step: FlowStep) => FlowStep): FlowDefinition {
  return { ...flow, steps: flow.steps.map((step) => (step.id === id ? change(step) : step)) }
}

/** A link from one step to another, unless there is one or it would lead in a circle. `null`: it would. */
export function linkSteps(flow: FlowDefinition, from: string, to: string): FlowDefinition | null {
  if (from === to || leadsTo(flow, to, from)) return null
  return changeStep(flow, to, (step) =>
    step.after?.some((link) => link.step === from)
      ? step
      : { ...step, after: [...(step.after ?? []), { step: from, when: 'succeeded' }] },
  )
}

/** The failure of one step leads to another, and nowhere else. `null`: it would lead in a circle. */
export function routeStep(flow: FlowDefinition, from: string, to: string): FlowDefinition | null {
  if (from === to || leadsTo(flow, to, from)) return null
  return changeStep(flow, from, (step) => ({ ...step, onFailure: { goTo: to } }))
}

/** Whether links or routes lead from one step to another, over others or directly. */
export const leadsTo = (flow: FlowDefinition, from: string, to: string): boolean => reach(flow)([from]).has(to)

/** All steps that links and routes lead to from some, or (`back`) that lead to some; these themselves among them. The flow is gone through once. */
export function reach({
  steps,
  groups,
}: Pick<FlowDefinition, 'steps' | 'groups'>): (from: readonly string[], way?: 'on' | 'back') => Set<string> {
  const groupOf = new Map(groups.flatMap((group) => group.steps.map((id) => [id, group] as const)))
  const ways = { on: new Map<string, string[]>(), back: new Map<string, string[]>() }
  const put = (way: Map<string, string[]>, from: string, to: string): void => {
    const list = way.get(from)
    if (list) list.push(to)
    else way.set(from, [to])
  }
  const add = (from: string, to: string): void => {
    put(ways.on, from, to)
    put(ways.back, to, from)
  }
  for (const step of steps) {
    for (const link of step.after ?? []) add(link.step, step.id)
    const onFailure = step.onFailure ?? groupOf.get(step.id)?.onFailure
    if (typeof onFailure === 'object') add(step.id, onFailure.goTo)
  }
  return (from, way = 'on') => reachable(from, (id) => ways[way].get(id) ?? [])
}

/** Puts a step into a group, made if there is none of the name, or (null) into none. */
export function groupStep(flow: FlowDefinition, id: string, group: string | null): FlowDefinition {
  const groups = flow.groups
    .map((each) => ({ ...each, steps: each.steps.filter((member) => member !== id) }))
    .map((each) => (each.id === group ? { ...each, steps: [...each.steps, id] } : each))
  if (group !== null && !groups.some((each) => each.id === group)) groups.push({ id: group, steps: [id] })
  return { ...flow, groups: groups.filter((each) => each.steps.length > 0) }
}

/** Puts a step into the group of another; if that is in none, both into a new one. The same flow: they are together already. */
export function groupWith(flow: FlowDefinition, id: string, other: string): FlowDefinition {
  if (id === other) return flow
  const group = flow.groups.find(({ steps }) => steps.includes(other))
  if (group) return group.steps.includes(id) ? flow : groupStep(flow, id, group.id)
  const name = freeId(flow.groups, 'group')
  return groupStep(groupStep(flow, other, name), id, name)
}

/** A gate on an input, to begin with: it is as it is usually given. */
export const gateOn = (input: Pick<Input, 'name' | 'type' | 'options' | 'default'>): NonNullable<FlowStep['gate']> => ({
  input: input.name,
  equals: input.options[0] ?? (writtenDefault(input) || (input.type === 'yes-no' ? 'yes' : '')),
})

/** The condition at the head of a step; `undefined`: it has none any more. */
export function gateStep(flow: FlowDefinition, id: string, gate: FlowStep['gate']): FlowDefinition {
  return changeStep(flow, id, ({ gate: _, ...step }) => (gate === undefined ? step : { ...step, gate }))
}
