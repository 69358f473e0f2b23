import { isTimed } from '@/core/events/kinds'
import { z } from 'zod'
import { CrontabFault, readCrontab, type CrontabIn } from '@/core/exchange/crontab-in'
import { writeCrontab, type CrontabOut, type CrontabRequest } from '@/core/exchange/crontab-out'
import { say } from '@/core/phrase/say'
import { faultsFrom } from '@/core/schema/faults'
import { zoneSchema } from '@/core/timing/rule'
import { jobDefinitionSchema, targetSchema, type JobDefinition } from '@/core/work/job'
import { many, transaction, type Tx } from '@/store/db'
import { requireRight, type Actor } from '@/service/base/actor'
import { bounded } from '@/service/base/budgets'
import { invalid } from '@/service/base/problem'
import { freeSlugs } from '@/service/base/slugs'
import { triggerDefinitionSchema } from '@/core/work/trigger'
import { insertTriggers } from '@/service/timing/triggers'
import { timingState } from '@/service/base/timing-cache'
import { insertJob } from '@/service/work/work'

export const crontabSchema = z.strictObject({
  text: z
    .string()
    .min(1, 'The crontab is empty.')
    .max(1024 * 1024, 'A crontab has at most a million characters. Divide it.'),
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

function readText(text: string, kind: 'user' | 'system'): CrontabIn {
  try {
    return bounded('file', 'text', () => readCrontab(text, kind))
  } catch (error) {
    if (error instanceof CrontabFault) throw invalid('text', error.message)
    throw error
  }
}

/** What a crontab would become, line by line. Nothing is saved. */
export async function previewCrontab(
  actor: Actor,
  { text, kind }: z.output<typeof crontabSchema>,
): Promise<CrontabPreview> {
  requireRight(actor, 'design')
  const read = readText(text, kind)
  return { ...read, says: read.triggers.map(({ cron }) => say({ time: { cron } })) }
}

/** Makes jobs and triggers of a crontab; all or none. */
export async function importCrontab(
  actor: Actor,
  request: z.output<typeof crontabImportSchema>,
): Promise<CrontabIn & { jobIds: number[]; triggerIds: number[] }> {
  requireRight(actor, 'design')
  const read = readText(request.text, request.kind)
  return transaction(async (tx) => {
    const jobs = new Map<string, { id: number; title: string }>()
    const unusedTitle = await unusedTitles(tx, request.areaId)
    const slugs = await freeSlugs(
      tx,
      'jobs',
      read.jobs.map(({ id }) => id),
    )
    for (const [i, { id, title, command, environment }] of read.jobs.entries()) {
      // A crontab ends nothing by itself: nor does what it becomes.
      const raw = {
        action: { kind: 'command', command },
        target: request.target,
        environment,
        timeLimitSeconds: null,
      }
      const parsed = jobDefinitionSchema.safeParse(raw)
      if (!parsed.success)
        throw invalid(
          'text',
          `${title}: ${faultsFrom(parsed.error, raw)
            .map((fault) => fault.message)
            .join(' ')}`,
        )
      const definition = parsed.data
      const freeTitle = unusedTitle(title)
      const content = { title: freeTitle, notes: 'From a crontab.', areaId: request.areaId, active: true, definition }
      jobs.set(id, { id: (await insertJob(tx, actor, content, slugs[i])).id, title: freeTitle })
    }
    const contents = read.triggers.map((trigger) => {
      const job = jobs.get(trigger.job) as { id: number; title: string }
      const definition = triggerDefinitionSchema.parse({
        time: { cron: trigger.cron },
        zone: trigger.zone ?? request.zone,
      })
      return {
        title: job.title,
        notes: `From line ${trigger.line} of a crontab.`,
        jobId: job.id,
        enabled: request.enabled,
        definition,
        sure: true,
      }
    })
    const triggerIds = await insertTriggers(tx, actor, contents)
    return { ...read, jobIds: [...jobs.values()].map((job) => job.id), triggerIds }
  })
}

/** Gives each title once that the area has not, with a number where it has. */
async function unusedTitles(tx: Tx, areaId: number): Promise<(title: string) => string> {
  const rows = await many<{ title: string }>(
    tx,
    'SELECT lower(title) AS title FROM jobs WHERE area_id = $1 AND deleted_at IS NULL',
    [areaId],
  )
  const used = new Set(rows.map((row) => row.title))
  const next = new Map<string, number>()
  return (title) => {
    let free = title
    let n = next.get(title) ?? 2
    for (; used.has(free.toLowerCase()); n++) free = `${title} (${n})`
    next.set(title, n)
    used.add(free.toLowerCase())
    return free
  }
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
  const requests = rows.map(({ title, definition, action, inputs }): CrontabRequest => {
    const read = triggerDefinitionSchema.parse(definition)
    const common = { title, zone: read.zone ?? 'UTC', timing: isTimed(read) ? read : null }
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
  return writeCrontab(requests, (timing) => timings.schedule(timing), Date.now() / 1000)
}
