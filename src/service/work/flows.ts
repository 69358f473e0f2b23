import { levelOn, requireOn, whereMay, type HasLevel } from '@/service/base/area-rights'
import { z } from 'zod'
import { checkBundle } from '@/core/bundle/check'
import { FORMAT } from '@/core/bundle/schema'
import { parseIsoDay } from '@/core/calendar/days'
import { dayRuleSchema } from '@/core/calendar/rule'
import { slugOf } from '@/core/schema/slug'
import { askedIn } from '@/core/flow/faults'
import { stepValueFaults } from '@/core/flow/step-values'
import {
  bundleFlow,
  flowContentSchema,
  flowDefinitionSchema,
  type FlowContent,
  type FlowDefinition,
} from '@/core/work/flow'
import type { Input } from '@/core/work/inputs'
import { db, execute, many, maybeOne, transaction, type Tx } from '@/store/db'
import { notify } from '@/store/listen'
import { requireSomewhere, type Actor } from '@/service/base/actor'
import { difference, record } from '@/service/base/audit'
import { type FieldFault, notFound, Problem, refuse } from '@/service/base/problem'
import { SharedValues } from './shared-values'
import { dayFaultsOf } from './run-days'
import { timingState } from '@/service/base/timing-cache'
import { freeSlug } from '@/service/base/slugs'
import { guardTitle, removeWork, writeVersion } from './work'

export const newFlowSchema = flowContentSchema
/** The version that was read before the change; another one now means that somebody else saved first. */
export const flowSaveSchema = flowContentSchema.extend({ version: z.int().positive() })
export const gatesSchema = z.strictObject({
  day: z.string().refine((text) => parseIsoDay(text) !== undefined, 'Expected a day such as 2027-03-09.'),
  rules: z.array(dayRuleSchema).max(2000),
})

export interface FlowFull extends FlowContent {
  readonly id: number
  readonly slug: string
  readonly area: string
  readonly version: number
  readonly usualMs: number | null
  readonly savedBy: string
  readonly savedAt: string
}

export async function oneFlow(actor: Actor, id: number): Promise<FlowFull & HasLevel> {
  requireSomewhere(actor, 'see')
  return { ...(await readFlow(null, id)), may: await levelOn(actor, 'flow', id) }
}

export async function readFlow(tx: Tx | null, id: number): Promise<FlowFull> {
  const row = await maybeOne<FlowFull>(
    tx,
    `SELECT j.id, j.slug, j.title, j.notes, j.area_id AS "areaId", a.path AS area, j.active, j.version, j.usual_ms AS "usualMs",
            j.saved_by AS "savedBy", j.saved_at AS "savedAt", v.definition
       FROM jobs j JOIN areas a ON a.id = j.area_id JOIN job_versions v ON v.job_id = j.id AND v.version = j.version
      WHERE j.id = $1 AND j.is_flow AND j.deleted_at IS NULL`,
    [id],
  )
  if (!row) throw notFound('flow', id)
  return { ...row, definition: flowDefinitionSchema.parse(row.definition) }
}

/** What steps can be made of: every job and flow, with what it asks for and how long it usually takes. */
export interface FlowMaterial {
  readonly jobs: readonly {
    readonly slug: string
    readonly id: number
    readonly title: string
    readonly area: string
    readonly active: boolean
    readonly usualMs: number | null
    readonly inputs: readonly Input[]
  }[]
  readonly flows: readonly {
    readonly slug: string
    readonly id: number
    readonly title: string
    readonly area: string
    readonly active: boolean
    readonly definition: FlowDefinition
  }[]
  readonly calendars: readonly { readonly slug: string; readonly title: string }[]
  /** Shared values that are no secrets, by name. */
  readonly shared: Readonly<Record<string, string>>
}

export async function flowMaterial(actor: Actor): Promise<FlowMaterial> {
  requireSomewhere(actor, 'see')
  return readMaterial(null)
}

async function readMaterial(tx: Tx | null): Promise<FlowMaterial> {
  const rows = await many<{
    slug: string
    id: number
    title: string
    area: string
    active: boolean
    isFlow: boolean
    usualMs: number | null
    inputs: Input[] | null
    definition: unknown
  }>(
    tx,
    `SELECT j.slug, j.id, j.title, a.path AS area, j.active, j.is_flow AS "isFlow", j.usual_ms AS "usualMs", v.definition->'inputs' AS inputs,
            CASE WHEN j.is_flow THEN v.definition END AS definition
       FROM jobs j JOIN areas a ON a.id = j.area_id JOIN job_versions v ON v.job_id = j.id AND v.version = j.version
      WHERE j.deleted_at IS NULL ORDER BY lower(a.path), lower(j.title)`,
  )
  const calendars = await many<{ slug: string; title: string }>(
    tx,
    'SELECT slug, title FROM calendars ORDER BY lower(title)',
  )
  return {
    calendars,
    shared: (await SharedValues.read(tx)).open,
    jobs: rows
      .filter((row) => !row.isFlow)
      .map(({ isFlow: _, definition: __, inputs, ...job }) => ({ ...job, inputs: inputs ?? [] })),
    flows: rows
      .filter((row) => row.isFlow)
      .flatMap(({ slug, id, title, area, active, definition }) => {
        const read = flowDefinitionSchema.safeParse(definition)
        return read.success ? [{ slug, id, title, area, active, definition: read.data }] : []
      }),
  }
}

/** What the actor may start, and so put into a flow; what was in it before may stay, whoever saves it. */
async function startableMaterial(tx: Tx, actor: Actor, before: FlowDefinition | null): Promise<FlowMaterial> {
  const material = await readMaterial(tx)
  const ids = [...material.jobs, ...material.flows].map(({ id }) => id)
  const may = await whereMay(tx, actor, 'operate', 'job', ids)
  const stays = new Set(before?.steps.map((step) => ('job' in step ? step.job : step.flow)) ?? [])
  const isThere = ({ id, slug }: { readonly id: number; readonly slug: string }): boolean =>
    may.has(id) || stays.has(slug)
  return { ...material, jobs: material.jobs.filter(isThere), flows: material.flows.filter(isThere) }
}

/** What is wrong with a flow beyond its shape: steps that lead nowhere or in a circle, work and calendars that are not there, values that do not fit. */
async function definitionFaults(
  tx: Tx,
  actor: Actor,
  slug: string,
  definition: FlowDefinition,
  before: FlowDefinition | null = null,
): Promise<FieldFault[]> {
  const material = await startableMaterial(tx, actor, before)
  const { stored } = await timingState(tx)
  const checked = checkBundle({
    format: FORMAT,
    calendars: stored.map((calendar) => ({ id: calendar.slug, days: calendar.rule })),
    jobs: material.jobs.map((job) => ({ id: job.slug })),
    // First, so that a loop of flows is told of this one.
    flows: [
      bundleFlow(slug, definition),
      ...material.flows.filter((flow) => flow.slug !== slug).map((flow) => bundleFlow(flow.slug, flow.definition)),
    ],
  })
  const faults = (checked.ok ? [] : checked.faults)
    .filter(({ path }) => path.startsWith('flows[0]'))
    .map(({ path, message }) => ({
      path: path.replace(/^flows\[0\]\.?/, 'definition.').replace(/\.$/, ''),
      message: message.replace('in this file', 'here'),
    }))
  const values = stepValueFaults(definition, askedIn(material))
  const shared = await SharedValues.read(tx)
  return [
    ...faults,
    ...shared.faultsOf(definition.inputs),
    ...dayFaultsOf(definition.inputs, await timingState(tx)),
    ...values.map(({ path, message }) => ({ path: `definition.${path}`, message })),
  ]
}

export async function addFlow(actor: Actor, flow: FlowContent): Promise<{ id: number }> {
  return transaction((tx) => insertFlow(tx, actor, flow))
}

/** `slug`: the name that files call it by; made from its title where none is given. */
export async function insertFlow(tx: Tx, actor: Actor, flow: FlowContent, given?: string): Promise<{ id: number }> {
  await requireOn(tx, actor, 'design', 'area', flow.areaId)
  const slug = given ?? (await freeSlug(tx, 'jobs', slugOf(flow.title)))
  refuse(await definitionFaults(tx, actor, slug, flow.definition))
  const { id } = await guardTitle(async () => {
    const made = await db().jobs.create(
      {
        slug,
        title: flow.title,
        notes: flow.notes,
        areaId: flow.areaId,
        active: flow.active,
        isFlow: true,
        savedBy: actor.name,
      },
      { transaction: tx },
    )
    await writeVersion(tx, actor, made.id, 1, flow.definition)
    return made
  }, 'flow')
  await record(tx, actor, 'added', { type: 'flow', id, title: flow.title }, { definition: flow.definition })
  await notify(tx, { jobs: true })
  return { id }
}

/** Saves a change made to the version that was read. If somebody saved in between, both versions are in the answer, and nothing is saved. */
export async function saveFlow(
  actor: Actor,
  id: number,
  flow: z.output<typeof flowSaveSchema>,
): Promise<{ version: number }> {
  return transaction((tx) => saveFlowIn(tx, actor, id, flow))
}

export async function saveFlowIn(
  tx: Tx,
  actor: Actor,
  id: number,
  { version: read, ...flow }: z.output<typeof flowSaveSchema>,
): Promise<{ version: number }> {
  await requireOn(tx, actor, 'design', 'flow', id)
  await requireOn(tx, actor, 'design', 'area', flow.areaId)
  const found = await maybeOne(tx, 'SELECT id FROM jobs WHERE id = $1 AND is_flow AND deleted_at IS NULL FOR UPDATE', [
    id,
  ])
  if (!found) throw notFound('flow', id)
  const current = await readFlow(tx, id)
  if (current.version !== read) {
    throw new Problem(
      'conflict',
      `${current.savedBy} saved this flow while you were changing it. Nothing of yours is lost: compare the two and decide.`,
      [],
      { theirs: current },
    )
  }
  refuse(await definitionFaults(tx, actor, current.slug, flow.definition, current.definition))
  const version = current.version + 1
  await guardTitle(
    () =>
      execute(
        tx,
        'UPDATE jobs SET title = $2, notes = $3, area_id = $4, active = $5, version = $6, saved_by = $7, saved_at = now() WHERE id = $1',
        [id, flow.title, flow.notes, flow.areaId, flow.active, version, actor.name],
      ),
    'flow',
  )
  await writeVersion(tx, actor, id, version, flow.definition)
  const { definition, ...rest } = flow
  await record(
    tx,
    actor,
    'changed',
    { type: 'flow', id, title: flow.title },
    { ...difference(current, rest), ...difference(current.definition, definition) },
  )
  await notify(tx, { jobs: true, place: true })
  return { version }
}

/** Takes the flow off the lists; its runs stay until their time is up. */
export async function removeFlow(actor: Actor, id: number): Promise<void> {
  await removeWork(actor, id, 'flow')
}

/** Which of these day rules have the day: what the gates of a flow would say. */
export async function gatesOn(
  actor: Actor,
  { day, rules }: z.output<typeof gatesSchema>,
): Promise<{ open: boolean[] }> {
  requireSomewhere(actor, 'see')
  const { timings } = await timingState(null)
  const at = parseIsoDay(day) ?? 0
  return { open: rules.map((rule) => timings.daysOf(rule).has(at)) }
}
