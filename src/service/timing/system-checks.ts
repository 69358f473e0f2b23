import { z } from 'zod'
import { jobDefinitionSchema } from '@/core/work/job'
import { triggerDefinitionSchema } from '@/core/work/trigger'
import { transaction } from '@/store/db'
import { config } from '@/store/config'
import { requireSomewhere, type Actor } from '@/service/base/actor'
import { invalid, Problem } from '@/service/base/problem'
import { readSystem } from '@/service/work/systems'
import { insertJob } from '@/service/work/work'
import { insertTriggers } from './triggers'

export const systemCheckSchema = z.strictObject({
  areaId: z.int().positive('Choose an area.'),
  by: z.enum(['tcp', 'http', 'ping']),
  /** Of an HTTP check: the path that is asked for. */
  path: z
    .string()
    .max(2000)
    .regex(/^\/[^\s]*$/, 'A path begins with “/”.')
    .default('/'),
  /** null: only when somebody asks. */
  everyMinutes: z.int().min(1, 'From 1 to 1440 minutes.').max(1440, 'From 1 to 1440 minutes.').nullable().default(null),
})

/**
 * A reach check of a system: a job like any other, done on it from the agents of its pool, and a trigger where it is to be looked at by itself. What fails opens a matter, as every job does;
 * how the checks ended is what the system's state says first.
 */
export async function addSystemCheck(
  actor: Actor,
  id: number,
  { areaId, by, path, everyMinutes }: z.output<typeof systemCheckSchema>,
): Promise<{ jobId: number; triggerId: number | null }> {
  requireSomewhere(actor, 'design')
  return transaction(async (tx) => {
    const system = await readSystem(tx, id)
    if (system.pool === null)
      throw new Problem('not-now', 'The system names no pool whose agents reach it: say that first.')
    if (system.host === null) throw new Problem('not-now', 'The system says no address yet: say that first.')
    if (by === 'tcp' && system.port === null)
      throw invalid('by', 'The system says no port: look whether it answers at all.')
    const title = `Reach ${system.title}`
    const host =
      by === 'http' ? `http://${system.host.includes(':') ? `[${system.host}]` : system.host}${path}` : system.host
    const definition = jobDefinitionSchema.safeParse({
      action: { kind: 'reach', by, host, port: by === 'tcp' ? system.port : null },
      target: { pool: system.pool },
      system: system.slug,
      timeLimitSeconds: 60,
    })
    if (!definition.success) throw invalid('path', definition.error.issues.map(({ message }) => message).join(' '))
    const job = await insertJob(tx, actor, {
      title,
      notes: '',
      areaId,
      active: true,
      definition: definition.data,
    }).catch((error: unknown) => {
      // Its title is not asked for here.
      throw error instanceof Problem && error.errors.some((fault) => fault.path === 'title')
        ? invalid('areaId', `There is a job called ${title} in this area already.`)
        : error
    })
    if (everyMinutes === null) return { jobId: job.id, triggerId: null }
    const trigger = {
      title,
      notes: '',
      jobId: job.id,
      enabled: true,
      sure: true,
      definition: triggerDefinitionSchema.parse({
        time: { every: { step: `PT${everyMinutes}M` } },
        zone: config().zone,
        overlap: 'skip',
      }),
    }
    const [triggerId] = await insertTriggers(tx, actor, [trigger])
    return { jobId: job.id, triggerId: triggerId as number }
  })
}
