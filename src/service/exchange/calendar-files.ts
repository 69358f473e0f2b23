import { z } from 'zod'
import { civil, dayOf, LAST_DAY, type Day } from '@/core/calendar/days'
import { ICalendarFault, readICalendar, type ICalendarIn } from '@/core/exchange/icalendar-in'
import { writeICalendar } from '@/core/exchange/icalendar-out'
import type { DayRule } from '@/core/calendar/rule'
import { sayDays } from '@/core/phrase/say'
import { execute, maybeOne, transaction } from '@/store/db'
import { notify } from '@/store/listen'
import { requireRight, type Actor } from '@/service/base/actor'
import { record } from '@/service/base/audit'
import { bounded } from '@/service/base/budgets'
import { readCalendar } from '@/service/timing/calendars'
import { invalid, notFound } from '@/service/base/problem'
import { hashToken, newToken } from '@/service/base/secrets'
import { calendarFor, type StoredCalendar } from '@/core/calendar/snapshot'
import { timingState } from '@/service/base/timing-cache'

export const icsSchema = z.strictObject({
  text: z
    .string()
    .min(1, 'The file is empty.')
    .max(8 * 1024 * 1024, 'A file has at most 8 million characters.'),
})
export const icsRangeSchema = z.strictObject({
  from: z.coerce.number().int().min(1).max(9999).optional(),
  to: z.coerce.number().int().min(1).max(9999).optional(),
})

/** Years that a file or a subscription carries: the one before, this one and the two after. */
const YEARS_BACK = 1
const YEARS_AHEAD = 2
const MOST_YEARS = 50

export interface IcsPreview extends ICalendarIn {
  readonly says: string
}

/** What an iCalendar file would become, with what cannot be carried over. Nothing is saved. */
export async function readIcs(actor: Actor, { text }: z.output<typeof icsSchema>): Promise<IcsPreview> {
  requireRight(actor, 'design')
  try {
    const read = bounded('file', 'text', () => readICalendar(text))
    return { ...read, says: sayDays(read.days).slice(0, 2000) }
  } catch (error) {
    if (error instanceof ICalendarFault) throw invalid('text', error.message)
    throw error
  }
}

/** The calendar’s days as an iCalendar file. */
export async function calendarIcs(
  actor: Actor,
  id: number,
  range: z.output<typeof icsRangeSchema>,
): Promise<{ name: string; text: string }> {
  requireRight(actor, 'see')
  const calendar = await readCalendar(null, id)
  return { name: `${calendar.slug}.ics`, text: await icsOf(calendar, range) }
}

/** The same for whoever has the address of a subscription; undefined if there is none such. */
export async function subscribedIcs(token: string): Promise<{ name: string; text: string } | undefined> {
  const calendar = await maybeOne<StoredCalendar>(
    null,
    'SELECT id, slug, title, rule, version, holidays FROM calendars WHERE feed_hash = $1',
    [hashToken(token)],
  )
  return calendar && { name: `${calendar.slug}.ics`, text: await icsOf(calendar, {}) }
}

async function icsOf(calendar: StoredCalendar, range: z.output<typeof icsRangeSchema>): Promise<string> {
  const { timings } = await timingState(null)
  const nowMs = Date.now()
  const year = new Date(nowMs).getUTCFullYear()
  const from = range.from ?? year - YEARS_BACK
  const to = Math.min(range.to ?? year + YEARS_AHEAD, from + MOST_YEARS - 1)
  if (to < from) throw invalid('to', 'The last year comes before the first.')
  return writeICalendar({
    id: calendar.slug,
    title: calendar.title,
    days: timings.calendars.calendar(calendar.slug),
    from: dayOf(from, 1, 1),
    to: Math.min(LAST_DAY, dayOf(to, 12, 31)),
    nowMs,
    nameOf: namesOf(calendar),
  })
}

/** Names that the rule gives to single days: of listed dates and of holidays, where the rule is made of these. */
function namesOf(calendar: StoredCalendar): (day: Day) => string | undefined {
  const names = new Map<string, string>()
  const requests: Extract<DayRule, { holidays: unknown }>[] = []
  const look = (rule: DayRule): void => {
    if ('dates' in rule)
      for (const entry of rule.dates) if (typeof entry !== 'string' && entry.title) names.set(entry.date, entry.title)
    if ('holidays' in rule) requests.push(rule)
    if ('any' in rule) rule.any.forEach(look)
    if ('all' in rule) rule.all.forEach(look)
  }
  look(calendar.rule)
  const source = calendarFor(calendar).holidays
  return (day) => {
    const { year, month, day: dayOfMonth } = civil(day)
    const listed = names.get(`${year}-${String(month).padStart(2, '0')}-${String(dayOfMonth).padStart(2, '0')}`)
    if (listed) return listed
    for (const { holidays } of requests) {
      const found = [year - 1, year]
        .flatMap((each) => source?.holidays(holidays, each) ?? [])
        .find((holiday) => holiday.day === day)
      if (found) return found.name
    }
    return undefined
  }
}

/** A secret address for reading the calendar from elsewhere, shown once; an earlier one ends. */
export async function subscribe(actor: Actor, id: number): Promise<{ path: string }> {
  requireRight(actor, 'design')
  return transaction(async (tx) => {
    const calendar = await readCalendar(tx, id, 'FOR UPDATE OF c')
    const token = newToken('bgc')
    await execute(tx, 'UPDATE calendars SET feed_hash = $2 WHERE id = $1', [id, hashToken(token)])
    await record(tx, actor, 'made a subscription', { type: 'calendar', id, title: calendar.title })
    await notify(tx, { timing: true })
    return { path: `/calendars/${token}.ics` }
  })
}

export async function unsubscribe(actor: Actor, id: number): Promise<void> {
  requireRight(actor, 'design')
  await transaction(async (tx) => {
    const calendar = await readCalendar(tx, id, 'FOR UPDATE OF c')
    const ended = await execute(tx, 'UPDATE calendars SET feed_hash = NULL WHERE id = $1 AND feed_hash IS NOT NULL', [
      id,
    ])
    if (ended === 0) throw notFound('subscription of calendar', id)
    await record(tx, actor, 'ended the subscription', { type: 'calendar', id, title: calendar.title })
    await notify(tx, { timing: true })
  })
}
