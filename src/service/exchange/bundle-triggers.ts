import { isFromCall } from '@/core/events/kinds'
import type { BundleTrigger } from '@/core/bundle/schema'
import { triggerDefinitionSchema, type TriggerDefinition } from '@/core/work/trigger'
import type { Actor } from '@/service/base/actor'
import { insertTriggers, saveTriggerIn } from '@/service/timing/triggers'
import { many, type Tx } from '@/store/db'
import { sameJson, type ImportLine } from './bundle-parts'

export interface TriggerIn {
  readonly slug: string
  readonly title: string
  readonly notes: string
  readonly start: { readonly slug: string; readonly isFlow: boolean }
  readonly enabled: boolean
  readonly definition: TriggerDefinition
}

export function triggerIn(
  { id, title, notes, start, enabled, with: values, ...timing }: BundleTrigger,
  zone: string,
): TriggerIn {
  const given = Object.fromEntries(
    Object.entries(values ?? {}).map(([name, value]) => [
      name,
      typeof value === 'boolean' ? (value ? 'yes' : 'no') : isFromCall(value) ? value : String(value),
    ]),
  )
  const definition = triggerDefinitionSchema.parse({ ...timing, zone: timing.zone ?? zone, with: given })
  return { slug: id, title: title ?? id, notes: notes ?? '', start: startOf(start), enabled, definition }
}

const startOf = (start: BundleTrigger['start']): TriggerIn['start'] =>
  'job' in start ? { slug: start.job, isFlow: false } : { slug: start.flow, isFlow: true }

export async function importTriggers(
  tx: Tx,
  actor: Actor,
  triggers: readonly TriggerIn[],
  lines: ImportLine[],
): Promise<void> {
  const jobIds = new Map(
    (
      await many<{ id: number; slug: string; isFlow: boolean }>(
        tx,
        'SELECT id, slug, is_flow AS "isFlow" FROM jobs WHERE deleted_at IS NULL',
      )
    ).map((row) => [`${row.isFlow} ${row.slug}`, row.id]),
  )
  const present = await many<{
    slug: string
    id: number
    version: number
    title: string
    notes: string
    jobId: number
    enabled: boolean
    definition: unknown
  }>(
    tx,
    `SELECT slug, id, version, title, notes, job_id AS "jobId", enabled, definition FROM triggers WHERE slug = ANY($1) AND deleted_at IS NULL`,
    [triggers.map(({ slug }) => slug)],
  )
  const known = new Map(present.map(({ slug, ...row }) => [slug, row]))
  const added: Parameters<typeof insertTriggers>[2][number][] = []
  for (const { slug, start, ...trigger } of triggers) {
    const jobId = Number(jobIds.get(`${start.isFlow} ${start.slug}`))
    const content = { ...trigger, jobId, sure: true }
    const found = known.get(slug)
    if (!found) {
      added.push({ slug, ...content })
      lines.push({ kind: 'trigger', id: slug, what: 'added' })
      continue
    }
    const { id, version, ...before } = found
    const { sure: _, ...after } = content
    const isSame = sameJson({ ...before, definition: triggerDefinitionSchema.parse(before.definition) }, after)
    if (!isSame) await saveTriggerIn(tx, actor, id, { ...content, version })
    lines.push({ kind: 'trigger', id: slug, what: isSame ? 'same' : 'changed' })
  }
  await insertTriggers(tx, actor, added)
}
