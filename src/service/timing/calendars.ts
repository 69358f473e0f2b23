import { titlesFor } from '@/service/base/area-rights'
import { z } from 'zod'
import { TooMuch, within } from '@/core/budget'
import { titleSchema } from '@/core/schema/text'
import { checkBundle } from '@/core/bundle/check'
import { FORMAT } from '@/core/bundle/schema'
import { civil, dayOf, isoDay, LAST_DAY, type Day } from '@/core/calendar/days'
import { calendarsNamed, dayRuleSchema, type DayRule } from '@/core/calendar/rule'
import { slugOf } from '@/core/schema/slug'
import { slugSchema } from '@/core/work/job'
import { db, execute, many, maybeOne, sqlState, transaction, UNIQUE_VIOLATION, type Tx } from '@/store/db'
import { notify } from '@/store/listen'
import { requireRight, type Actor } from '@/service/base/actor'
import { difference, record } from '@/service/base/audit'
import { STEPS } from '@/service/base/budgets'
import { type FieldFault, invalid, notFound, Problem, refuse } from '@/service/base/problem'
import { writeSetting } from '@/service/base/settings'
import { snapshotFor, type HolidaySnapshot, type StoredCalendar } from '@/core/calendar/snapshot'
import { someOf } from '@/core/phrase/some-of'
import { timingState, type TimingState } from '@/service/base/timing-cache'
import { freeSlug } from '@/service/base/slugs'
import { recompute, settleBeforeChange } from './trigger-next'

export const calendarSchema = z.strictObject({
  slug: slugSchema.optional(),
  title: titleSchema('A calendar needs a title.', 120),
  notes: z.string().max(10_000).default(''),
  rule: dayRuleSchema,
})
/** The version that was read before the change; another one now means that somebody else saved first. */
export const calendarSaveSchema = calendarSchema.omit({ slug: true }).extend({ version: z.int().positive() })

export interface CalendarRow extends StoredCalendar {
  readonly notes: string
  readonly savedBy: string
  readonly savedAt: string
  readonly isSubscribed: boolean
  /** Days in this year, and the next one from today on. */
  readonly daysThisYear: number
  readonly nextDay: string | null
  /** Triggers that stand on it, directly or through others. */
  readonly triggers: number
}

const COLUMNS = `c.id, c.slug, c.title, c.notes, c.rule, c.version, c.holidays, c.saved_by AS "savedBy", c.saved_at AS "savedAt",
  c.feed_hash IS NOT NULL AS "isSubscribed",
  (SELECT count(*)::int FROM triggers t WHERE t.deleted_at IS NULL AND c.slug = ANY(t.calendars)) AS triggers`

const LOOKED_AT_DAYS = 10 * 366

type Stored = Omit<CalendarRow, 'daysThisYear' | 'nextDay'>

/** All calendars by title. There are at most some hundreds, so the list is whole. */
export async function listCalendars(actor: Actor, today: Day): Promise<CalendarRow[]> {
  requireRight(actor, 'see')
  const rows = await many<Stored>(null, `SELECT ${COLUMNS} FROM calendars c ORDER BY lower(c.title)`)
  const state = await timingState(null)
  return rows.map((row) => withDays(row, state, today))
}

export async function oneCalendar(actor: Actor, id: number, today: Day): Promise<CalendarRow> {
  requireRight(actor, 'see')
  return withDays(await readCalendar(null, id), await timingState(null), today)
}

function withDays(row: Stored, state: TimingState, today: Day): CalendarRow {
  const set = state.timings.calendars.calendar(row.slug)
  const { year } = civil(today)
  const next = set.first(today, Math.min(LAST_DAY, today + 366 * 30))
  return {
    ...row,
    daysThisYear: set.count(dayOf(year, 1, 1), dayOf(year, 12, 31)),
    nextDay: Number.isNaN(next) ? null : isoDay(next),
  }
}

export async function readCalendar(tx: Tx | null, id: number, lock = ''): Promise<Stored> {
  const row = await maybeOne<Stored>(tx, `SELECT ${COLUMNS} FROM calendars c WHERE c.id = $1 ${lock}`, [id])
  if (!row) throw notFound('calendar', id)
  return row
}

/** What is wrong with a rule in the place of this calendar: references and loops, holidays, depth. */
export function ruleFaults(slug: string, rule: DayRule, state: TimingState): FieldFault[] {
  const others = state.stored.filter((calendar) => calendar.slug !== slug)
  const at = others.length
  const checked = checkBundle({
    format: FORMAT,
    calendars: [...others.map((c) => ({ id: c.slug, days: c.rule })), { id: slug, days: rule }],
  })
  if (checked.ok) return lengthFaults(slug, rule, state)
  return checked.faults.map(({ path, message }) => ({
    path: path.startsWith(`calendars[${at}].days`) ? path.replace(`calendars[${at}].days`, 'rule') : 'rule',
    message,
  }))
}

/** A calendar is looked at all the time, by people and by all that stands on it: it can be worked out quickly, or is not saved. */
function lengthFaults(slug: string, rule: DayRule, state: TimingState): FieldFault[] {
  const looked = state.with(slug, { title: slug, rule, holidays: null })
  const first = dayOf(new Date().getUTCFullYear() - 1, 1, 1)
  try {
    within(STEPS.calendar, () => looked.timings.calendars.calendar(slug).count(first, first + LOOKED_AT_DAYS))
    return []
  } catch (error) {
    if (error instanceof TooMuch) return [{ path: 'rule', message: error.message }]
    throw error
  }
}

export async function addCalendar(
  actor: Actor,
  calendar: z.output<typeof calendarSchema>,
): Promise<{ id: number; slug: string }> {
  requireRight(actor, 'design')
  return transaction((tx) => insertCalendar(tx, actor, calendar))
}

export async function insertCalendar(
  tx: Tx,
  actor: Actor,
  { slug: wanted, title, notes, rule }: z.output<typeof calendarSchema>,
): Promise<{ id: number; slug: string }> {
  const state = await changing(tx)
  const slug = wanted ?? (await freeSlug(tx, 'calendars', slugOf(title)))
  refuse(ruleFaults(slug, rule, state))
  const { id } = await guardNames(() =>
    db().calendars.create(
      { slug, title, notes, rule, holidays: snapshotFor(rule, new Date().getUTCFullYear()), savedBy: actor.name },
      { transaction: tx },
    ),
  )
  await writeVersion(tx, actor, id, 1, rule)
  await record(tx, actor, 'added', { type: 'calendar', id, title }, { rule })
  await changed(tx, state)
  return { id, slug }
}

/** Saves a change made to the version that was read. Starts that are due already keep to the rule before. */
export async function saveCalendar(
  actor: Actor,
  id: number,
  calendar: z.output<typeof calendarSaveSchema>,
): Promise<{ version: number }> {
  requireRight(actor, 'design')
  return transaction((tx) => saveCalendarIn(tx, actor, id, calendar))
}

export async function saveCalendarIn(
  tx: Tx,
  actor: Actor,
  id: number,
  calendar: z.output<typeof calendarSaveSchema>,
): Promise<{ version: number }> {
  const state = await changing(tx)
  const current = await readCalendar(tx, id, 'FOR UPDATE OF c')
  if (current.version !== calendar.version) {
    throw new Problem(
      'conflict',
      `${current.savedBy} saved this calendar while you were changing it. Nothing of yours is lost: compare the two and decide.`,
      [],
      { theirs: current },
    )
  }
  refuse(ruleFaults(current.slug, calendar.rule, state))
  const isSame = JSON.stringify(current.rule) === JSON.stringify(calendar.rule)
  // The holidays stay those it was made from as long as the rule does.
  const holidays = isSame ? current.holidays : snapshotFor(calendar.rule, new Date().getUTCFullYear())
  const version = await writeCalendar(tx, actor, state, current, { ...calendar, holidays })
  const { title, notes } = calendar
  await record(
    tx,
    actor,
    'changed',
    { type: 'calendar', id, title },
    difference(current, { title, notes, rule: calendar.rule }),
  )
  return { version }
}

/** Writes another version of a calendar, and has all triggers that stand on it worked out anew. */
export async function writeCalendar(
  tx: Tx,
  actor: Actor,
  state: TimingState,
  current: Pick<StoredCalendar, 'id' | 'slug' | 'version'>,
  next: {
    readonly title: string
    readonly notes: string
    readonly rule: DayRule
    readonly holidays: HolidaySnapshot | null
  },
): Promise<number> {
  const nowMs = Date.now()
  const affected = await triggersOn(tx, current.slug)
  await settleBeforeChange(tx, affected, nowMs)
  const version = current.version + 1
  await guardNames(() =>
    execute(
      tx,
      'UPDATE calendars SET title = $2, notes = $3, rule = $4, holidays = $5, version = $6, saved_by = $7, saved_at = now() WHERE id = $1',
      [current.id, next.title, next.notes, JSON.stringify(next.rule), jsonOf(next.holidays), version, actor.name],
    ),
  )
  await writeVersion(tx, actor, current.id, version, next.rule)
  await changed(tx, state)
  await recompute(tx, affected, nowMs)
  return version
}

export async function removeCalendar(actor: Actor, id: number): Promise<void> {
  requireRight(actor, 'design')
  await transaction(async (tx) => {
    const state = await changing(tx)
    const current = await readCalendar(tx, id, 'FOR UPDATE OF c')
    const users = [
      ...(await titlesFor(tx, actor, 'trigger', await triggersNaming(tx, current.slug))),
      ...(await titlesFor(tx, actor, 'job', await workNaming(tx, current.slug))),
      ...state.stored.filter(({ rule }) => calendarsNamed(rule).includes(current.slug)).map(({ title }) => title),
      ...(
        await many<{ name: string }>(
          tx,
          'SELECT name FROM robots WHERE calendar = $1 AND removed_at IS NULL ORDER BY name',
          [current.slug],
        )
      ).map(({ name }) => `the robot ${name}`),
    ]
    if (users.length > 0)
      throw new Problem('not-now', `${current.title} is used by ${someOf(users, 5)}. Take it out there first.`)
    await execute(tx, 'DELETE FROM calendars WHERE id = $1', [id])
    await record(tx, actor, 'removed', { type: 'calendar', id, title: current.title }, { rule: current.rule })
    await changed(tx, state)
  })
}

/** Begins a change of calendars: one at a time, so that a loop cannot be made by two. */
export async function changing(tx: Tx): Promise<TimingState> {
  await execute(tx, `SELECT value FROM settings WHERE key = 'timing-version' FOR UPDATE`)
  return timingState(tx)
}

async function changed(tx: Tx, state: TimingState): Promise<void> {
  await writeSetting(tx, 'timing-version', state.version + 1)
  await notify(tx, { timing: true })
}

async function writeVersion(tx: Tx, actor: Actor, id: number, version: number, rule: DayRule): Promise<void> {
  await db().calendarVersions.create({ calendarId: id, version, rule, savedBy: actor.name }, { transaction: tx })
}

async function guardNames<T>(work: () => Promise<T>): Promise<T> {
  try {
    return await work()
  } catch (error) {
    if (sqlState(error) !== UNIQUE_VIOLATION) throw error
    const isSlug = JSON.stringify((error as { fields?: unknown }).fields ?? {}).includes('slug')
    throw invalid(
      isSlug ? 'slug' : 'title',
      isSlug ? 'There is a calendar with this id already.' : 'There is a calendar with this title already.',
    )
  }
}

/** Triggers that stand on the calendar, directly or through others. */
export async function triggersOn(tx: Tx | null, slug: string): Promise<number[]> {
  const rows = await many<{ id: number }>(
    tx,
    'SELECT id FROM triggers WHERE deleted_at IS NULL AND calendars @> ARRAY[$1] ORDER BY id',
    [slug],
  )
  return rows.map((row) => row.id)
}

function triggersNaming(tx: Tx, slug: string): Promise<{ id: number; title: string }[]> {
  return many<{ id: number; title: string }>(
    tx,
    `SELECT id, title FROM triggers WHERE deleted_at IS NULL AND calendars @> ARRAY[$1] ORDER BY lower(title)`,
    [slug],
  )
}

/** Jobs whose inputs, and flows whose inputs or gates, name it. */
function workNaming(tx: Tx, slug: string): Promise<{ id: number; title: string }[]> {
  return many<{ id: number; title: string }>(
    tx,
    `SELECT j.id, j.title FROM jobs j JOIN job_versions v ON v.job_id = j.id AND v.version = j.version
      WHERE j.deleted_at IS NULL AND EXISTS (SELECT 1 FROM jsonb_path_query(v.definition, '$.**.calendar') AS c WHERE c = to_jsonb($1::text))
      ORDER BY lower(j.title) LIMIT 1000`,
    [slug],
  )
}

const jsonOf = (value: unknown): string | null => (value === null ? null : JSON.stringify(value))
