import { DAY_SECONDS, parseTimeOfDay } from '../calendar/days'
import { zoneOf } from './zone'

/**
 * When a run that belongs to this occurrence is due: the first instant strictly after it at which the clock of the trigger's zone shows `finishBy`. A day
 * without that time has it moved on by the gap's length; in a doubled hour both readings count. Milliseconds; null without a deadline.
 */
export function finishBy(
  trigger: { readonly finishBy?: string | undefined; readonly zone?: string | undefined },
  occurrenceMs: number,
): number | null {
  const time = trigger.finishBy === undefined ? undefined : parseTimeOfDay(trigger.finishBy)
  const zone = zoneOf(trigger.zone ?? 'UTC')
  if (time === undefined || !zone) return null
  const at = occurrenceMs / 1000
  const day = Math.floor(zone.localAt(at) / DAY_SECONDS)
  for (let each = day - 1; each <= day + 2; each++) {
    const reading = zone.read(each * DAY_SECONDS + time)
    for (const instant of reading.kind === 'twice' ? [reading.first, reading.second] : [reading.at])
      if (instant > at) return instant * 1000
  }
  return null
}
