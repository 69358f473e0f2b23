import { ringOf, ringWords } from '@/core/events/rings'
import type { After } from '@/core/events/kinds'
import type { TriggerDefinition } from '@/core/work/trigger'
import { many, type Tx } from '@/store/db'
import type { Actor } from '@/service/base/actor'
import { levelOn } from '@/service/base/area-rights'
import type { FieldFault } from '@/service/base/problem'

/** What events are about, found by the ids that definitions write. */
export interface Named {
  readonly titles: ReadonlyMap<string, string>
  readonly idOf: (slug: string | undefined) => number | null
}

const namedOf = (rows: readonly { id: number; slug: string; title: string }[]): Named => {
  const ids = new Map(rows.map(({ id, slug }) => [slug, id]))
  return {
    titles: new Map(rows.map(({ slug, title }) => [slug, title])),
    idOf: (slug) => (slug === undefined ? null : (ids.get(slug) ?? null)),
  }
}

export async function namedQueues(tx: Tx | null, slugs: readonly string[]): Promise<Named> {
  if (slugs.length === 0) return namedOf([])
  return namedOf(
    await many(tx, 'SELECT id, slug, title FROM queues WHERE slug = ANY($1) AND deleted_at IS NULL', [slugs]),
  )
}

/** Jobs and flows. */
export async function namedWorks(tx: Tx | null, slugs: readonly string[]): Promise<Named> {
  if (slugs.length === 0) return namedOf([])
  return namedOf(
    await many(tx, 'SELECT id, slug, title FROM jobs WHERE slug = ANY($1) AND deleted_at IS NULL', [slugs]),
  )
}

/** What is wrong with what a definition's event is about: it must be there, and be seen by whoever writes it. */
export async function sourceFaults(
  tx: Tx,
  actor: Actor,
  { backlog, after, measure }: Pick<TriggerDefinition, 'backlog' | 'after' | 'measure'>,
): Promise<FieldFault[]> {
  const isSeen = async (what: 'queue' | 'job', id: number | null): Promise<boolean> =>
    id !== null && (await levelOn(actor, what, id)) !== 'none'
  if (backlog && !(await isSeen('queue', (await namedQueues(tx, [backlog.queue])).idOf(backlog.queue))))
    return [{ path: 'definition.backlog.queue', message: `There is no queue ${backlog.queue}.` }]
  const { queue, job } = measure?.of ?? {}
  if (queue !== undefined && !(await isSeen('queue', (await namedQueues(tx, [queue])).idOf(queue))))
    return [{ path: 'definition.measure.of.queue', message: `There is no queue ${queue}.` }]
  if (job !== undefined && !(await isSeen('job', (await namedWorks(tx, [job])).idOf(job))))
    return [{ path: 'definition.measure.of.job', message: `There is no job ${job}.` }]
  if (!after) return []
  const works = await many<{ id: number }>(tx, 'SELECT id FROM jobs WHERE slug = ANY($1) AND deleted_at IS NULL', [
    [after.work],
  ])
  const path = 'definition.after.work'
  if (works.length > 1)
    return [{ path, message: `${after.work} is both a job and a flow: give one of them another id.` }]
  if (!(await isSeen('job', works[0]?.id ?? null)))
    return [{ path, message: `There is no job and no flow ${after.work}.` }]
  return []
}

/** A trigger as it would be. */
interface Written {
  /** null: it is new. */
  readonly id: number | null
  readonly title: string
  /** What it starts. */
  readonly jobId: number
  readonly after: After | undefined
}

/** Refused is what would make work start itself again, without end: each with the ring in words. */
export async function ringFaults(tx: Tx, written: readonly Written[]): Promise<FieldFault[]> {
  const fresh = written.filter(({ after }) => after !== undefined)
  if (fresh.length === 0) return []
  const works = await namedWorks(
    tx,
    fresh.map(({ after }) => (after as After).work),
  )
  const others = await many<{ from: number; to: number; trigger: string }>(
    tx,
    `SELECT after_job_id AS "from", job_id AS "to", title AS trigger FROM triggers
      WHERE kind = 'after' AND deleted_at IS NULL AND after_job_id IS NOT NULL AND NOT id = ANY($1)`,
    [written.flatMap(({ id }) => id ?? [])],
  )
  const held = await many<{ from: number; to: number }>(
    tx,
    `SELECT DISTINCT j.id AS "from", s.id AS "to" FROM jobs j JOIN job_versions v ON v.job_id = j.id AND v.version = j.version
       CROSS JOIN LATERAL jsonb_array_elements(v.definition->'steps') AS x
       JOIN jobs s ON s.slug = coalesce(x->>'job', x->>'flow') AND s.is_flow = (x ? 'flow') AND s.deleted_at IS NULL WHERE j.is_flow AND j.deleted_at IS NULL`,
  )
  const ring = ringOf([
    ...fresh.map(({ title, jobId, after }) => ({
      from: works.idOf((after as After).work) ?? 0,
      to: jobId,
      trigger: title,
    })),
    ...others,
    ...held.map((each) => ({ ...each, trigger: null })),
  ])
  if (ring === null) return []
  const titles = await many<{ id: number; title: string }>(tx, 'SELECT id, title FROM jobs WHERE id = ANY($1)', [
    ring.map(({ to }) => to),
  ])
  const titleOf = (of: number): string => titles.find(({ id }) => id === of)?.title ?? `${of}`
  return [
    {
      path: 'definition.after.work',
      message: `This would start itself again without end: ${ringWords(ring, titleOf)}.`,
    },
  ]
}
