import { isoDay } from '@/core/calendar/days'
import { isTimed, kindOf } from '@/core/events/kinds'
import { say } from '@/core/phrase/say'
import { sayEvent } from '@/core/phrase/say-event'
import { cadenceOf } from '@/core/timing/cadence'
import { execute, many, type Tx } from '@/store/db'
import { bounded } from '@/service/base/budgets'
import { HORIZON_SECONDS, lockDue, settle } from './firing'
import { closeTrouble } from '@/service/base/trouble'
import { timingState } from '@/service/base/timing-cache'
import { triggerIfReadable } from '@/core/work/trigger'
import { namedQueues, namedWorks } from './event-sources'
import { forgetWatches } from './files'

/** What was due before a change is decided by the rule before it. Locks these triggers, switched on or off, for the rest of the transaction. */
export async function settleBeforeChange(tx: Tx, ids: readonly number[], nowMs: number): Promise<void> {
  if (ids.length === 0) return
  await execute(tx, 'SELECT id FROM triggers WHERE id = ANY($1) ORDER BY id FOR UPDATE', [ids])
  while ((await settle(tx, await lockDue(tx, new Date(nowMs), ids, 'skip'), nowMs, true)).more) continue
}

/** Works out anew, by the rules as they are now: the next start, the sentence, how often. Occurrences up to now are over. */
export async function recompute(tx: Tx, ids: readonly number[], nowMs: number): Promise<void> {
  if (ids.length === 0) return
  const state = await timingState(tx)
  const rows = await many<{ id: number; title: string; version: number; enabled: boolean; definition: unknown }>(
    tx,
    'SELECT id, title, version, enabled, definition FROM triggers WHERE id = ANY($1) AND deleted_at IS NULL ORDER BY id',
    [ids],
  )
  const now = nowMs / 1000
  const definitions = rows.flatMap(({ definition }) => triggerIfReadable(definition) ?? [])
  const queues = await namedQueues(
    tx,
    definitions.flatMap(({ backlog, measure }) => backlog?.queue ?? measure?.of.queue ?? []),
  )
  const works = await namedWorks(
    tx,
    definitions.flatMap(({ after, measure }) => after?.work ?? measure?.of.job ?? []),
  )
  const found = rows.flatMap(({ id, title, version, enabled, definition: stored }) => {
    const definition = triggerIfReadable(stored)
    if (!definition) return []
    const calendars = state.timings.calendars.ids.map(
      (slug) => state.timings.calendars.find(slug) as { id: string; title?: string },
    )
    const common = {
      id,
      kind: kindOf(definition),
      queueId: queues.idOf(definition.backlog?.queue),
      afterJobId: works.idOf(definition.after?.work),
      afterWhen: definition.after?.when ?? null,
      calendars: Object.keys(state.calendarsOf([definition.on, definition.notOn])),
    }
    if (!isTimed(definition)) {
      const says = sayEvent(definition, { queues: queues.titles, works: works.titles }, calendars)
      return [{ ...common, next: undefined, says, runsPerDay: 0, gapSeconds: null }]
    }
    const schedule = state.schedule(id, version, definition)
    const { next, runsPerDay, gapSeconds } = bounded(
      'trigger',
      'definition.time',
      () => ({
        next: enabled ? schedule.next(now + 0.001, now + HORIZON_SECONDS) : undefined,
        ...cadenceOf(schedule, now, MOST_LOOKED_AT),
      }),
      title,
    )
    return [{ ...common, next, says: say(definition, calendars), runsPerDay, gapSeconds }]
  })
  await execute(
    tx,
    `UPDATE triggers t SET next_at = u.next_at, next_day = u.next_day, says = u.says, runs_per_day = u.per_day, gap_seconds = u.gap,
            kind = u.kind, queue_id = u.queue, after_job_id = u.after, after_when = u.after_when,
            calendars = (SELECT coalesce(array_agg(c), '{}') FROM jsonb_array_elements_text(u.calendars) AS c)
       FROM unnest($1::bigint[], $2::timestamptz[], $3::date[], $4::text[], $5::real[], $6::bigint[], $7::jsonb[], $8::text[], $9::bigint[], $10::bigint[], $11::text[])
            AS u(id, next_at, next_day, says, per_day, gap, calendars, kind, queue, after, after_when) WHERE t.id = u.id`,
    [
      found.map((f) => f.id),
      found.map((f) => (f.next ? new Date(f.next.at * 1000) : null)),
      found.map((f) => (f.next ? isoDay(f.next.day) : null)),
      found.map((f) => f.says),
      found.map((f) => f.runsPerDay),
      found.map((f) => (f.gapSeconds === null ? null : Math.round(f.gapSeconds))),
      found.map((f) => JSON.stringify(f.calendars)),
      found.map((f) => f.kind),
      found.map((f) => f.queueId),
      found.map((f) => f.afterJobId),
      found.map((f) => f.afterWhen),
    ],
  )
  const watching = new Set(
    found
      .filter(({ id, kind }) => kind === 'file' && rows.some((row) => row.id === id && row.enabled))
      .map(({ id }) => id),
  )
  await forgetWatches(
    tx,
    ids.filter((id) => !watching.has(id)),
  )
  // What waits for a time of the day is asked anew: that may be another one now.
  await execute(
    tx,
    'UPDATE trigger_events SET not_before = NULL WHERE trigger_id = ANY($1) AND decided_at IS NULL AND not_before IS NOT NULL',
    [ids],
  )
  await closeTrouble(
    tx,
    found.flatMap(({ id }) => [`trigger ${id}`, `trigger ${id} stopped`, `trigger ${id} chain`]),
    'it was worked out anew',
  )
}

/** Whoever writes triggers waits here until no calendar is being saved, and no calendar is saved meanwhile: so none of them keeps the next start of a rule that is over. */
export async function holdCalendars(tx: Tx): Promise<void> {
  await execute(tx, `SELECT value FROM settings WHERE key = 'timing-version' FOR SHARE`)
}

/** For lists some thousand occurrences say well enough how often a trigger fires. */
const MOST_LOOKED_AT = 1000
