import { FORMAT, type BundleSystem, type bundleSchema } from '@/core/bundle/schema'
import type { z } from 'zod'
import { isoDuration } from '@/core/timing/duration'
import { isConnection } from '@/core/work/connections'
import { jobDefinitionSchema, type JobDefinition } from '@/core/work/job'
import { config } from '@/store/config'
import { many } from '@/store/db'
import { requireSomewhere, type Actor } from '@/service/base/actor'
import { flowsOut, inputsOut } from './bundle-flows'
import { areasOut, groupsOut } from './bundle-people'
import { queuesOut } from './bundle-queues'
import { readSystems, systemOut } from './bundle-systems'
import { saidElsewhere } from '@/core/bundle/on-system'
import { viewsOut } from './bundle-views'
import { reportsOut } from './bundle-reports'
import { robotsOut } from './bundle-robots'
import { readableOf, workOut, type OnBad, type FiledWork } from './bundle-parts'
import { timingState } from '@/service/base/timing-cache'
import type { TriggerDefinition } from '@/core/work/trigger'

export type BundleFile = z.input<typeof bundleSchema>

const refuse: OnBad = (_, error) => {
  throw error
}

/** All definitions as a bundle, with robots, areas, groups and who is a member of what. */
export async function exportBundle(actor: Actor): Promise<BundleFile> {
  const definitions = await definitionsOut(actor, refuse)
  const [robots, groups, areas, views, reports] = [
    await robotsOut(),
    await groupsOut(actor),
    await areasOut(actor),
    await viewsOut(),
    await reportsOut(actor),
  ]
  return {
    ...definitions,
    ...(robots.length > 0 ? { robots } : {}),
    ...(groups.length > 0 ? { groups } : {}),
    ...(areas.length > 0 ? { areas } : {}),
    ...(views.length > 0 ? { views } : {}),
    ...(reports.length > 0 ? { reports } : {}),
  }
}

/** All calendars, pools, locks, jobs, flows and triggers as a bundle. What is as it is by default is left out. `onBad`: what becomes of what cannot be read. */
export async function definitionsOut(actor: Actor, onBad: OnBad): Promise<BundleFile> {
  requireSomewhere(actor, 'see')
  const { stored } = await timingState(null)
  const notes = new Map(
    (await many<{ slug: string; notes: string }>(null, `SELECT slug, notes FROM calendars WHERE notes <> ''`)).map(
      (row) => [row.slug, row.notes],
    ),
  )
  const pools = await many<{ name: string; title: string }>(null, 'SELECT name, title FROM pools ORDER BY name')
  const locks = await many<{ name: string; title: string; units: number }>(
    null,
    'SELECT name, title, units FROM locks ORDER BY name',
  )
  const queues = await queuesOut()
  const systems = await readSystems()
  const bySlug = new Map(systems.map((system) => [system.id, system]))
  const jobs = await workOut(false)
  const triggers = await many<{
    slug: string
    title: string
    notes: string
    job: string
    isFlow: boolean
    enabled: boolean
    definition: TriggerDefinition
  }>(
    null,
    `SELECT t.slug, t.title, t.notes, j.slug AS job, j.is_flow AS "isFlow", t.enabled, t.definition FROM triggers t JOIN jobs j ON j.id = t.job_id
      WHERE t.deleted_at IS NULL ORDER BY t.slug`,
  )
  return {
    format: FORMAT,
    zone: config().zone,
    calendars: stored.map(({ slug, title, rule }) => ({
      id: slug,
      title,
      ...(notes.has(slug) ? { notes: notes.get(slug) } : {}),
      days: rule,
    })),
    pools: pools.map(({ name, title }) => ({ id: name, title })),
    locks: locks.map(({ name, title, units }) => ({ id: name, title, units })),
    ...(queues.length > 0 ? { queues } : {}),
    ...(systems.length > 0 ? { systems: systems.map(systemOut) } : {}),
    jobs: readableOf('job', jobs, onBad, (job) => jobOut(job, bySlug)),
    flows: await flowsOut(onBad),
    triggers: readableOf(
      'trigger',
      triggers,
      onBad,
      ({ slug, title, notes: text, job, isFlow, enabled, definition }) => {
        const { with: values, ...timing } = definition
        return {
          id: slug,
          title,
          ...(text ? { notes: text } : {}),
          start: isFlow ? { flow: job } : { job },
          ...without(timing, { gap: 'later', fold: 'first', makeUp: 'once', overlap: 'wait', spread: 'one' }),
          time: timing.time,
          ...(enabled ? {} : { enabled }),
          ...(Object.keys(values ?? {}).length > 0 ? { with: values } : {}),
        }
      },
    ),
  }
}

/** The entries that differ from these. */
function without<T extends object>(given: T, defaults: Readonly<Record<string, unknown>>): T {
  return Object.fromEntries(
    Object.entries(given).filter(
      ([key, value]) => value !== undefined && JSON.stringify(value) !== JSON.stringify(defaults[key]),
    ),
  ) as T
}

type JobFile = BundleFile['jobs'] extends readonly (infer J)[] | undefined ? J : never

function jobOut(
  { slug, title, notes, area, active, definition }: FiledWork,
  systems: ReadonlyMap<string, BundleSystem>,
): JobFile {
  // One saved by an older Bugle gains the defaults of what came since.
  const d = jobDefinitionSchema.parse(definition)
  const action = actionOut(d.action, d.system === null ? undefined : systems.get(d.system))
  const inputs = inputsOut(d.inputs)
  return {
    id: slug,
    title,
    ...(notes ? { notes } : {}),
    area,
    ...(active ? {} : { active }),
    ...action,
    ...d.target,
    ...(d.account === null ? {} : { account: d.account }),
    ...(d.system === null ? {} : { system: d.system }),
    ...(Object.keys(d.locks).length > 0 ? { locks: d.locks } : {}),
    ...(d.queues.take.length + d.queues.add.length > 0 ? { queues: d.queues } : {}),
    ...(d.slots === 1 ? {} : { slots: d.slots }),
    ...(d.minVersion === null ? {} : { minVersion: d.minVersion }),
    ...(Object.keys(d.environment).length > 0 ? { environment: d.environment } : {}),
    ...(d.folder === null ? {} : { folder: d.folder }),
    ...(d.mayLeave ? { mayLeave: true } : {}),
    ...(inputs.length > 0 ? { inputs } : {}),
    ...(d.timeLimitSeconds === null ? {} : { timeout: isoDuration(d.timeLimitSeconds) }),
    ...(d.retries === 0 && d.retryDelaySeconds === 30
      ? {}
      : { retry: { times: d.retries, delay: isoDuration(d.retryDelaySeconds) } }),
    ...(isPlainSuccess(d.success) ? {} : { success: d.success }),
    ...(isPlainUnreachable(d.unreachable)
      ? {}
      : {
          unreachable: {
            every: isoDuration(d.unreachable.everySeconds),
            times: d.unreachable.times,
            then: d.unreachable.then,
          },
        }),
    ...(d.asking.forSeconds === 900 ? {} : { askFor: isoDuration(d.asking.forSeconds) }),
    ...(d.asking.ifNobody === 'wait' ? {} : { ifNobody: d.asking.ifNobody }),
    ...(d.watches === null ? {} : { watches: d.watches }),
    ...(d.priority === 'normal' ? {} : { priority: d.priority }),
    ...(isPlainKeeping(d.keeping) ? {} : { keeping: d.keeping }),
  } satisfies Partial<JobFile> as JobFile
}

function actionOut(action: JobDefinition['action'], system: BundleSystem | undefined): Partial<JobFile> {
  if (isConnection(action)) {
    const { kind, ...fields } = action
    const said = saidElsewhere({ kind, with: fields }, system)
    return { kind, with: Object.fromEntries(Object.entries(fields).filter(([key]) => !said.has(key))) }
  }
  switch (action.kind) {
    case 'command':
      return { kind: 'command', command: action.command }
    case 'script':
      return { kind: 'script', interpreter: action.interpreter, script: action.script }
    case 'wait': {
      const { minutes } = action
      return { kind: 'wait', wait: typeof minutes === 'string' ? minutes : isoDuration(Math.round(minutes * 60)) }
    }
  }
}

const isPlainSuccess = ({ exitCodes, must, mustNot }: JobDefinition['success']): boolean =>
  exitCodes.join() === '0' && must === null && mustNot === null
const isPlainUnreachable = ({ everySeconds, times, then }: JobDefinition['unreachable']): boolean =>
  everySeconds === 30 && times === 10 && then === 'wait'
const isPlainKeeping = (k: JobDefinition['keeping']): boolean =>
  k.board === 'after-hours' && k.boardHours === 24 && k.historyDays === 400 && k.outputDays === 60
