import { areaFor } from './bundle-people'
import { inputsIn, type BundleInput } from '@/core/bundle/inputs-in'
import type { Bundle, bundleSchema } from '@/core/bundle/schema'
import { faultsFrom, type Fault } from '@/core/schema/faults'
import { flowDefinitionSchema, type FlowDefinition } from '@/core/work/flow'
import type { Input } from '@/core/work/inputs'
import { maybeOne, type Tx } from '@/store/db'
import type { z } from 'zod'
import type { Actor } from '@/service/base/actor'
import {
  atPlace,
  filedWork,
  sameJson,
  workOut,
  type FiledWork,
  type ImportLine,
  readableOf,
  type OnBad,
} from './bundle-parts'
import { insertFlow, readFlow, saveFlowIn } from '@/service/work/flows'

type BundleFlow = Bundle['flows'][number]
type BundleFile = z.input<typeof bundleSchema>
type FlowFile = BundleFile['flows'] extends readonly (infer F)[] | undefined ? F : never

export function inputsOut(inputs: readonly Input[]): BundleInput[] {
  return inputs.map((input) => ({
    name: input.name,
    ...(input.title ? { title: input.title } : {}),
    type: input.type,
    ...(input.options.length > 0 ? { options: input.options } : {}),
    ...(input.default === null ? {} : { default: input.default }),
    ...(input.ask ? {} : { ask: false }),
  })) as BundleInput[]
}

export type FlowIn = FiledWork<FlowDefinition>

/** A flow of a file as the server keeps it. */
export function flowIn(flow: BundleFlow, path: string, faults: Fault[]): FlowIn | null {
  const raw = {
    inputs: inputsIn(flow.inputs),
    steps: flow.steps,
    groups: flow.groups ?? [],
    ...(flow.priority ? { priority: flow.priority } : {}),
    ...(flow.keeping ? { keeping: flow.keeping } : {}),
  }
  const parsed = flowDefinitionSchema.safeParse(raw)
  if (!parsed.success) {
    for (const fault of faultsFrom(parsed.error, raw))
      faults.push({ path: `${path}.${fault.path}`, message: fault.message })
    return null
  }
  return filedWork(flow, parsed.data)
}

/** Brings flows in, each after those that it runs. What does not fit together is told at its place in the file. */
export async function importFlows(tx: Tx, actor: Actor, flows: readonly FlowIn[], lines: ImportLine[]): Promise<void> {
  const areas = new Map<string, number>()
  for (const { slug, area, ...flow } of innerFirst(flows)) {
    const content = { ...flow, areaId: await areaFor(tx, actor, areas, area) }
    const known = await maybeOne<{ id: number }>(
      tx,
      'SELECT id FROM jobs WHERE slug = $1 AND is_flow AND deleted_at IS NULL',
      [slug],
    )
    const what = await atPlace(`flows[${flows.findIndex((each) => each.slug === slug)}]`, async () => {
      if (!known) {
        await insertFlow(tx, actor, content, slug)
        return 'added'
      }
      const { version, title, notes, areaId, active, definition } = await readFlow(tx, known.id)
      if (sameJson({ title, notes, areaId, active, definition }, content)) return 'same'
      await saveFlowIn(tx, actor, known.id, { ...content, version })
      return 'changed'
    })
    lines.push({ kind: 'flow', id: slug, what })
  }
}

function innerFirst(flows: readonly FlowIn[]): FlowIn[] {
  const bySlug = new Map(flows.map((flow) => [flow.slug, flow]))
  const done = new Set<string>()
  const out: FlowIn[] = []
  const visit = (flow: FlowIn): void => {
    if (done.has(flow.slug)) return
    done.add(flow.slug)
    for (const step of flow.definition.steps) {
      const inner = bySlug.get(step.flow ?? '')
      if (inner) visit(inner)
    }
    out.push(flow)
  }
  flows.forEach(visit)
  return out
}

/** All flows as a file has them; what is as it is by default is left out. */
export async function flowsOut(onBad: OnBad): Promise<FlowFile[]> {
  const rows = await workOut(true)
  return readableOf('flow', rows, onBad, ({ slug, title, notes, area, active, definition }) => {
    const { inputs, steps, groups, priority, keeping } = flowDefinitionSchema.parse(definition)
    const isPlain = JSON.stringify(keeping) === JSON.stringify(flowDefinitionSchema.parse({}).keeping)
    return {
      id: slug,
      title,
      ...(notes ? { notes } : {}),
      area,
      ...(active ? {} : { active }),
      ...(inputs.length > 0 ? { inputs: inputsOut(inputs) } : {}),
      steps: steps.map(({ join, ...step }) => ({ ...step, ...(join === 'all' ? {} : { join }) })),
      ...(groups.length > 0 ? { groups } : {}),
      ...(priority === 'normal' ? {} : { priority }),
      ...(isPlain ? {} : { keeping }),
    } as FlowFile
  })
}
