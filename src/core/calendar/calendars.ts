import { compileDays, type RuleContext } from './compile'
import type { DaySet } from './day-set'
import type { HolidaySource } from './holidays'
import type { DayRule } from './rule'

/** A calendar that is not there, or that leads back to itself. */
class CalendarFault extends Error {}

export interface Calendar {
  readonly id: string
  readonly title?: string | undefined
  readonly days: DayRule
  /** Where its own holidays come from, if not from where all others do: what it was made from. */
  readonly holidays?: HolidaySource | undefined
}

/**
 * Calendars that refer to each other: each is compiled once and shared by all that name it, whatever the shape of the references.
 */
export class Calendars implements RuleContext {
  private readonly rules: ReadonlyMap<string, Calendar>
  private readonly sets = new Map<string, DaySet>()
  private readonly open: string[] = []

  constructor(
    calendars: readonly Calendar[],
    readonly holidays: HolidaySource,
  ) {
    this.rules = new Map(calendars.map((calendar) => [calendar.id, calendar]))
  }

  get ids(): string[] {
    return [...this.rules.keys()]
  }

  find(id: string): Calendar | undefined {
    return this.rules.get(id)
  }

  readonly calendar = (id: string): DaySet => {
    const known = this.sets.get(id)
    if (known) return known
    const definition = this.rules.get(id)
    if (!definition) throw new CalendarFault(`There is no calendar ${id}.`)
    if (this.open.includes(id))
      throw new CalendarFault(
        `Calendars refer to each other in a loop: ${[...this.open.slice(this.open.indexOf(id)), id].join(' → ')}.`,
      )
    this.open.push(id)
    try {
      const context = { calendar: this.calendar, holidays: definition.holidays ?? this.holidays }
      const set = compileDays(definition.days, context)
      this.sets.set(id, set)
      return set
    } finally {
      this.open.pop()
    }
  }

  /** The days of a rule that is no calendar of its own. */
  daysOf(rule: DayRule): DaySet {
    return compileDays(rule, this)
  }
}
