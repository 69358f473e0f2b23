import { TARGETS } from '@/core/bundle/check'
import { inputsIn } from '@/core/bundle/inputs-in'
import type { BundleJob } from '@/core/bundle/schema'
import { faultsFrom, type Fault } from '@/core/schema/faults'
import { parseDuration } from '@/core/timing/duration'
import { CONNECTION_KINDS, isConnection } from '@/core/work/connections'
import { jobDefinitionSchema, type JobDefinition } from '@/core/work/job'
import type { Actor } from '@/service/base/actor'
import { insertJob, saveJobIn } from '@/service/work/work'
import { maybeOne, type Tx } from '@/store/db'
import { areaFor } from './bundle-people'
import { atPlace, filedWork, sameJson, type FiledWork, type ImportLine } from './bundle-parts'

export type JobIn = FiledWork<JobDefinition>

const seconds = (text: string | undefined): number | undefined => (text === undefined ? undefined : parseDuration(text))

/** What a job does, still to be checked by the schema of jobs; a key that its kind needs and that is missing is a fault. */
function actionOf(job: BundleJob, path: string, faults: Fault[]): unknown {
  const need = (...keys: ('command' | 'script' | 'interpreter' | 'wait')[]): void => {
    for (const key of keys)
      if (job[key] === undefined)
        faults.push({ path, message: `The key ${key} is missing: a job of the kind ${job.kind} needs it.` })
  }
  switch (job.kind) {
    case undefined:
      faults.push({ path, message: `The key kind is missing: command, script, wait, ${CONNECTION_KINDS.join(', ')}.` })
      return undefined
    case 'command':
      need('command')
      return { kind: 'command', command: job.command }
    case 'script':
      need('script', 'interpreter')
      return { kind: 'script', interpreter: job.interpreter, script: job.script }
    case 'wait': {
      need('wait')
      const length = seconds(job.wait)
      return { kind: 'wait', minutes: length === undefined ? job.wait : length / 60 }
    }
    default:
      return { ...job.with, kind: job.kind }
  }
}

function targetOf(job: BundleJob): object | null {
  const key = TARGETS.find((each) => job[each] !== undefined)
  return key === undefined ? null : { [key]: job[key] }
}

/** A job of a file as it is stored; null: it has faults, which are added. */
export function jobIn(job: BundleJob, path: string, faults: Fault[]): JobIn | null {
  const before = faults.length
  const action = actionOf(job, path, faults)
  const target = targetOf(job)
  if (target === null) faults.push({ path, message: `A job needs one of the keys ${TARGETS.join(', ')}.` })
  if (faults.length > before) return null
  const raw = {
    action,
    target,
    account: job.account ?? null,
    system: job.system ?? null,
    locks: job.locks,
    ...(job.queues ? { queues: job.queues } : {}),
    slots: job.slots,
    minVersion: job.minVersion ?? null,
    environment: job.environment ?? {},
    folder: job.folder ?? null,
    mayLeave: job.mayLeave ?? false,
    inputs: inputsIn(job.inputs),
    timeLimitSeconds: seconds(job.timeout) ?? null,
    retries: job.retry?.times ?? 0,
    retryDelaySeconds: seconds(job.retry?.delay) ?? 30,
    ...(job.success ? { success: job.success } : {}),
    ...(job.unreachable
      ? {
          unreachable: {
            everySeconds: seconds(job.unreachable.every),
            times: job.unreachable.times,
            then: job.unreachable.then,
          },
        }
      : {}),
    ...(job.askFor || job.ifNobody ? { asking: { forSeconds: seconds(job.askFor), ifNobody: job.ifNobody } } : {}),
    watches: job.watches ?? null,
    priority: job.priority ?? 'normal',
    ...(job.keeping ? { keeping: job.keeping } : {}),
  }
  const parsed = jobDefinitionSchema.safeParse(raw)
  if (!parsed.success) {
    for (const fault of faultsFrom(parsed.error, raw))
      faults.push({
        path: `${path}.${isConnection(raw.action as { kind: string }) ? fault.path.replace(/^action\./, 'with.') : fault.path}`,
        message: fault.message,
      })
    return null
  }
  return filedWork(job, parsed.data)
}

export async function importJobs(tx: Tx, actor: Actor, jobs: readonly JobIn[], lines: ImportLine[]): Promise<void> {
  const areas = new Map<string, number>()
  for (const [place, { slug, area, ...job }] of jobs.entries()) {
    const areaId = await areaFor(tx, actor, areas, area)
    const known = await maybeOne<{
      id: number
      version: number
      title: string
      notes: string
      areaId: number
      active: boolean
      definition: unknown
    }>(
      tx,
      `SELECT j.id, j.version, j.title, j.notes, j.area_id AS "areaId", j.active, v.definition FROM jobs j
         JOIN job_versions v ON v.job_id = j.id AND v.version = j.version WHERE j.slug = $1 AND NOT j.is_flow AND j.deleted_at IS NULL`,
      [slug],
    )
    const what = await atPlace(`jobs[${place}]`, async () => {
      if (!known) {
        await insertJob(tx, actor, { ...job, areaId }, slug)
        return 'added'
      }
      const { id, version, ...before } = known
      const definition = jobDefinitionSchema.parse(before.definition)
      if (sameJson({ ...before, definition }, { ...job, areaId })) return 'same'
      await saveJobIn(tx, actor, id, { ...job, areaId, version })
      return 'changed'
    })
    lines.push({ kind: 'job', id: slug, what })
  }
}
