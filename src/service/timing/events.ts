import { within } from '@/core/budget'
import { backlogStarts, mostCounted, type BacklogSeen } from '@/core/events/decide'
import { eventFactsSchema } from '@/core/events/facts'
import { DEFAULT_STOP_AFTER, type Backlog } from '@/core/events/kinds'
import { triggerDefinitionSchema, triggerIfReadable, type TriggerDefinition } from '@/core/work/trigger'
import { execute, many, transaction, type Tx } from '@/store/db'
import { notify } from '@/store/listen'
import { STEPS } from '@/service/base/budgets'
import { allOrEach, wordsOf } from '@/service/base/each-alone'
import { readSetting } from '@/service/base/settings'
import { timingState } from '@/service/base/timing-cache'
import { openTrouble } from '@/service/base/trouble'
import { LeadershipLost, lockLead } from '@/service/runs/leadership'
import { decideIn, openingOf, rateOf, type ToDecide } from './event-decide'
import { missInStretch, type StartingTrigger } from './start-plan'
import { switchOffByItself } from './triggers'

/** Events decided in one transaction. */
const MOST_EVENTS = 300

interface EventRow {
  readonly id: number
  readonly at: Date
  readonly facts: unknown
  readonly depth: number
  readonly triggerId: number
  readonly title: string
  readonly jobId: number
  readonly version: number
  readonly enabled: boolean
  readonly definition: unknown
}

/**
 * Reads events with their triggers, and locks those; ones that another transaction holds are passed over. No key of theirs changes: whoever ends a run may tell them of it meanwhile (the foreign key is
 * checked against the trigger), and neither waits for the other.
 */
async function lockEvents(tx: Tx, now: Date, ids: readonly number[] | null): Promise<EventRow[]> {
  return many<EventRow>(
    tx,
    `SELECT e.id, e.at, e.facts, e.depth, t.id AS "triggerId", t.title, t.job_id AS "jobId", t.version, t.enabled AND t.deleted_at IS NULL AS enabled, t.definition
       FROM trigger_events e JOIN triggers t ON t.id = e.trigger_id
      WHERE e.decided_at IS NULL AND (e.not_before IS NULL OR e.not_before <= $1) AND ($2::bigint[] IS NULL OR e.id = ANY($2))
      ORDER BY e.id LIMIT ${MOST_EVENTS} FOR NO KEY UPDATE OF e, t SKIP LOCKED`,
    [now, ids],
  )
}

function toDecide({ id, at, facts, depth, triggerId, definition, ...trigger }: EventRow): ToDecide {
  return {
    id,
    at,
    depth,
    facts: eventFactsSchema.parse(facts),
    trigger: { ...trigger, id: triggerId, definition: triggerDefinitionSchema.parse(definition) },
  }
}

export interface Decisions {
  readonly started: number
  readonly more: boolean
}

/** Decides what happened and waits for it, in the order in which it happened. While starts by triggers are off it goes on waiting. */
export async function decideEvents(epoch: number, nowMs: number): Promise<Decisions> {
  if (!(await readSetting(null, 'starts')).on) return { started: 0, more: false }
  await timingState(null)
  let ids: number[] = []
  const decide = (only: readonly number[] | null): Promise<number> =>
    transaction(async (tx) => {
      await lockLead(tx, epoch)
      const rows = await lockEvents(tx, new Date(nowMs), only)
      if (only === null) ids = rows.map(({ id }) => id)
      if (rows.length === 0) return 0
      const all = rows.map(toDecide)
      return (await within(STEPS.firing, () => decideIn(tx, all, nowMs))).started
    })
  const started = await allOrEach(
    [null],
    async () => decide(null),
    async (_, error) => {
      if (error instanceof LeadershipLost) throw error
    },
  )
  if (started.length > 0) return { started: started[0] as number, more: ids.length === MOST_EVENTS }
  // One that cannot be decided must not keep the others: each by itself, and that one is taken out of the way.
  const each = await allOrEach(
    ids,
    async (some) => (some.length > 1 ? Promise.reject(new Error('each by itself')) : decide(some)),
    (id, error) => (error instanceof LeadershipLost ? Promise.reject(error) : giveUp(epoch, id, wordsOf(error))),
  )
  return { started: each.reduce((sum, n) => sum + n, 0), more: ids.length === MOST_EVENTS }
}

/** What cannot be decided starts nothing: it is noted as not started, and a person is told. */
async function giveUp(epoch: number, id: number, why: string): Promise<void> {
  await transaction(async (tx) => {
    await lockLead(tx, epoch)
    const [row] = await many<{ triggerId: number; title: string; version: number; at: Date }>(
      tx,
      `UPDATE trigger_events e SET decided_at = now(), outcome = 'not started' FROM triggers t
        WHERE e.id = $1 AND e.decided_at IS NULL AND t.id = e.trigger_id RETURNING t.id AS "triggerId", t.title, t.version, e.at`,
      [id],
    )
    if (!row) return
    await execute(
      tx,
      `INSERT INTO not_started (trigger_id, trigger_version, first_occurrence, last_occurrence, times, why, detail) VALUES ($1, $2, $3, $3, 1, 'fault', $4)`,
      [row.triggerId, row.version, row.at, `It cannot be worked out: ${why}`],
    )
    await openTrouble(tx, {
      subject: `trigger ${row.triggerId}`,
      title: `The engine cannot work out what ${row.title} is to start`,
      evidence: why,
    })
    await notify(tx, { timing: true, matters: true })
  })
}

/** The next instant at which an event that waits may be decided; null if none waits. */
export async function nextEventMs(): Promise<number | null> {
  const [row] = await many<{ next: Date | null }>(
    null,
    'SELECT min(coalesce(not_before, now())) AS next FROM trigger_events WHERE decided_at IS NULL',
  )
  return row?.next?.getTime() ?? null
}

interface BacklogTrigger extends StartingTrigger {
  readonly queueId: number
  readonly queue: string
  readonly definition: TriggerDefinition & { readonly backlog: Backlog }
}

/** Starts what the queues call for. A queue that is switched off calls for nothing. */
export async function startBacklogs(epoch: number, nowMs: number): Promise<number> {
  if (!(await readSetting(null, 'starts')).on) return 0
  const triggers = await backlogTriggers(null, null)
  const seen = await lookAt(null, triggers, nowMs)
  const calling = triggers.filter(({ id, definition }) => {
    const its = seen.get(id)
    return its && backlogStarts(definition.backlog, its) > 0
  })
  const started = await allOrEach(
    calling.map(({ id }) => id),
    (ids) => startThese(epoch, ids, nowMs),
    async (id, error) => {
      if (error instanceof LeadershipLost) throw error
      const title = calling.find((each) => each.id === id)?.title ?? ''
      await openTrouble(null, {
        subject: `trigger ${id}`,
        title: `The engine cannot work out what ${title} is to start`,
        evidence: wordsOf(error),
      })
    },
  )
  return started.reduce((sum, n) => sum + n, 0)
}

async function backlogTriggers(tx: Tx | null, ids: readonly number[] | null): Promise<BacklogTrigger[]> {
  const rows = await many<Omit<BacklogTrigger, 'definition'> & { definition: unknown }>(
    tx,
    `SELECT t.id, t.title, t.job_id AS "jobId", t.version, t.definition, t.queue_id AS "queueId", q.title AS queue
       FROM triggers t JOIN queues q ON q.id = t.queue_id AND q.active AND q.deleted_at IS NULL
      WHERE t.kind = 'backlog' AND t.enabled AND t.deleted_at IS NULL AND ($1::bigint[] IS NULL OR t.id = ANY($1)) ORDER BY t.id ${tx ? 'FOR NO KEY UPDATE OF t' : ''}`,
    [ids],
  )
  return rows.flatMap((row) => {
    const definition = triggerIfReadable(row.definition)
    return definition?.backlog ? [{ ...row, definition: { ...definition, backlog: definition.backlog } }] : []
  })
}

/** What waits for each of these triggers: counted no further than it makes a difference. */
async function lookAt(
  tx: Tx | null,
  triggers: readonly BacklogTrigger[],
  nowMs: number,
): Promise<Map<number, BacklogSeen>> {
  if (triggers.length === 0) return new Map()
  const rows = await many<{ id: number; waiting: number; oldest: Date | null; open: number }>(
    tx,
    `SELECT u.id,
            (SELECT count(*)::int FROM (SELECT FROM items i WHERE i.queue_id = u.queue AND i.state = 'waiting' AND i.not_before IS NULL LIMIT u.most) x) AS waiting,
            CASE WHEN u.oldest THEN (SELECT i.created_at FROM items i WHERE i.queue_id = u.queue AND i.state = 'waiting' AND i.not_before IS NULL ORDER BY i.id LIMIT 1) END AS oldest,
            (SELECT count(*)::int FROM runs r WHERE r.trigger_id = u.id AND r.state IN ('waiting','ready','running')) AS open
       FROM unnest($1::bigint[], $2::bigint[], $3::bigint[], $4::bool[]) AS u(id, queue, most, oldest)`,
    [
      triggers.map(({ id }) => id),
      triggers.map(({ queueId }) => queueId),
      triggers.map(({ definition }) => mostCounted(definition.backlog)),
      triggers.map(({ definition }) => definition.backlog.orOldest !== undefined),
    ],
  )
  return new Map(
    rows.map(({ id, waiting, oldest, open }) => [
      id,
      { waiting, oldestSeconds: oldest && (nowMs - oldest.getTime()) / 1000, open },
    ]),
  )
}

/** Looks at these again under their locks, and starts as many runs of each as are wanted. */
async function startThese(epoch: number, ids: readonly number[], nowMs: number): Promise<number> {
  return transaction(async (tx) => {
    await lockLead(tx, epoch)
    const triggers = await backlogTriggers(tx, await notHindered(tx, ids, nowMs))
    const [seen, state] = [await lookAt(tx, triggers, nowMs), await timingState(tx)]
    const all: ToDecide[] = []
    for (const trigger of triggers) {
      const its = seen.get(trigger.id)
      const wanted = its ? backlogStarts(trigger.definition.backlog, its) : 0
      if (!its || wanted === 0 || openingOf(trigger.definition, state, nowMs).is !== 'open') continue
      const { left } = await rateOf(tx, trigger, nowMs)
      const at = nowMs / 1000
      // What waits goes on waiting: nothing is lost when it is not started now.
      if (left === 0)
        await missInStretch(tx, trigger, { at }, 'rate', 'It has started as often as it may.', nowMs, true)
      const off = await whyNoRun(tx, trigger.jobId)
      if (off) await missInStretch(tx, trigger, { at }, 'job off', off, nowMs, true)
      else all.push(...(await backlogEvents(tx, trigger, its, Math.min(left, wanted), nowMs)))
    }
    if (all.length === 0) return 0
    const { started } = await decideIn(tx, all, nowMs)
    // What was not started is looked at again: nothing has happened yet.
    await execute(tx, `DELETE FROM trigger_events WHERE id = ANY($1) AND outcome IS DISTINCT FROM 'started'`, [
      all.map(({ id }) => id),
    ])
    return started
  })
}

/** How long a trigger is left alone whose start was not made, milliseconds. */
const HINDERED_MS = 30_000
/** Without those whose last look came to nothing a moment ago: what hinders them is hardly over. */
async function notHindered(tx: Tx, ids: readonly number[], nowMs: number): Promise<number[]> {
  const rows = await many<{ id: number }>(
    tx,
    `SELECT DISTINCT trigger_id AS id FROM not_started WHERE trigger_id = ANY($1) AND last_occurrence > $2`,
    [ids, new Date(nowMs - HINDERED_MS)],
  )
  return ids.filter((id) => !rows.some((row) => row.id === id))
}

/** What keeps a job from having any run now, so that not each look leads to an event. */
async function whyNoRun(tx: Tx, jobId: number): Promise<string | null> {
  const [job] = await many<{ title: string; active: boolean; gone: boolean }>(
    tx,
    'SELECT title, active, deleted_at IS NOT NULL AS gone FROM jobs WHERE id = $1',
    [jobId],
  )
  if (!job || job.gone) return 'Its job was removed.'
  return job.active ? null : `${job.title} is switched off.`
}

async function backlogEvents(
  tx: Tx,
  trigger: BacklogTrigger,
  { waiting, oldestSeconds }: BacklogSeen,
  count: number,
  nowMs: number,
): Promise<ToDecide[]> {
  if (count === 0) return []
  const facts = { queue: trigger.queue, waiting, oldestSeconds: oldestSeconds && Math.round(oldestSeconds) }
  const rows = await many<{ id: number; at: Date; depth: number }>(
    tx,
    `WITH counted AS (UPDATE triggers SET events = events + $2::int WHERE id = $1 RETURNING events - $2::int AS before)
     INSERT INTO trigger_events (trigger_id, key, at, facts) SELECT $1, (c.before + n)::text, $3, $4 FROM counted c, generate_series(1, $2::int) AS n RETURNING id, at, depth`,
    [trigger.id, count, new Date(nowMs), JSON.stringify(facts)],
  )
  return rows.map((row) => ({ ...row, facts, trigger: { ...trigger, enabled: true } }))
}

/** Switches off triggers by events whose runs fail one after the other, and tells a person. */
export async function stopHarmful(epoch: number): Promise<number> {
  const rows = await many<{ id: number; title: string; most: number }>(
    null,
    `SELECT t.id, t.title, m.most FROM triggers t CROSS JOIN LATERAL (SELECT coalesce((t.definition->>'stopAfter')::int, ${DEFAULT_STOP_AFTER}) AS most) m
      WHERE t.kind <> 'time' AND t.enabled AND t.deleted_at IS NULL
        AND (SELECT count(*) FILTER (WHERE x.state <> 'succeeded') FROM (
              SELECT r.state FROM runs r WHERE r.trigger_id = t.id AND r.event_id IS NOT NULL AND r.state IN ('succeeded','failed','lost') AND r.ended_at >= t.counted_from
               ORDER BY r.id DESC LIMIT m.most) x) >= m.most`,
  )
  for (const { id, title, most } of rows)
    await transaction(async (tx) => {
      await lockLead(tx, epoch)
      const why = `Its last ${most} runs failed, one after the other.`
      if (!(await switchOffByItself(tx, id, why))) return
      await openTrouble(tx, {
        subject: `trigger ${id} stopped`,
        title: `${title} has switched itself off`,
        evidence: `${why} Switched on again it counts from nought.`,
      })
    })
  return rows.length
}

/** Events are kept as long as their runs, and at least so long: a call or a file that is told again is known by then. */
const KEPT = '90 days'
export async function purgeEvents(): Promise<number> {
  return execute(
    null,
    `DELETE FROM trigger_events WHERE id IN (SELECT e.id FROM trigger_events e WHERE e.decided_at < now() - interval '${KEPT}'
       AND NOT EXISTS (SELECT FROM runs r WHERE r.event_id = e.id) ORDER BY e.decided_at LIMIT 2000)`,
  )
}
