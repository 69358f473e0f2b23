import { z } from 'zod'
import { readCrontab, type CrontabIn } from '@/core/exchange/crontab-in'
import { writeCrontab, type CrontabOut, type CrontabWish } from '@/core/exchange/crontab-out'
import { say } from '@/core/phrase/say'
import { zoneSchema } from '@/core/timing/rule'
import { jobDefinitionSchema, targetSchema, type JobDefinition } from '@/core/work/job'
import { many, transaction, type Tx } from '@/store/db'
import { requireRight, type Actor } from './actor'
import { freeSlug } from './trigger-check'
import { triggerDefinitionSchema } from '@/core/work/trigger'
import { insertTriggers } from './triggers'
import { timingState } from './timing-cache'
import { insertJob } from './work'

export const crontabSchema = z.strictObject({
  text: z
    .string()
    .min(1, 'The crontab is empty.')
    .max(1024 * 1024),
  kind: z.enum(['user', 'system']).default('user'),
})
export const crontabImportSchema = crontabSchema.extend({
  areaId: z.int().positive('Choose an area.'),
  target: targetSchema,
  /** Of times that the crontab gives no zone. */
  zone: zoneSchema,
  /** Switched on at once; else they are looked at first. */
  enabled: z.boolean().default(false),
})

export interface CrontabPreview extends CrontabIn {
  /** For each trigger, its times in a sentence. */
  readonly says: readonly string[]
}

/** What a crontab would become, line by line. Nothing is saved. */
export async function previewCrontab(
  actor: Actor,
  { text, kind }: z.output<typeof crontabSchema>,
): Promise<CrontabPreview> {
  requireRight(actor, 'design')
  const read = readCrontab(text, kind)
  return { ...read, says: read.triggers.map(({ cron }) => say({ time: { cron } })) }
}

/** Makes jobs and triggers of a crontab; all or none. */
export async function importCrontab(
  actor: Actor,
  wish: z.output<typeof crontabImportSchema>,
): Promise<CrontabIn & { jobIds: number[]; triggerIds: number[] }> {
  requireRight(actor, 'design')
  const read = readCrontab(wish.text, wish.kind)
  return transaction(async (tx) => {
    const jobs = new Map<string, { id: number; title: string }>()
    for (const { id, title, command, environment } of read.jobs) {
      const definition = jobDefinitionSchema.parse({
        action: { kind: 'command', command },
        target: wish.target,
        environment,
      })
      const freeTitle = await unusedTitle(tx, wish.areaId, title)
      const content = { title: freeTitle, notes: 'From a crontab.', areaId: wish.areaId, active: true, definition }
      jobs.set(id, { id: (await insertJob(tx, actor, content, await freeSlug(tx, 'jobs', id))).id, title: freeTitle })
    }
    const contents = read.triggers.map((trigger) => {
      const job = jobs.get(trigger.job) as { id: number; title: string }
      const definition = triggerDefinitionSchema.parse({
        time: { cron: trigger.cron },
        zone: trigger.zone ?? wish.zone,
      })
      return {
        title: job.title,
        notes: `From line ${trigger.line} of a crontab.`,
        jobId: job.id,
        enabled: wish.enabled,
        definition,
        sure: true,
      }
    })
    const triggerIds = await insertTriggers(tx, actor, contents)
    return { ...read, jobIds: [...jobs.values()].map((job) => job.id), triggerIds }
  })
}

async function unusedTitle(tx: Tx, areaId: number, title: string): Promise<string> {
  const rows = await many<{ title: string }>(
    tx,
    'SELECT lower(title) AS title FROM jobs WHERE area_id = $1 AND deleted_at IS NULL',
    [areaId],
  )
  const used = new Set(rows.map((row) => row.title))
  let free = title
  for (let n = 2; used.has(free.toLowerCase()); n++) free = `${title} (${n})`
  return free
}

/** The triggers that are switched on as a crontab, as far as a crontab line says them exactly. */
export async function exportCrontab(actor: Actor): Promise<CrontabOut> {
  requireRight(actor, 'see')
  const { timings } = await timingState(null)
  const rows = await many<{
    title: string
    definition: unknown
    action: JobDefinition['action'] | null
    inputs: unknown[]
  }>(
    null,
    `SELECT t.title, t.definition, v.definition->'action' AS action, v.definition->'inputs' AS inputs FROM triggers t JOIN jobs j ON j.id = t.job_id
       JOIN job_versions v ON v.job_id = j.id AND v.version = j.version WHERE t.enabled AND t.deleted_at IS NULL ORDER BY lower(t.title)`,
  )
  const wishes = rows.map(({ title, definition, action, inputs }): CrontabWish => {
    const { zone = 'UTC', ...timing } = triggerDefinitionSchema.parse(definition)
    const common = { title, zone, timing }
    if (action === null) return { ...common, command: null, why: 'What it starts is a flow.' }
    if (action.kind !== 'command')
      return {
        ...common,
        command: null,
        why: action.kind === 'script' ? 'What it starts is a script.' : 'What it starts only waits.',
      }
    if (inputs.length > 0) return { ...common, command: null, why: 'What it starts has inputs.' }
    return { ...common, command: action.command }
  })
  return writeCrontab(wishes, (timing) => timings.schedule(timing), Date.now() / 1000)
}
