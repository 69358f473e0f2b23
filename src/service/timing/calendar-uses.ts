import { SHIPPED_HOLIDAYS_VERSION } from '@/core/calendar/holiday-data'
import { calendarsNamed } from '@/core/calendar/rule'
import { many, transaction } from '@/store/db'
import { requireRight, type Actor } from '@/service/base/actor'
import { record } from '@/service/base/audit'
import { changing, readCalendar, writeCalendar } from './calendars'
import { snapshotFor, type StoredCalendar } from '@/core/calendar/snapshot'
import { timingState } from '@/service/base/timing-cache'

export interface CalendarUse {
  readonly kind: 'trigger' | 'calendar' | 'robot'
  readonly id: number
  readonly title: string
  /** Through another calendar. */
  readonly isIndirect: boolean
  readonly nextAt: string | null
}

/** What uses a calendar. */
export async function calendarUses(actor: Actor, id: number): Promise<CalendarUse[]> {
  requireRight(actor, 'see')
  const { slug } = await readCalendar(null, id)
  const state = await timingState(null)
  const calendars = state.stored
    .filter((other) => other.slug !== slug && slug in state.calendarsOf([other.rule]))
    .map((other): CalendarUse => ({
      kind: 'calendar',
      id: other.id,
      title: other.title,
      isIndirect: !calendarsNamed(other.rule).includes(slug),
      nextAt: null,
    }))
  const triggers = await many<{ id: number; title: string; nextAt: string | null; isIndirect: boolean }>(
    null,
    `SELECT id, title, next_at AS "nextAt", NOT (definition::text LIKE '%"calendar": "' || $1 || '"%') AS "isIndirect"
       FROM triggers WHERE deleted_at IS NULL AND calendars @> ARRAY[$1] ORDER BY next_at NULLS LAST, lower(title) LIMIT 500`,
    [slug],
  )
  const robots = await many<{ id: number; title: string }>(
    null,
    'SELECT id, name AS title FROM robots WHERE calendar = $1 AND removed_at IS NULL ORDER BY name',
    [slug],
  )
  const usedByRobots = robots.map((robot): CalendarUse => ({
    kind: 'robot',
    ...robot,
    isIndirect: false,
    nextAt: null,
  }))
  return [...calendars, ...usedByRobots, ...triggers.map((trigger): CalendarUse => ({ kind: 'trigger', ...trigger }))]
}

interface HolidayChange {
  readonly day: string
  readonly name: string
  readonly what: 'added' | 'dropped' | 'renamed'
}

export interface HolidayState {
  /** Version of the data that the calendar was made from; null: it names no holidays. */
  readonly madeFrom: string | null
  readonly shipped: string
  readonly changes: HolidayChange[]
}

export async function holidayChangesOf(actor: Actor, id: number): Promise<HolidayState> {
  requireRight(actor, 'see')
  const calendar = await readCalendar(null, id)
  return {
    madeFrom: calendar.holidays?.version ?? null,
    shipped: SHIPPED_HOLIDAYS_VERSION,
    changes: holidayChanges(calendar, new Date().getUTCFullYear()),
  }
}

/** What the shipped holiday data would change in a calendar, in the years it keeps, from this year on. */
function holidayChanges(calendar: Pick<StoredCalendar, 'rule' | 'holidays'>, year: number): HolidayChange[] {
  const kept = calendar.holidays
  const now = snapshotFor(calendar.rule, year)
  if (!kept || !now) return []
  const out: HolidayChange[] = []
  for (const [query, years] of Object.entries(kept.wishes)) {
    for (const [each, days] of Object.entries(years)) {
      if (Number(each) < year) continue
      const before = new Map(days)
      const after = new Map(now.wishes[query]?.[Number(each)] ?? [])
      if (!now.wishes[query]?.[Number(each)]) continue
      for (const [day, name] of after)
        if (!before.has(day)) out.push({ day, name, what: 'added' })
        else if (before.get(day) !== name) out.push({ day, name, what: 'renamed' })
      for (const [day, name] of before) if (!after.has(day)) out.push({ day, name, what: 'dropped' })
    }
  }
  return out.sort((a, b) => (a.day < b.day ? -1 : 1))
}

/** Takes over what the shipped holiday data says now, for a calendar that was made from an older state of it. */
export async function takeOverHolidays(actor: Actor, id: number): Promise<{ version: number }> {
  requireRight(actor, 'design')
  return transaction(async (tx) => {
    const state = await changing(tx)
    const current = await readCalendar(tx, id, 'FOR UPDATE OF c')
    const holidays = snapshotFor(current.rule, new Date().getUTCFullYear())
    const version = await writeCalendar(tx, actor, state, current, { ...current, holidays })
    await record(
      tx,
      actor,
      'took over holidays',
      { type: 'calendar', id, title: current.title },
      { from: current.holidays?.version ?? null, to: holidays?.version ?? null },
    )
    return { version }
  })
}
