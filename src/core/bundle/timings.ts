import { Calendars } from '../calendar/calendars'
import { complementOf, intersectionOf, type DaySet } from '../calendar/day-set'
import { parseIsoDay } from '../calendar/days'
import type { HolidaySource } from '../calendar/holidays'
import { Schedule } from '../timing/schedule'
import { zoneOf } from '../timing/zone'
import type { Calendar } from '../calendar/calendars'
import type { DayRule } from '../calendar/rule'
import type { Fold, Gap, TimeRule } from '../timing/rule'

/** What of a trigger decides when it fires. */
export interface TriggerTiming {
  readonly time: TimeRule
  readonly zone?: string | undefined
  readonly on?: DayRule | undefined
  readonly notOn?: DayRule | undefined
  readonly gap?: Gap | undefined
  readonly fold?: Fold | undefined
  readonly from?: string | undefined
  readonly until?: string | undefined
}

/** Calendars and the schedules that are built on them. Equal rules are worked out once, whichever trigger has them. */
export class Timings {
  readonly calendars: Calendars
  private readonly sets = new Map<string, DaySet>()

  constructor(
    calendars: readonly Calendar[],
    holidays: HolidaySource,
    readonly defaultZone: string,
  ) {
    this.calendars = new Calendars(calendars, holidays)
  }

  daysOf(rule: DayRule): DaySet {
    const key = JSON.stringify(rule)
    let set = this.sets.get(key)
    if (!set) this.sets.set(key, (set = this.calendars.daysOf(rule)))
    return set
  }

  /** The days of the calendar of this name, if there is one. */
  calendarDays(id: string): DaySet | undefined {
    return this.calendars.find(id) ? this.daysOf({ calendar: id }) : undefined
  }

  /** The trigger's schedule. It was checked before; an unknown zone or calendar throws. */
  schedule(trigger: TriggerTiming): Schedule {
    const name = trigger.zone ?? this.defaultZone
    const zone = zoneOf(name)
    if (!zone) throw new Error(`There is no time zone ${name}.`)
    return new Schedule({
      time: trigger.time,
      zone,
      gap: trigger.gap,
      fold: trigger.fold,
      eligible: this.eligibleDays(trigger),
      from: trigger.from === undefined ? undefined : parseIsoDay(trigger.from),
      until: trigger.until === undefined ? undefined : parseIsoDay(trigger.until),
    })
  }

  /** The days on which the trigger may fire by `on` and `notOn`; null: every day. */
  eligibleDays({ on, notOn }: Pick<TriggerTiming, 'on' | 'notOn'>): DaySet | null {
    if (!on && !notOn) return null
    if (!notOn) return this.daysOf(on as DayRule)
    const never = this.daysOf(notOn)
    const key = `${JSON.stringify(on)} but not ${JSON.stringify(notOn)}`
    let set = this.sets.get(key)
    if (!set) {
      set = on ? intersectionOf([this.daysOf(on), complementOf(never)]) : complementOf(never)
      this.sets.set(key, set)
    }
    return set
  }
}
