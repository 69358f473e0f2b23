import { z } from 'zod'
import { isoDay } from '@/core/calendar/days'
import { dayRuleSchema, type DayRule } from '@/core/calendar/rule'
import { say, sayDays } from '@/core/phrase/say'
import { changesBetween, type StartChanges } from '@/core/timing/changes'
import { clockDates } from '@/core/timing/clock-dates'
import type { Schedule } from '@/core/timing/schedule'
import { zoneOf, type Zone } from '@/core/timing/zone'
import { config } from '@/store/config'
import { many } from '@/store/db'
import { requireSomewhere, type Actor } from '@/service/base/actor'
import { bounded } from '@/service/base/budgets'
import { ruleFaults, triggersOn } from '@/service/timing/calendars'
import { type FieldFault, notFound, refuse } from '@/service/base/problem'
import { poolLoad, type PoolLoad } from './pool-load'
import { snapshotFor } from '@/core/calendar/snapshot'
import { SharedValues } from '@/service/work/shared-values'
import { timingState, type TimingState } from '@/service/base/timing-cache'
import { definitionFaults, jobOf, scheduleFacts, type ScheduleFacts } from '@/service/timing/trigger-check'
import { triggerDefinitionSchema, type TriggerDefinition } from '@/core/work/trigger'
import { isTimed } from '@/core/events/kinds'
import { sayEvent } from '@/core/phrase/say-event'
import { namedQueues, namedWorks } from '@/service/timing/event-sources'

/** How many coming starts are compared and shown. */
const MOST_SHOWN = 20
const AHEAD_SECONDS = 5 * 366 * 86_400
const CLOCK_YEARS_SECONDS = 3 * 366 * 86_400

export const triggerPreviewSchema = z.strictObject({
  /** The trigger that is being changed; null: a new one. */
  id: z.int().positive().nullable().default(null),
  jobId: z.int().positive().nullable().default(null),
  enabled: z.boolean().default(true),
  definition: triggerDefinitionSchema,
})
export const calendarPreviewSchema = z.strictObject({ id: z.int().positive(), rule: dayRuleSchema })

export interface ShownStart {
  readonly at: string
  /** The date that the rule wrote. */
  readonly day: string
  readonly clock: 'plain' | 'moved' | 'doubled'
}

/** Starts as instants, ISO 8601. */
export interface ShownChanges {
  readonly added: readonly string[]
  readonly dropped: readonly string[]
  readonly moved: readonly { readonly from: string; readonly to: string }[]
}

export interface TriggerPreview {
  readonly says: string
  readonly next: readonly ShownStart[]
  /** Against what is saved; null for a new trigger. */
  readonly changes: ShownChanges | null
  readonly facts: ScheduleFacts | null
  /** Clock changes on which the rules for gaps and doubled hours matter. */
  readonly clockDates: readonly { readonly at: string; readonly bySeconds: number; readonly what: 'gap' | 'fold' }[]
  readonly load: PoolLoad | null
  readonly faults: readonly FieldFault[]
}

/** What a trigger would do, without saving anything. */
export async function previewTrigger(
  actor: Actor,
  request: z.output<typeof triggerPreviewSchema>,
): Promise<TriggerPreview> {
  requireSomewhere(actor, 'see')
  const nowMs = Date.now()
  const state = await timingState(null)
  const definition = { ...request.definition, zone: request.definition.zone ?? config().zone }
  const job = request.jobId === null ? undefined : await jobOf(null, request.jobId)
  const faults = definitionFaults(definition, job, state, await SharedValues.read(null)).filter(
    ({ path }) => request.jobId !== null || path !== 'jobId',
  )
  const timingFaults = faults.filter(({ path }) => path !== 'jobId' && !path.startsWith('definition.with'))
  if (timingFaults.length > 0) refuse(timingFaults)
  if (!isTimed(definition)) return { ...(await previewEvent(definition, state)), faults }
  const schedule = state.timings.schedule(definition)
  const before = request.id === null ? null : await savedSchedule(request.id, state)
  const zone = zoneOf(definition.zone) as Zone
  const now = nowMs / 1000
  return {
    says: say(definition, namedCalendars(state)),
    next: bounded('trigger', 'definition.time', () => shown(schedule, now)),
    changes:
      before && bounded('trigger', 'definition.time', () => compare(before, request.enabled ? schedule : null, now)),
    facts: job ? await scheduleFacts(null, schedule, definition, job, nowMs) : null,
    clockDates: bounded('trigger', 'definition.time', () =>
      clockDates(
        { ...definition, zone, eligible: state.timings.eligibleDays(definition), from: undefined, until: undefined },
        now,
        now + CLOCK_YEARS_SECONDS,
      ),
    )
      .slice(0, 6)
      .map((date) => ({ ...date, at: iso(date.at) })),
    load: job ? await poolLoad(state, { id: request.id, definition, schedule, job }, now) : null,
    faults,
  }
}

function namedCalendars(state: TimingState): { id: string; title: string }[] {
  return state.stored.map(({ slug, title }) => ({ id: slug, title }))
}

const iso = (at: number): string => new Date(at * 1000).toISOString()

function shown(schedule: Schedule, now: number): ShownStart[] {
  return schedule
    .between(now, now + AHEAD_SECONDS, MOST_SHOWN)
    .map(({ at, day, clock }) => ({ at: iso(at), day: isoDay(day), clock }))
}

async function savedSchedule(id: number, state: TimingState): Promise<Schedule | null> {
  const [row] = await many<{ version: number; enabled: boolean; definition: unknown }>(
    null,
    'SELECT version, enabled, definition FROM triggers WHERE id = $1 AND deleted_at IS NULL',
    [id],
  )
  if (!row) throw notFound('trigger', id)
  const definition = triggerDefinitionSchema.parse(row.definition)
  return row.enabled && isTimed(definition) ? state.schedule(id, row.version, definition) : null
}

/** Of what happens there is nothing to foresee: only its sentence. */
async function previewEvent(
  definition: TriggerDefinition,
  state: TimingState,
): Promise<Omit<TriggerPreview, 'faults'>> {
  const { backlog, after, measure } = definition
  const [queue, work] = [backlog?.queue ?? measure?.of.queue, after?.work ?? measure?.of.job]
  const [queues, works] = await Promise.all([
    namedQueues(null, queue === undefined ? [] : [queue]),
    namedWorks(null, work === undefined ? [] : [work]),
  ])
  const says = sayEvent(definition, { queues: queues.titles, works: works.titles }, namedCalendars(state))
  return { says, next: [], changes: null, facts: null, clockDates: [], load: null }
}

/** The coming starts of both, as far as the first twenty of either reach. */
function compare(before: Schedule | null, after: Schedule | null, now: number): ShownChanges {
  const first = (schedule: Schedule | null): number[] =>
    schedule?.between(now, now + AHEAD_SECONDS, MOST_SHOWN).map(({ at }) => at) ?? []
  const [old, fresh] = [first(before), first(after)]
  // Beyond the nearer end of two full lists nothing is known of one of them.
  const ends = [old, fresh].filter((list) => list.length === MOST_SHOWN).map((list) => list.at(-1) as number)
  const end = ends.length > 0 ? Math.min(...ends) : Infinity
  return shownChanges(
    changesBetween(
      old.filter((at) => at <= end),
      fresh.filter((at) => at <= end),
    ),
  )
}

function shownChanges({ added, dropped, moved }: StartChanges): ShownChanges {
  return {
    added: added.map(iso),
    dropped: dropped.map(iso),
    moved: moved.map(({ from, to }) => ({ from: iso(from), to: iso(to) })),
  }
}

export interface CalendarPreview {
  readonly says: string
  /** Triggers whose coming starts would change, the most urgent first. */
  readonly triggers: readonly { readonly id: number; readonly title: string; readonly changes: ShownChanges }[]
  /** How many triggers stand on the calendar in all. */
  readonly looked: number
}

/** Which of the next starts a change of a calendar would add, drop or move, for every trigger that stands on it. */
export async function previewCalendar(
  actor: Actor,
  { id, rule }: z.output<typeof calendarPreviewSchema>,
): Promise<CalendarPreview> {
  requireSomewhere(actor, 'see')
  const state = await timingState(null)
  const current = state.stored.find((calendar) => calendar.id === id)
  if (!current) throw notFound('calendar', id)
  refuse(ruleFaults(current.slug, rule, state))
  const now = Date.now() / 1000
  const isSame = JSON.stringify(current.rule) === JSON.stringify(rule)
  const after = isSame
    ? state
    : state.with(current.slug, {
        title: current.title,
        rule: rule as DayRule,
        holidays: snapshotFor(rule, new Date().getUTCFullYear()),
      })
  const ids = await triggersOn(null, current.slug)
  const rows = await many<{ id: number; title: string; version: number; definition: unknown }>(
    null,
    `SELECT id, title, version, definition FROM triggers WHERE id = ANY($1) AND enabled AND kind = 'time' ORDER BY next_at NULLS LAST`,
    [ids],
  )
  const triggers = rows
    .flatMap((row) => {
      const definition = triggerDefinitionSchema.parse(row.definition)
      if (!isTimed(definition)) return []
      const [old, fresh] = [
        state.schedule(row.id, row.version, definition),
        after.schedule(row.id, row.version, definition),
      ]
      const its = {
        id: row.id,
        title: row.title,
        changes: bounded('trigger', 'rule', () => compare(old, fresh, now), row.title),
      }
      return [its]
    })
    .filter(({ changes }) => changes.added.length + changes.dropped.length + changes.moved.length > 0)
  return { says: sayDays(rule, namedCalendars(state)), triggers, looked: rows.length }
}
