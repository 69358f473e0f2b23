import type { IsDay } from '@/core/flow/rehearse'
import { Timings, type TriggerTiming } from '@/core/bundle/timings'
import { SHIPPED_HOLIDAYS } from '@/core/calendar/holiday-data'
import { calendarsNamed, dayRuleSchema, type DayRule } from '@/core/calendar/rule'
import { calendarFor, type StoredCalendar } from '@/core/calendar/snapshot'
import type { Schedule } from '@/core/timing/schedule'
import { config } from '@/store/config'
import { many, type Tx } from '@/store/db'
import { PerOrganisation } from '@/store/organisation'
import { readSetting } from './settings'

/** All calendars at one moment, and the schedules built on them. */
export class TimingState {
  readonly timings: Timings
  private readonly schedules = new Map<string, Schedule>()
  private readonly bySlug: ReadonlyMap<string, StoredCalendar>

  constructor(
    readonly version: number,
    readonly stored: readonly StoredCalendar[],
  ) {
    // A calendar that cannot be read is missing: what stands on it says so, everything else goes on.
    const readable = stored.filter(({ rule }) => dayRuleSchema.safeParse(rule).success)
    this.timings = new Timings(readable.map(calendarFor), SHIPPED_HOLIDAYS, config().zone)
    this.bySlug = new Map(readable.map((calendar) => [calendar.slug, calendar]))
  }

  /** The schedule of a trigger's version, kept. */
  schedule(id: number, version: number, definition: TriggerTiming): Schedule {
    const key = `${id} ${version}`
    let schedule = this.schedules.get(key)
    if (!schedule) this.schedules.set(key, (schedule = this.timings.schedule(definition)))
    return schedule
  }

  /** Whether a day is one of a rule's. */
  readonly isDay: IsDay = (rule, day) => this.timings.daysOf(rule).has(day)

  /** Calendars that these rules stand on, directly or through others, with their versions. */
  calendarsOf(rules: readonly (DayRule | undefined)[]): Record<string, number> {
    const found: Record<string, number> = {}
    const look = (rule: DayRule): void => {
      for (const slug of calendarsNamed(rule)) {
        const calendar = this.bySlug.get(slug)
        if (!calendar || slug in found) continue
        found[slug] = calendar.version
        look(calendar.rule)
      }
    }
    for (const rule of rules) if (rule) look(rule)
    return found
  }

  /** The same with one calendar changed, added or (null) taken away: for looking ahead. */
  with(slug: string, change: Omit<StoredCalendar, 'slug' | 'version' | 'id'> | null): TimingState {
    const others = this.stored.filter((calendar) => calendar.slug !== slug)
    const changed = change ? [{ id: 0, slug, version: 0, ...change }] : []
    return new TimingState(this.version, [...others, ...changed])
  }
}

const cached = new PerOrganisation((): { state?: TimingState } => ({}))

/** The calendars as they are now. Built anew only when one of them changed since. */
export async function timingState(tx: Tx | null): Promise<TimingState> {
  const version = await readSetting(tx, 'timing-version')
  const kept = cached.get()
  if (kept.state?.version === version) return kept.state
  const rows = await many<StoredCalendar>(
    tx,
    'SELECT id, slug, title, rule, version, holidays FROM calendars ORDER BY slug',
  )
  const state = new TimingState(version, rows)
  // What a transaction sees that is not committed yet is nobody else's.
  if (tx === null) kept.state = state
  return state
}
