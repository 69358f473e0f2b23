import type { Day } from '../calendar/days'
import { dayBy } from '../work/day-defaults'
import { withKnown } from '../work/flow'
import { isDayDefault, type KnownValues } from '../work/inputs'
import type { Bundle } from './schema'
import type { Timings } from './timings'

/** The bundle with inputs of flows that are a day by default filled in for a run of this day. */
export function onDay(bundle: Bundle, timings: Timings, day: Day): Bundle {
  const known: KnownValues = (source) =>
    isDayDefault(source) ? dayBy(source, day, (id) => timings.calendarDays(id)) : undefined
  return { ...bundle, flows: bundle.flows.map((flow) => withKnown(flow, known)) }
}
