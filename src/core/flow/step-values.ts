import type { Fault } from '../schema/faults'
import type { FlowDefinition, FlowStep } from '../work/flow'
import { valueFault, type Input } from '../work/inputs'
import { reach } from './edit'
import type { Value } from './inputs'

/** `${input}` of the flow, or `${step.name}`: a value that an earlier step of the same flow handed on. */
const REFERENCE = /\$\{([a-z0-9][A-Za-z0-9_-]*(?:\.[a-z][A-Za-z0-9_]*)?)\}/g
const WHOLE = /^\$\{([a-z][A-Za-z0-9_]*)\}$/

/** A value as it travels to a run: text. */
const asText = (value: Value): string => (typeof value === 'boolean' ? (value ? 'yes' : 'no') : String(value))

/** Steps whose outputs are referred to, as they are called in their flow. */
export function stepsReferredTo(given: Readonly<Record<string, Value>>): string[] {
  const found = Object.values(given).flatMap((value) =>
    typeof value === 'string' ? [...value.matchAll(REFERENCE)].map((reference) => String(reference[1])) : [],
  )
  return found.flatMap((key) => (key.includes('.') ? [key.slice(0, key.indexOf('.'))] : []))
}

/** What a step's job is given: the step's `with`, references to inputs of the flow and to what earlier steps handed on filled in; what none handed on is empty. A reference to a missing value is left out as a whole. */
export function stepValues(
  given: Readonly<Record<string, Value>>,
  flowValues: ReadonlyMap<string, Value>,
  handedOn: (step: string, name: string) => string = () => '',
): Record<string, string> {
  const values: Record<string, string> = {}
  for (const [name, value] of Object.entries(given)) {
    if (typeof value !== 'string') values[name] = asText(value)
    else if (WHOLE.test(value)) {
      const inner = flowValues.get(value.slice(2, -1))
      if (inner !== undefined) values[name] = asText(inner)
    } else
      values[name] = value.replace(REFERENCE, (_, key: string) => {
        const dot = key.indexOf('.')
        return dot < 0 ? asText(flowValues.get(key) ?? '') : handedOn(key.slice(0, dot), key.slice(dot + 1))
      })
  }
  return values
}

/** A fault of what a step gives. */
export interface StepValueFault extends Fault {
  /** It names what is not there, or not yet: an input, a step, a value of a step that does not come before. */
  readonly isName: boolean
}

/** What a step's job or flow asks for; null: that is not said, and anything goes. */
export interface Asked {
  readonly title: string
  readonly inputs: readonly Input[] | null
}

/**
 * What is wrong with what steps give to their jobs and flows: inputs that these do not have or that stay without a value, references to nothing, values that do not
 * fit, and secrets that would be stored openly. `asked`: null for work that does not exist, which is told elsewhere.
 */
export function stepValueFaults(
  definition: Pick<FlowDefinition, 'inputs' | 'steps' | 'groups'>,
  asked: (step: FlowStep) => Asked | null,
): StepValueFault[] {
  const { inputs, steps } = definition
  const own = new Map(inputs.map((input) => [input.name, input]))
  const reached = once(() => reach(definition))
  return steps.flatMap((step, i) => {
    const work = asked(step)
    if (!work) return []
    const before = once(() => reached()([step.id], 'back'))
    const faults: StepValueFault[] = []
    const add = (name: string, message: string, isName = false): void =>
      void faults.push({ path: `steps[${i}].with.${name}`, message: `${step.id}: ${message}`, isName })
    const known = work.inputs && new Map(work.inputs.map((input) => [input.name, input]))
    for (const [name, value] of Object.entries(step.with ?? {})) {
      const input = known ? known.get(name) : { ...ANYTHING, name }
      if (!input) {
        add(name, `${work.title} has no input ${name}.`, true)
        continue
      }
      const references =
        typeof value === 'string' ? [...value.matchAll(REFERENCE)].map((found) => String(found[1])) : []
      for (const reference of references) {
        const [earlier, output] = reference.split('.') as [string, string?]
        if (output !== undefined) {
          if (step.flow !== undefined)
            add(name, 'What a flow is given is fixed when it begins: no earlier step has ended then.')
          if (!steps.some(({ id }) => id === earlier)) add(name, `This flow has no step ${earlier}.`, true)
          else if (earlier === step.id || !before().has(earlier))
            add(name, `The step ${earlier} does not come before: it cannot have handed anything on.`, true)
          else if (input.type === 'secret') add(name, 'What a step hands on is no secret.')
          continue
        }
        const from = own.get(reference)
        if (!from) add(name, `This flow has no input ${reference}.`, true)
        else if (from.type === 'secret' && !(input.type === 'secret' && WHOLE.test(String(value))))
          add(name, `The secret ${reference} can be given only as a whole, to an input that is a secret.`)
      }
      const fault = references.length > 0 ? null : valueFault(input, asText(value))
      if (input.type === 'secret' && references.length === 0)
        add(name, 'A secret is not written into a flow: give it an input of the flow that is a secret.')
      else if (fault) add(name, `${input.title || name} ${fault}.`)
    }
    for (const input of work.inputs ?? [])
      if (input.default === null && step.with?.[input.name] === undefined)
        faults.push({
          path: `steps[${i}].with.${input.name}`,
          message: `${step.id}: ${work.title} needs a value for ${input.title || input.name}.`,
          isName: false,
        })
    return faults
  })
}

const ANYTHING: Omit<Input, 'name'> = { title: '', type: 'text', options: [], default: '', ask: false }

/** Worked out at the first call, if there is one. */
function once<T extends object>(work: () => T): () => T {
  let done: T | undefined
  return () => (done ??= work())
}
