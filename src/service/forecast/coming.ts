import { z } from 'zod'
import { wantedBy, type Target } from '@/core/dispatch'
import { isTimed, type Timed } from '@/core/events/kinds'
import { finishBy } from '@/core/timing/finish-by'
import { many } from '@/store/db'
import { requireSomewhere, type Actor } from '@/service/base/actor'
import { lateStarts } from './ahead'
import { timingState } from '@/service/base/timing-cache'
import { triggerIfReadable, type TriggerDefinition } from '@/core/work/trigger'

export interface ComingStart {
  readonly triggerId: number
  readonly title: string
  readonly at: string
  readonly says: string
  readonly goesTo: string
  readonly dueAt: string | null
  /** When its first run is expected to start, where that is later than the instant; and why. */
  readonly expected?: { readonly at: string; readonly why: string }
}

interface Row {
  readonly id: number
  readonly slug: string
  readonly title: string
  readonly version: number
  readonly definition: Timed<TriggerDefinition>
  readonly says: string
  /** null: a flow’s. */
  readonly target: Target | null
  readonly nextAt: Date
}

/** Those that start something before this instant, the soonest first; `most`: so many of them. */
async function enabledTriggers(to: Date, most: number | null = null): Promise<Row[]> {
  const rows = await many<Row>(
    null,
    `SELECT t.id, t.slug, t.title, t.version, t.definition, t.says, v.definition->'target' AS target, t.next_at AS "nextAt"
       FROM triggers t JOIN jobs j ON j.id = t.job_id AND j.active JOIN job_versions v ON v.job_id = j.id AND v.version = j.version
      WHERE t.enabled AND t.deleted_at IS NULL AND t.next_at < $1 ORDER BY t.next_at, lower(t.title) LIMIT $2`,
    [to, most],
  )
  return rows.flatMap((row) => {
    const definition = triggerIfReadable(row.definition)
    return definition && isTimed(definition) ? [{ ...row, definition }] : []
  })
}

/** The next starts of all triggers, the soonest first; each trigger once. */
export async function nextStarts(actor: Actor, limit: number): Promise<ComingStart[]> {
  requireSomewhere(actor, 'see')
  // One that cannot be read is passed over: some more are asked for.
  const rows = await enabledTriggers(new Date(Date.now() + 366 * 86_400_000), 2 * limit + 10)
  const late = await lateStarts(actor)
  return rows.slice(0, limit).map((row): ComingStart => {
    const start = startOf(row, row.nextAt.getTime())
    const expected = late.get(`${row.slug} ${row.nextAt.getTime()}`)
    return expected ? { ...start, expected } : start
  })
}

export interface ComingPage {
  readonly rows: readonly ComingStart[]
  /** Whether more are to come than there are rows. */
  readonly more: boolean
}

const MOST_LISTED = 500
const MOST_KEPT = 20 * MOST_LISTED
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
  requireSomewhere(actor, 'see')
  const begins = Math.max(Date.now(), Date.parse(from)) / 1000
  let ends = Date.parse(to) / 1000
  const state = await timingState(null)
  const found: { at: number; row: Row }[] = []
  const inOrder = (): void => void found.sort((a, b) => a.at - b.at || (a.row.title < b.row.title ? -1 : 1))
  for (const row of await enabledTriggers(new Date(to))) {
    // What the engine has in hand (next_at) is next, whatever the clock says.
    const first = Math.max(begins, row.nextAt.getTime() / 1000)
    const schedule = state.schedule(row.id, row.version, row.definition)
    for (const { at } of schedule.between(first, ends, MOST_LISTED + 1)) found.push({ at, row })
    if (found.length < MOST_KEPT) continue
    // Of very many triggers only what can still be among the first is kept, and looked for.
    inOrder()
    found.length = MOST_LISTED + 1
    ends = Math.min(ends, (found[MOST_LISTED] as { at: number }).at + 1)
  }
  inOrder()
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
  const { name: one, pool, labels = {} } = wantedBy(target)
  const name =
    one ??
    pool ??
    Object.entries(labels)
      .map(([k, v]) => `${k}=${v}`)
      .join(', ')
  return definition.spread === 'each' ? `all of ${name}` : name
}

const isoOf = (ms: number | null): string | null => (ms === null ? null : new Date(ms).toISOString())
