import { z } from 'zod'
import { jobDefinitionSchema, slugSchema } from '@/core/work/job'
import { systemsFound, type SystemFound } from '@/core/work/systems-found'
import { onSystem, systemSaysSchema } from '@/core/work/systems'
import { titleSchema } from '@/core/schema/text'
import { many, transaction } from '@/store/db'
import { requireRight, type Actor } from '@/service/base/actor'
import { invalid } from '@/service/base/problem'
import { addSystemIn } from './systems'
import { saveJobIn, type JobFull } from './work'

/** Systems that could be made of what jobs reach that name none, without a change of what they do. */
export async function proposeSystems(actor: Actor): Promise<SystemFound[]> {
  requireRight(actor, 'administer')
  const jobs = await many<{ id: number; title: string; definition: unknown }>(
    null,
    `SELECT j.id, j.title, v.definition FROM jobs j JOIN job_versions v ON v.job_id = j.id AND v.version = j.version
      WHERE j.deleted_at IS NULL AND NOT j.is_flow AND j.system_id IS NULL AND v.definition->'action'->>'kind' IN ('sql','ssh','transfer','http','ticket','mail') ORDER BY j.id`,
  )
  const taken = await many<{ slug: string }>(null, 'SELECT slug FROM systems')
  return systemsFound(
    // One that is broken reaches nothing, and keeps no other from it.
    jobs.flatMap(({ definition, ...job }) => {
      const parsed = jobDefinitionSchema.safeParse(definition)
      return parsed.success ? [{ ...job, definition: parsed.data }] : []
    }),
    taken.map(({ slug }) => slug),
  )
}

export const systemsOfJobsSchema = z.strictObject({
  systems: z
    .array(
      systemSaysSchema.extend({
        name: slugSchema,
        title: titleSchema('A system needs a title.', 120),
        jobs: z.array(z.int().positive()).min(1).max(5000),
      }),
    )
    .min(1, 'Choose at least one.')
    .max(500),
})

/** Makes these systems and moves these jobs to them, all or nothing. A job that does something else by now than when it was looked at is refused. */
export async function makeSystems(
  actor: Actor,
  { systems }: z.output<typeof systemsOfJobsSchema>,
): Promise<{ systems: number; jobs: number }> {
  requireRight(actor, 'administer')
  return transaction(async (tx) => {
    let moved = 0
    for (const [i, { name, title, jobs, ...says }] of systems.entries()) {
      const { slug } = await addSystemIn(tx, actor, { ...says, title, notes: '', on: [] }, name)
      const rows = await many<JobFull>(
        tx,
        `SELECT j.id, j.title, j.notes, j.area_id AS "areaId", j.active, j.version, v.definition FROM jobs j JOIN job_versions v ON v.job_id = j.id AND v.version = j.version
          WHERE j.id = ANY($1) AND NOT j.is_flow AND j.deleted_at IS NULL AND j.system_id IS NULL ORDER BY j.id`,
        [jobs],
      )
      if (rows.length < new Set(jobs).size)
        throw invalid(
          `systems[${i}].jobs`,
          `A job of ${title} is not there any more, or is done on another system by now: look again.`,
        )
      for (const { id, definition: raw, ...job } of rows) {
        const definition = { ...jobDefinitionSchema.parse(raw), system: slug }
        if (JSON.stringify(onSystem(definition, says)) !== JSON.stringify(definition))
          throw invalid(`systems[${i}].jobs`, `${job.title} reaches something else by now: look again.`)
        const { title, notes, areaId, active, version } = job
        await saveJobIn(tx, actor, id, { title, notes, areaId, active, version, definition })
        moved++
      }
    }
    return { systems: systems.length, jobs: moved }
  })
}
