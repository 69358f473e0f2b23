import { Calendars } from '../calendar/calendars'
import { parseIsoDay } from '../calendar/days'
import { SHIPPED_HOLIDAYS } from '../calendar/holiday-data'
import { type DayRule } from '../calendar/rule'
import { calendarFor, snapshotSource, type StoredCalendar } from '../calendar/snapshot'
import { yearView, type YearView } from '../calendar/year'
import { explainDay, type Explanation } from './explain'

/** Parts of a calendar that are kept: what the calculator needs of each. */
export type KnownCalendar = Pick<StoredCalendar, 'slug' | 'title' | 'rule' | 'holidays'>

/**
 * Answers what a screen asks about a calendar whose rule is being changed: its year, and why a day is in it. It knows all calendars as they are kept; the
 * changed one stands in for its own. Methods throw a CalendarFault where calendars are missing or lead back to themselves.
 */
export class CalendarCalculator {
  private known: readonly KnownCalendar[] = []

  know(calendars: readonly KnownCalendar[]): void {
    this.known = calendars
  }

  year(slug: string, rule: DayRule, year: number): YearView {
    const { calendars, source } = this.with(slug, rule)
    return yearView(rule, year, calendars, source)
  }

  explain(slug: string, rule: DayRule, isoDay: string): Explanation {
    const { calendars, source } = this.with(slug, rule)
    const context = new Calendars(calendars, source)
    return explainDay(rule, parseIsoDay(isoDay) as number, context, calendars)
  }

  /** All calendars with this one's rule; where it is as kept, its holidays are those it was made from. */
  private with(
    slug: string,
    rule: DayRule,
  ): { calendars: ReturnType<typeof calendarFor>[]; source: typeof SHIPPED_HOLIDAYS } {
    const kept = this.known.find((calendar) => calendar.slug === slug)
    const isSame = kept !== undefined && JSON.stringify(kept.rule) === JSON.stringify(rule)
    const holidays = isSame ? kept.holidays : null
    const changed: KnownCalendar = { slug, title: kept?.title ?? slug, rule, holidays }
    return {
      calendars: [...this.known.filter((calendar) => calendar.slug !== slug), changed].map(calendarFor),
      source: holidays ? snapshotSource(holidays) : SHIPPED_HOLIDAYS,
    }
  }
}
