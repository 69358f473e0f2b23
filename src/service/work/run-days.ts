import type { Day } from '@/core/calendar/days'
import { isoDay, parseIsoDay } from '@/core/calendar/days'
import { zoneOf } from '@/core/timing/zone'
import { dayBy, type DayDefault } from '@/core/work/day-defaults'
import { isDayDefault, type Input } from '@/core/work/inputs'
import { config } from '@/store/config'
import type { Tx } from '@/store/db'
import type { FieldFault } from '@/service/base/problem'
import { timingState, type TimingState } from '@/service/base/timing-cache'

/** What a default that is a day is in one run; undefined: there is none. */
export type DayOf = (source: DayDefault) => string | undefined

/** The day that it is in a zone, else in the server's. */
export function dayAt(nowMs: number, zone: string | null): string {
  const local = (zoneOf(zone ?? config().zone) ?? zoneOf('UTC'))?.localAt(Math.floor(nowMs / 1000)) ?? nowMs / 1000
  return isoDay(Math.floor(local / 86_400))
}

export const daysAround =
  ({ timings }: TimingState, day: string): DayOf =>
  (source) =>
    dayBy(source, parseIsoDay(day) as Day, (id) => timings.calendarDays(id))

/** As of the day that it is now where the server is. */
export const daysAroundNow = async (tx: Tx | null): Promise<DayOf> =>
  daysAround(await timingState(tx), dayAt(Date.now(), null))

/** Inputs whose default is of a calendar that is not there. */
export function dayFaultsOf(inputs: readonly Input[], { timings }: TimingState): FieldFault[] {
  return inputs.flatMap(({ default: value }, i) =>
    isDayDefault(value) && 'calendar' in value && !timings.calendars.find(value.calendar)
      ? [{ path: `definition.inputs[${i}].default`, message: `There is no calendar ${value.calendar}.` }]
      : [],
  )
}
