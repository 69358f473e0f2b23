import { parseCron } from './cron'
import type { Instant, Zone } from './zone'
import { Schedule, type Occurrence, type Timing } from './schedule'

/** A clock change that bears on a trigger, and what it does there. */
export interface ClockDate {
  readonly at: Instant
  /** Seconds that the clock goes forward (positive: times are missing) or back. */
  readonly bySeconds: number
  readonly what: 'gap' | 'fold'
}

const AROUND = 30 * 3600

/**
 * The clock changes of a stretch on which a trigger's rule for gaps or doubled hours matters: those with an occurrence that would be moved, or that would
 * be there twice.
 */
export function clockDates(timing: Timing, from: Instant, to: Instant): ClockDate[] {
  const cron = 'cron' in timing.time ? parseCron(timing.time.cron) : null
  // It follows the clock as shown: there is nothing to decide.
  if (cron?.ok && cron.value.followsClock) return []
  const schedule = new Schedule({ ...timing, gap: 'later', fold: 'both' })
  return changesOf(timing.zone, from, to).filter((change) =>
    schedule
      .between(change.at - AROUND, change.at + AROUND)
      .some((occurrence: Occurrence) => occurrence.clock === (change.what === 'gap' ? 'moved' : 'doubled')),
  )
}

function changesOf(zone: Zone, from: Instant, to: Instant): ClockDate[] {
  return zone
    .changesBetween(from, to)
    .map(({ at, before, after }) => ({ at, bySeconds: after - before, what: after > before ? 'gap' : 'fold' }))
}
