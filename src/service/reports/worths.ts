import { z } from 'zod'
import { madeSchema, worthTermSchema, type Made, type WorthBook, type WorthTerm } from '@/core/reports/worth-terms'
import { execute, many, maybeOne, transaction } from '@/store/db'
import { requireSomewhere, type Actor } from '@/service/base/actor'
import { requireOn } from '@/service/base/area-rights'
import { difference, record } from '@/service/base/audit'
import { notFound } from '@/service/base/problem'

export const worthSchema = z.strictObject({
  terms: z
    .array(worthTermSchema)
    .max(50)
    .refine((terms) => new Set(terms.map(({ since }) => since)).size === terms.length, 'Two begin on the same day.'),
  made: madeSchema.nullable().default(null),
})
export const areaWorthSchema = worthSchema.omit({ made: true })

export interface WorthRow {
  readonly what: 'job' | 'area'
  readonly id: number
  readonly title: string
  readonly area: string
  readonly isFlow: boolean
  readonly terms: readonly WorthTerm[]
  readonly made: Made | null
  readonly savedBy: string | null
}

/** Areas and all work in them, with what is said of each; nothing is said of most. */
export async function listWorths(actor: Actor): Promise<WorthRow[]> {
  requireSomewhere(actor, 'see')
  return many<WorthRow>(
    null,
    `SELECT 'area' AS what, a.id, a.title, a.path AS area, false AS "isFlow", coalesce(w.terms, '[]') AS terms, NULL::jsonb AS made, w.saved_by AS "savedBy", lower(a.path) AS by1, '' AS by2
       FROM areas a LEFT JOIN worths w ON w.area_id = a.id WHERE a.deleted_at IS NULL
     UNION ALL
     SELECT 'job', j.id, j.title, a.path, j.is_flow, coalesce(w.terms, '[]'), w.made, w.saved_by, lower(a.path), lower(j.title)
       FROM jobs j JOIN areas a ON a.id = j.area_id LEFT JOIN worths w ON w.job_id = j.id WHERE j.deleted_at IS NULL
      ORDER BY by1, by2`,
  )
}

/** Of a job or flow. Nothing said, and nothing made: nothing is kept. */
export const saveJobWorth = (actor: Actor, jobId: number, said: z.output<typeof worthSchema>): Promise<void> =>
  save(actor, 'job', jobId, said)

export const saveAreaWorth = (actor: Actor, areaId: number, said: z.output<typeof areaWorthSchema>): Promise<void> =>
  save(actor, 'area', areaId, { ...said, made: null })

async function save(actor: Actor, what: 'job' | 'area', id: number, said: z.output<typeof worthSchema>): Promise<void> {
  requireSomewhere(actor, 'design')
  await transaction(async (tx) => {
    await requireOn(tx, actor, 'design', what, id)
    const of = await maybeOne<{ title: string }>(
      tx,
      `SELECT title FROM ${what === 'job' ? 'jobs' : 'areas'} WHERE id = $1 AND deleted_at IS NULL FOR UPDATE`,
      [id],
    )
    if (!of) throw notFound(what, id)
    const column = what === 'job' ? 'job_id' : 'area_id'
    const before = await maybeOne<{ terms: unknown; made: unknown }>(
      tx,
      `SELECT terms, made FROM worths WHERE ${column} = $1`,
      [id],
    )
    if (said.terms.length === 0 && said.made === null)
      await execute(tx, `DELETE FROM worths WHERE ${column} = $1`, [id])
    else
      await execute(
        tx,
        `INSERT INTO worths (${column}, terms, made, saved_by) VALUES ($1, $2, $3, $4)
         ON CONFLICT (${column}) DO UPDATE SET terms = excluded.terms, made = excluded.made, saved_by = excluded.saved_by, saved_at = now()`,
        [id, JSON.stringify(said.terms), said.made && JSON.stringify(said.made), actor.name],
      )
    await record(
      tx,
      actor,
      'changed',
      { type: what, id, title: of.title },
      { worth: difference(before ?? { terms: [], made: null }, said) },
    )
  })
}

/** All that is said of work, to be looked up while runs are read. */
export async function worthBook(): Promise<WorthBook> {
  const [worths, jobs, areas] = await Promise.all([
    many<{ jobId: number | null; areaId: number | null; terms: WorthTerm[]; made: Made | null }>(
      null,
      'SELECT job_id AS "jobId", area_id AS "areaId", terms, made FROM worths',
    ),
    many<{ id: number; areaId: number; isFlow: boolean; savedBy: string }>(
      null,
      'SELECT id, area_id AS "areaId", is_flow AS "isFlow", saved_by AS "savedBy" FROM jobs',
    ),
    many<{ id: number; parentId: number | null }>(null, 'SELECT id, parent_id AS "parentId" FROM areas'),
  ])
  const own = new Map(worths.flatMap(({ jobId, terms, made }) => (jobId === null ? [] : [[jobId, { terms, made }]])))
  const ofAreas = new Map(worths.flatMap(({ areaId, terms }) => (areaId === null ? [] : [[areaId, terms]])))
  const parents = new Map(areas.map(({ id, parentId }) => [id, parentId]))
  const around = (areaId: number): WorthTerm[][] => {
    const out: WorthTerm[][] = []
    for (let at: number | null | undefined = areaId; at !== null && at !== undefined; at = parents.get(at))
      out.push(ofAreas.get(at) ?? [])
    return out
  }
  const byId = new Map(jobs.map((job) => [job.id, job]))
  return {
    saidOf: (id) => {
      const job = byId.get(id)
      // What an area says is meant for each piece of work in it: a flow would count beside its own steps.
      return [own.get(id)?.terms ?? [], ...(job && !job.isFlow ? around(job.areaId) : [])]
    },
    hasOwn: (id) => own.get(id)?.terms.some(({ minutes }) => minutes !== null) ?? false,
    madeOf: (id) => own.get(id)?.made ?? null,
    byOf: (id) => byId.get(id)?.savedBy ?? '',
  }
}
