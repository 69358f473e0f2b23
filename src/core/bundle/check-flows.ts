import { z } from 'zod'
import { alwaysEndsBefore, readHandedOn } from '../flow/handed-on'
import { describe, fitting, type Value } from '../flow/inputs'
import { stepValueFaults, type Asked } from '../flow/step-values'
import type { Fault, Path } from '../schema/faults'
import { inputsIn } from './inputs-in'
import { loopsOf } from './graph'
import { idsOf, isRaw, rawList, rawText, type AddFault, type Raw } from './raw'
import { groupSchema, inputSchema, stepSchema, type Bundle } from './schema'

/** References, loops, groups and gates of flows. */
export function flowFaults(raw: Raw, add: AddFault): void {
  const [jobs, flows] = [idsOf(raw.jobs), idsOf(raw.flows)]
  const flowList = rawList(raw.flows)
  const nextFlows: number[][] = flowList.map(() => [])
  for (const [i, flow] of flowList.entries()) {
    if (!isRaw(flow)) continue
    const steps = rawList(flow.steps)
    const ids = idsOf(steps)
    const next: number[][] = steps.map(() => [])
    const link = (from: unknown, to: number | undefined, path: Path): void => {
      const at = rawText(from)
      if (at === undefined) return
      const index = ids.get(at)
      if (index === undefined) add(path, `There is no step ${at} in this flow.`)
      else if (to !== undefined) next[index]?.push(to)
    }
    const route = (onFailure: unknown, from: number | undefined, path: Path): void => {
      if (!isRaw(onFailure)) return
      const goTo = rawText(onFailure.goTo)
      if (goTo === undefined) return
      const to = ids.get(goTo)
      if (to === undefined) add([...path, 'onFailure', 'goTo'], `There is no step ${goTo} in this flow.`)
      else if (from !== undefined) next[from]?.push(to)
    }
    for (const [k, step] of steps.entries()) {
      if (!isRaw(step)) continue
      const path: Path = ['flows', i, 'steps', k]
      const [job, inner] = [rawText(step.job), rawText(step.flow)]
      if ((step.job === undefined) === (step.flow === undefined))
        add(path, 'A step needs exactly one of the keys job, flow.')
      if (job !== undefined && !jobs.has(job)) add([...path, 'job'], `There is no job ${job} in this file.`)
      if (inner !== undefined) {
        const at = flows.get(inner)
        if (at === undefined) add([...path, 'flow'], `There is no flow ${inner} in this file.`)
        else nextFlows[i]?.push(at)
        if (step.retry !== undefined) add([...path, 'retry'], 'A flow as a step is not tried again; its own steps are.')
      }
      const linked = new Set<string>()
      for (const [n, after] of rawList(step.after).entries()) {
        if (!isRaw(after)) continue
        link(after.step, k, [...path, 'after', n, 'step'])
        const before = rawText(after.step)
        if (before === undefined) continue
        if (linked.has(before)) add([...path, 'after', n], `There is a link to the step ${before} already.`)
        linked.add(before)
      }
      route(step.onFailure, k, path)
      if (isRaw(step.gate))
        gateFaults(step.gate, flow, rawText(step.id) ?? '', (inner, message) =>
          add([...path, 'gate', ...inner], message),
        )
    }
    const grouped = new Map<string, string>()
    for (const [k, group] of rawList(flow.groups).entries()) {
      if (!isRaw(group)) continue
      for (const [n, member] of rawList(group.steps).entries()) {
        const id = rawText(member) ?? ''
        link(member, undefined, ['flows', i, 'groups', k, 'steps', n])
        const other = grouped.get(id)
        if (other !== undefined)
          add(
            ['flows', i, 'groups', k, 'steps', n],
            `The step ${id} is in the group ${other} already; it may be in one.`,
          )
        grouped.set(id, rawText(group.id) ?? '')
        route(group.onFailure, ids.get(rawText(member) ?? ''), ['flows', i, 'groups', k])
      }
    }
    for (const loop of loopsOf(next))
      add(
        ['flows', i, 'steps', loop[0] as number],
        `Steps lead to each other in a loop: ${loop.map((k) => (steps[k] as Raw).id as string).join(', ')}.`,
      )
  }
  for (const loop of loopsOf(nextFlows))
    add(
      ['flows', loop[0] as number],
      `Flows contain each other in a loop: ${loop.map((k) => (flowList[k] as Raw).id as string).join(', ')}.`,
    )
}

const COMPARISONS = ['equals', 'not', 'in'] as const

/** A gate looks at days, or compares one input of its flow with values that it can have, or what a step before handed on. */
function gateFaults(gate: Raw, flow: Raw, step: string, add: AddFault): void {
  const comparisons = COMPARISONS.filter((key) => gate[key] !== undefined)
  const name = rawText(gate.input)
  if (gate.value !== undefined) {
    if (comparisons.length !== 1) add([], 'A gate on a value needs exactly one of the keys equals, not, in.')
    const fault = handedOnFault(gate.value, flow, step)
    if (fault) add(['value'], fault)
    return
  }
  if (name === undefined) {
    if (gate.days !== undefined)
      for (const key of comparisons) add([key], `The key ${key} goes with input, not with days.`)
    return
  }
  if (comparisons.length !== 1) add([], 'A gate on an input needs exactly one of the keys equals, not, in.')
  const input = rawList(flow.inputs).find((each) => isRaw(each) && each.name === name)
  if (!isRaw(input)) return add(['input'], `There is no input ${name} in this flow.`)
  if (input.type === 'secret') return add(['input'], 'A secret cannot be compared.')
  const parsed = inputSchema.safeParse(input)
  if (!parsed.success) return
  const look = (value: unknown, path: Path): void => {
    if (typeof value === 'object' || value === undefined) return
    if (fitting(parsed.data, value as Value) === undefined)
      add(path, `The input ${name} can never be “${String(value)}”: it is ${describe(parsed.data)}.`)
  }
  for (const key of comparisons)
    if (Array.isArray(gate[key])) (gate[key] as unknown[]).forEach((value, i) => look(value, [key, i]))
    else look(gate[key], [key])
}

/** What is wrong with a gate on what a step handed on: that step must always have ended before. */
function handedOnFault(value: unknown, flow: Raw, later: string): string | undefined {
  const read = typeof value === 'string' ? readHandedOn(value) : undefined
  if (!read) return 'Expected a step and a name with a dot between, such as check.count.'
  const shape = flowShape.safeParse(flow)
  if (!shape.success) return undefined
  if (!shape.data.steps.some(({ id }) => id === read.step)) return `There is no step ${read.step} in this flow.`
  return alwaysEndsBefore(shape.data, read.step, later)
    ? undefined
    : `The step ${read.step} does not always end before: it may have handed nothing on yet.`
}
const flowShape = z.object({ steps: z.array(stepSchema), groups: z.array(groupSchema).default([]) })

/**
 * What steps give to their jobs and flows, in a file of sound shape and references, as far as it names inputs, steps and values that are not there: the same check as when a flow is saved. Whether
 * values fit, and are all there, is a matter of the moment in which it begins. A job that says neither its kind nor its inputs stands for its times alone: it may be given anything.
 */
export function valueFaults({ jobs, flows }: Bundle): Fault[] {
  const asked = new Map<string, Asked>()
  for (const { id, title = id, kind, inputs } of jobs)
    asked.set(`job ${id}`, { title, inputs: kind === undefined && inputs === undefined ? null : inputsIn(inputs) })
  for (const { id, title = id, inputs } of flows) asked.set(`flow ${id}`, { title, inputs: inputsIn(inputs) })
  return flows.flatMap(({ steps, inputs, groups = [] }, i) =>
    stepValueFaults(
      { inputs: inputsIn(inputs), steps, groups },
      ({ job, flow }) => asked.get(job === undefined ? `flow ${flow}` : `job ${job}`) ?? null,
    ).flatMap(({ path, message, isName }) => (isName ? [{ path: `flows[${i}].${path}`, message }] : [])),
  )
}
