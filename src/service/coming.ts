import { z } from 'zod'
import type { Target } from '@/core/dispatch'
import { loadOver, type Busy } from '@/core/timing/load'
import { finishBy } from '@/core/timing/finish-by'
import { many } from '@/store/db'
import { requireRight, type Actor } from './actor'
import { DEFAULT_USUAL_MS } from './leases'
import { machinesOf } from './targets'
import { usualLoads } from './usual-load'
import { timingState } from './timing-cache'
import { triggerIfReadable, type TriggerDefinition } from '@/core/work/trigger'

export interface ComingStart {
  readonly triggerId: number
  readonly title: string
  readonly at: string
  readonly says: string
  readonly goesTo: string
  readonly dueAt: string | null
}

interface Row {
  readonly id: number
  readonly jobId: number
  readonly title: string
  readonly version: number
  readonly definition: TriggerDefinition
  readonly says: string
  /** null: a flow’s. */
  readonly target: Target | null
  readonly nextAt: Date
}

async function enabledTriggers(to: Date): Promise<Row[]> {
  const rows = await many<Row>(
    null,
    `SELECT t.id, t.job_id AS "jobId", t.title, t.version, t.definition, t.says, v.definition->'target' AS target, t.next_at AS "nextAt"
       FROM triggers t JOIN jobs j ON j.id = t.job_id AND j.active JOIN job_versions v ON v.job_id = j.id AND v.version = j.version
      WHERE t.enabled AND t.deleted_at IS NULL AND t.next_at < $1 ORDER BY t.next_at, lower(t.title)`,
    [to],
  )
  return rows.flatMap((row) => {
    const definition = triggerIfReadable(row.definition)
    return definition ? [{ ...row, definition }] : []
  })
}

/** The next starts of all triggers, the soonest first; each trigger once. */
export async function nextStarts(actor: Actor, limit: number): Promise<ComingStart[]> {
  requireRight(actor, 'see')
  const rows = await enabledTriggers(new Date(Date.now() + 366 * 86_400_000))
  return rows.slice(0, limit).map((row) => startOf(row, row.nextAt.getTime()))
}

export interface ComingPage {
  readonly rows: readonly ComingStart[]
  /** Whether more are to come than there are rows. */
  readonly more: boolean
}

const MOST_LISTED = 500
const LONGEST_MS = 31 * 86_400_000

export const comingSchema = z
  .strictObject({ from: z.iso.datetime({ offset: true }), to: z.iso.datetime({ offset: true }) })
  .refine(({ from, to }) => Date.parse(from) < Date.parse(to), { path: ['to'], message: 'It must be after from.' })
  .refine(({ from, to }) => Date.parse(to) - Date.parse(from) <= LONGEST_MS, {
    path: ['to'],
    message: 'At most 31 days are listed at once.',
  })

/** Every start of a stretch that is still to come, in its order; at most 500, then `more`. */
export async function comingStarts(actor: Actor, { from, to }: z.output<typeof comingSchema>): Promise<ComingPage> {
  requireRight(actor, 'see')
  const [begins, ends] = [Math.max(Date.now(), Date.parse(from)) / 1000, Date.parse(to) / 1000]
  const state = await timingState(null)
  const found: { at: number; row: Row }[] = []
  for (const row of await enabledTriggers(new Date(to))) {
    // What the engine has in hand (next_at) is next, whatever the clock says.
    const first = Math.max(begins, row.nextAt.getTime() / 1000)
    const schedule = state.schedule(row.id, row.version, row.definition)
    for (const { at } of schedule.between(first, ends, MOST_LISTED + 1)) found.push({ at, row })
  }
  found.sort((a, b) => a.at - b.at || (a.row.title < b.row.title ? -1 : 1))
  return {
    rows: found.slice(0, MOST_LISTED).map(({ at, row }) => startOf(row, at * 1000)),
    more: found.length > MOST_LISTED,
  }
}

const startOf = (row: Row, atMs: number): ComingStart => ({
  triggerId: row.id,
  title: row.title,
  at: new Date(atMs).toISOString(),
  says: row.says,
  goesTo: goesTo(row),
  dueAt: isoOf(finishBy(row.definition, atMs)),
})

function goesTo({ target, definition }: Row): string {
  if (target === null) return 'a flow'
  const name =
    'agent' in target
      ? target.agent
      : 'pool' in target
        ? target.pool
        : Object.entries(target.labels)
            .map(([k, v]) => `${k}=${v}`)
            .join(', ')
  return definition.spread === 'each' ? `all of ${name}` : name
}

const isoOf = (ms: number | null): string | null => (ms === null ? null : new Date(ms).toISOString())

export interface DayAhead {
  /** Starts in each stretch from now on. */
  readonly from: string
  readonly bucketSeconds: number
  readonly starts: readonly number[]
  /** Mean slots in use in each stretch, if every start comes on time and takes as long as usual, and what runs now too. */
  readonly load: readonly number[]
  /** Deadlines of starts of the last and the next hours. */
  readonly deadlines: readonly { readonly triggerId: number; readonly title: string; readonly dueAt: string }[]
}

const BUCKET_SECONDS = 900
const HOURS_AHEAD = 16
/** A trigger that fires very often is counted by its pace. */
const MOST_OF_ONE = 2000

/** What the day line shows ahead: starts, and times by which runs are to finish. */
export async function dayAhead(actor: Actor): Promise<DayAhead> {
  requireRight(actor, 'see')
  const now = Date.now() / 1000
  const from = Math.floor(now / BUCKET_SECONDS) * BUCKET_SECONDS
  const to = from + HOURS_AHEAD * 3600
  const state = await timingState(null)
  const starts = new Array<number>((to - from) / BUCKET_SECONDS).fill(0)
  const deadlines: { triggerId: number; title: string; dueAt: string }[] = []
  const rows = await enabledTriggers(new Date(to * 1000))
  const usual = await usualLoads(
    null,
    rows.map(({ jobId }) => jobId),
    state.isDay,
  )
  const machines = await machinesOf(null)
  const busy = await remaining()
  for (const row of rows) {
    const schedule = state.schedule(row.id, row.version, row.definition)
    // Only a job starts on each machine, and all of it goes where the job goes.
    const { target } = row
    const isEach = row.definition.spread === 'each' && target !== null
    const times = isEach ? machines.filter((machine) => machine.fits(target)).length : 1
    for (const { at, day } of schedule.between(now, to, MOST_OF_ONE)) {
      const bucket = Math.floor((at - from) / BUCKET_SECONDS)
      starts[bucket] = (starts[bucket] ?? 0) + 1
      for (const { slots, afterMs, lengthMs } of usual(row.jobId, day))
        busy.push({ fromMs: at * 1000 + afterMs, lengthMs, slots: slots * times })
    }
  }
  const dated = await many<{ id: number; title: string; version: number; definition: unknown }>(
    null,
    `SELECT id, title, version, definition FROM triggers WHERE enabled AND deleted_at IS NULL AND definition ? 'finishBy'`,
  )
  for (const { id, title, version, definition } of dated) {
    const parsed = triggerIfReadable(definition)
    if (!parsed) continue
    // Whatever began in the last day may still be due; several starts may share a deadline.
    const dues = new Set<number>()
    for (const { at } of state.schedule(id, version, parsed).between(now - 86_400, to, 200)) {
      const due = finishBy(parsed, at * 1000)
      if (due !== null && due >= now * 1000 && due < to * 1000) dues.add(due)
    }
    for (const due of dues) deadlines.push({ triggerId: id, title, dueAt: new Date(due).toISOString() })
  }
  const load = loadOver(busy, from * 1000, to * 1000, starts.length)
  deadlines.sort((a, b) => (a.dueAt < b.dueAt ? -1 : 1))
  return { from: new Date(from * 1000).toISOString(), bucketSeconds: BUCKET_SECONDS, starts, load, deadlines }
}

/** What runs now, until it has taken as long as usual. */
async function remaining(): Promise<Busy[]> {
  return many<Busy>(
    null,
    `SELECT extract(epoch FROM now())::float8 * 1000 AS "fromMs", r.slots,
            greatest(0, coalesce(j.usual_ms, $1) - extract(epoch FROM now() - r.started_at)::float8 * 1000) AS "lengthMs"
       FROM runs r JOIN jobs j ON j.id = r.job_id WHERE r.state = 'running' AND r.kind <> 'flow' AND r.started_at IS NOT NULL`,
    [DEFAULT_USUAL_MS],
  )
}
