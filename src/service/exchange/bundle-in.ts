import { checkBundle } from '@/core/bundle/check'
import type { Bundle, BundleJob, BundleTrigger } from '@/core/bundle/schema'
import type { Fault } from '@/core/schema/faults'
import { parseDuration } from '@/core/timing/duration'
import { CONNECTION_KINDS, isConnection } from '@/core/work/connections'
import { jobDefinitionSchema, type JobDefinition } from '@/core/work/job'
import { faultsFrom } from '@/core/schema/faults'
import { many, maybeOne, transaction, type Tx } from '@/store/db'
import { requireRight, type Actor } from '@/service/base/actor'
import { inputsIn } from '@/core/bundle/inputs-in'
import { flowIn, importFlows, type FlowIn } from './bundle-flows'
import { areaFor, atPlace, DEFAULT_AREA, sameJson, type ImportLine } from './bundle-parts'
import { changing, insertCalendar, readCalendar, saveCalendarIn } from '@/service/timing/calendars'
import { addPoolIn } from '@/service/fleet/fleet'
import { addLockIn, changeLockIn } from '@/service/fleet/locks'
import { Problem } from '@/service/base/problem'
import { triggerDefinitionSchema, type TriggerDefinition } from '@/core/work/trigger'
import { insertTriggers, saveTriggerIn } from '@/service/timing/triggers'
import { insertJob, saveJobIn } from '@/service/work/work'

class DryRun extends Error {}

/**
 * Brings a bundle in: what is new is added, what is there is changed to what the file says, by id; nothing is removed. All or nothing. `dryRun`: everything is
 * tried and nothing kept.
 */
export async function importBundle(actor: Actor, raw: unknown, dryRun: boolean): Promise<{ lines: ImportLine[] }> {
  requireRight(actor, 'design')
  // What steps give to their work is looked at where a flow is saved: one that is there already as the file has it is left as it is.
  const checked = checkBundle(raw)
  if (!checked.ok) refuseFile(checked.faults)
  const { bundle } = checked as { bundle: Bundle }
  const faults: Fault[] = []
  const jobs = bundle.jobs.map((job, i) => jobIn(job, `jobs[${i}]`, faults))
  const flows = bundle.flows.map((flow, i) => flowIn(flow, `flows[${i}]`, faults))
  const triggers = bundle.triggers.map((trigger) => triggerIn(trigger, bundle.zone))
  refuseFile(faults)
  const lines: ImportLine[] = []
  try {
    await transaction(async (tx) => {
      lines.length = 0
      await importCalendars(tx, actor, bundle, lines)
      await importPools(tx, actor, bundle, lines)
      await importLocks(tx, actor, bundle, lines)
      await importJobs(tx, actor, jobs as JobIn[], lines)
      await importFlows(tx, actor, flows as FlowIn[], lines)
      await importTriggers(tx, actor, triggers, lines)
      if (dryRun) throw new DryRun()
    })
  } catch (error) {
    if (!(error instanceof DryRun)) throw error
  }
  return { lines }
}

function refuseFile(faults: readonly Fault[]): void {
  if (faults.length === 0) return
  throw new Problem(
    'invalid-input',
    faults
      .slice(0, 20)
      .map(({ path, message }) => (path ? `${path}: ${message}` : message))
      .join('\n'),
    faults,
  )
}

interface JobIn {
  readonly slug: string
  readonly title: string
  readonly notes: string
  readonly area: string
  readonly active: boolean
  readonly definition: JobDefinition
}

function jobIn(job: BundleJob, path: string, faults: Fault[]): JobIn | null {
  const before = faults.length
  const need = (key: 'command' | 'script' | 'interpreter' | 'wait'): void => {
    if (job[key] === undefined)
      faults.push({ path, message: `The key ${key} is missing: a job of the kind ${job.kind} needs it.` })
  }
  const seconds = (text: string | undefined): number | undefined =>
    text === undefined ? undefined : parseDuration(text)
  let action: unknown
  if (job.kind === 'command') {
    need('command')
    action = { kind: 'command', command: job.command }
  } else if (job.kind === 'script') {
    need('script')
    need('interpreter')
    action = { kind: 'script', interpreter: job.interpreter, script: job.script }
  } else if (job.kind === 'wait') {
    need('wait')
    const length = seconds(job.wait)
    action = { kind: 'wait', minutes: length === undefined ? job.wait : length / 60 }
  } else if (job.kind === undefined)
    faults.push({ path, message: `The key kind is missing: command, script, wait, ${CONNECTION_KINDS.join(', ')}.` })
  else action = { ...job.with, kind: job.kind }
  const target =
    job.pool !== undefined
      ? { pool: job.pool }
      : job.agent !== undefined
        ? { agent: job.agent }
        : job.labels !== undefined
          ? { labels: job.labels }
          : null
  if (target === null) faults.push({ path, message: 'A job needs one of the keys pool, agent, labels.' })
  if (faults.length > before) return null
  const raw = {
    action,
    target,
    account: job.account ?? null,
    locks: job.locks,
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
  return {
    slug: job.id,
    title: job.title ?? job.id,
    notes: job.notes ?? '',
    area: job.area ?? DEFAULT_AREA,
    active: job.active,
    definition: parsed.data,
  }
}

interface TriggerIn {
  readonly slug: string
  readonly title: string
  readonly notes: string
  readonly start: { readonly slug: string; readonly isFlow: boolean }
  readonly enabled: boolean
  readonly definition: TriggerDefinition
}

function triggerIn(
  { id, title, notes, start, enabled, with: values, ...timing }: BundleTrigger,
  zone: string,
): TriggerIn {
  const given = Object.fromEntries(
    Object.entries(values ?? {}).map(([name, value]) => [
      name,
      typeof value === 'boolean' ? (value ? 'yes' : 'no') : String(value),
    ]),
  )
  const definition = triggerDefinitionSchema.parse({ ...timing, zone: timing.zone ?? zone, with: given })
  return { slug: id, title: title ?? id, notes: notes ?? '', start: startOf(start), enabled, definition }
}

const startOf = (start: BundleTrigger['start']): TriggerIn['start'] =>
  'job' in start ? { slug: start.job, isFlow: false } : { slug: start.flow, isFlow: true }

async function importCalendars(tx: Tx, actor: Actor, bundle: Bundle, lines: ImportLine[]): Promise<void> {
  await changing(tx)
  const present = new Map(
    (await many<{ id: number; slug: string }>(tx, 'SELECT id, slug FROM calendars')).map((row) => [row.slug, row.id]),
  )
  for (const calendar of inOrder(bundle)) {
    const id = present.get(calendar.id)
    const content = { title: calendar.title ?? calendar.id, notes: calendar.notes ?? '', rule: calendar.days }
    if (id === undefined) {
      await insertCalendar(tx, actor, { slug: calendar.id, ...content })
      lines.push({ kind: 'calendar', id: calendar.id, what: 'added' })
      continue
    }
    const current = await readCalendar(tx, id)
    const isSame =
      current.title === content.title && current.notes === content.notes && sameJson(current.rule, content.rule)
    if (!isSame) await saveCalendarIn(tx, actor, id, { ...content, version: current.version })
    lines.push({ kind: 'calendar', id: calendar.id, what: isSame ? 'same' : 'changed' })
  }
}

/** Calendars so that each comes after those that it refers to. */
function inOrder(bundle: Bundle): Bundle['calendars'] {
  const byId = new Map(bundle.calendars.map((calendar) => [calendar.id, calendar]))
  const done = new Set<string>()
  const out: Bundle['calendars'] = []
  const visit = (calendar: Bundle['calendars'][number]): void => {
    if (done.has(calendar.id)) return
    done.add(calendar.id)
    for (const [, id] of JSON.stringify(calendar.days).matchAll(/"calendar":"([a-z0-9-]+)"/g)) {
      const other = byId.get(id as string)
      if (other) visit(other)
    }
    out.push(calendar)
  }
  bundle.calendars.forEach(visit)
  return out
}

async function importPools(tx: Tx, actor: Actor, bundle: Bundle, lines: ImportLine[]): Promise<void> {
  for (const pool of bundle.pools) {
    const known = await maybeOne(tx, 'SELECT 1 AS one FROM pools WHERE name = $1', [pool.id])
    if (!known) await addPoolIn(tx, actor, { name: pool.id, title: pool.title ?? pool.id })
    lines.push({ kind: 'pool', id: pool.id, what: known ? 'same' : 'added' })
  }
}

async function importLocks(tx: Tx, actor: Actor, bundle: Bundle, lines: ImportLine[]): Promise<void> {
  for (const { id: name, title = name, units } of bundle.locks) {
    const known = await maybeOne<{ id: number; title: string; units: number }>(
      tx,
      'SELECT id, title, units FROM locks WHERE name = $1',
      [name],
    )
    const isSame = known?.title === title && known.units === units
    if (!known) await addLockIn(tx, actor, { name, title, units })
    else if (!isSame) await changeLockIn(tx, actor, known.id, { title, units })
    lines.push({ kind: 'lock', id: name, what: !known ? 'added' : isSame ? 'same' : 'changed' })
  }
}

async function importJobs(tx: Tx, actor: Actor, jobs: readonly JobIn[], lines: ImportLine[]): Promise<void> {
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

async function importTriggers(
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
