import { z } from 'zod'
import { titleSchema } from '@/core/schema/text'
import { groupSchema, stepSchema, type Bundle } from '../bundle/schema'
import { PRIORITIES } from '../dispatch/types'
import { inputSchema, type Input, type KnownValues } from './inputs'
import { keepingSchema, jobDefinitionSchema, type JobDefinition } from './job'

/** Everything that says what a flow does: steps, gates, routes and groups as in a bundle. */
export const flowDefinitionSchema = z
  .strictObject({
    inputs: z.array(inputSchema).max(40).default([]),
    steps: z.array(stepSchema).max(10_000, 'A flow has at most 10,000 steps.').default([]),
    groups: z.array(groupSchema).default([]),
    priority: z.enum(PRIORITIES).default('normal'),
    keeping: keepingSchema.default({ board: 'after-hours', boardHours: 24, historyDays: 400, outputDays: 60 }),
  })
  .superRefine(({ inputs }, context) => {
    const seen = new Set<string>()
    inputs.forEach(({ name }, index) => {
      if (seen.has(name))
        context.addIssue({
          code: 'custom',
          path: ['inputs', index, 'name'],
          message: `Another input is called ${name}.`,
        })
      seen.add(name)
    })
  })
export type FlowDefinition = z.output<typeof flowDefinitionSchema>
export type FlowStep = FlowDefinition['steps'][number]

/** What a person saves. */
export const flowContentSchema = z.strictObject({
  title: titleSchema('A flow needs a title.', 120),
  notes: z.string().max(10_000).default(''),
  areaId: z.int().positive('Choose an area.'),
  active: z.boolean().default(true),
  definition: flowDefinitionSchema,
})
export type FlowContent = z.output<typeof flowContentSchema>

/** A job or a flow: what can be started. */
export type WorkDefinition = JobDefinition | FlowDefinition

export const isFlowDefinition = (definition: WorkDefinition): definition is FlowDefinition => 'steps' in definition

/** A stored definition, with the defaults of what came since it was saved. */
export function readDefinition(raw: unknown, isFlow: boolean): WorkDefinition {
  return isFlow ? flowDefinitionSchema.parse(raw) : jobDefinitionSchema.parse(raw)
}

type BundleFlow = Bundle['flows'][number]

/** The flow as it stands in a bundle, for the computation in core/flow. */
export function bundleFlow(id: string, { inputs, steps, groups }: FlowDefinition): BundleFlow {
  return { id, active: true, inputs: inputs.map(bundleInput), steps, groups }
}

function bundleInput({ default: value, title, ...input }: Input): NonNullable<BundleFlow['inputs']>[number] {
  return { ...input, ...(title ? { title } : {}), ...(value === null ? {} : { default: value }) }
}

/** The flow with the defaults filled in that only the server knows, so that what a run carries out does not change with them later. Secrets stay names: it is kept openly. */
export function withKnown(flow: BundleFlow, known: KnownValues): BundleFlow {
  const fill = (input: NonNullable<BundleFlow['inputs']>[number]): typeof input => {
    if (typeof input.default !== 'object' || input.type === 'secret') return input
    return { ...input, default: known(input.default, input.type) ?? input.default }
  }
  return flow.inputs ? { ...flow, inputs: flow.inputs.map(fill) } : flow
}
