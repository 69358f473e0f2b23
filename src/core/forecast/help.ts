import { parseTimeOfDay, timeOfDay } from '../calendar/days'
import { isoInstant } from '../timing/instants'
import type { Change } from './change'
import { changed, type Material } from './changed'
import { modelOf } from './build'
import { ForecastFault } from './model'
import { occurrenceKey, type Forecast, type ForecastDeadline, type ForecastRun } from './report'
import { playSamples } from './sampled'

/** One change that was tried, and what it would do for a deadline. */
export interface Help {
  readonly change: Change
  /** In words, as the end of “would help most:”. */
  readonly words: string
  /** Share of the same samples in time with the change, and without. */
  readonly chance: number
  readonly without: number
}

const MOVED_SECONDS = 1800
const SHORTER = 2 / 3

/**
 * Of the changes that bear on what decided this deadline the one that helps most, by trying each on the same samples (common random numbers, Law 2015 ch. 11); null: none of them
 * helps. Tried are: a slot more in the pool of a run that waited for one, a unit more of a lock that was waited for, the longest run of the chain by a third shorter, the trigger half an hour
 * earlier.
 *
 * @param isTime whether there is time to try one more
 */
export function whatHelps(
  material: Material,
  from: number,
  hours: number,
  forecast: Forecast,
  deadline: ForecastDeadline,
  { samples, seed, isTime }: { samples: number; seed: number; isTime: () => boolean },
): Help | null {
  const dueAt = Date.parse(deadline.due) / 1000
  const chanceOf = (with_: Material, earlierBy = 0): number => {
    const model = modelOf(with_.bundle, from, hours, with_.server)
    const finishes = playSamples(model, seed, 0, samples)
    const occurrence = isoInstant(Date.parse(deadline.occurrence) / 1000 - earlierBy)
    const all = finishes.get(occurrenceKey({ ...deadline, occurrence })) ?? new Float64Array()
    return all.reduce((n, at) => n + (at <= dueAt ? 1 : 0), 0) / samples
  }
  const candidates = candidatesFor(material, forecast, deadline)
  if (candidates.length === 0 || !isTime()) return null
  const without = chanceOf(material)
  let best: Help | null = null
  for (const { change, words } of candidates) {
    if (!isTime()) break
    try {
      const chance = chanceOf(changed(material, [change]), 'at' in change ? MOVED_SECONDS : 0)
      if (chance > (best?.chance ?? without)) best = { change, words, chance, without }
    } catch (error) {
      // What cannot be changed so does not help.
      if (!(error instanceof ForecastFault)) throw error
    }
  }
  return best
}

interface Candidate {
  readonly change: Change
  readonly words: string
}

function candidatesFor({ bundle, server }: Material, forecast: Forecast, deadline: ForecastDeadline): Candidate[] {
  const numbers = new Set(deadline.decidedBy.filter((part): part is number => typeof part === 'number'))
  const chain = forecast.runs.filter(({ number, start }) => numbers.has(number) && start !== null)
  const own = chain.filter((run) => occurrenceKey(run) === occurrenceKey(deadline))
  const out: Candidate[] = []
  const seconds = (run: ForecastRun): number =>
    (Date.parse(run.end ?? run.start ?? '') - Date.parse(run.start ?? '')) / 1000
  const waited = own.filter(({ ready, start }) => start !== null && start > ready)
  const jobs = new Map(bundle.jobs.map((job) => [job.id, job]))
  for (const pool of new Set(waited.flatMap(({ target }) => jobs.get(target)?.pool ?? []))) {
    const slots = bundle.agents.reduce((sum, agent) => sum + (agent.pools.includes(pool) ? agent.slots : 0), 0)
    const to = (slots || (bundle.pools.find(({ id }) => id === pool)?.slots ?? 1)) + 1
    out.push({ change: { slots: { pool, to } }, words: `one slot more in ${pool}` })
  }
  for (const lock of new Set(waited.flatMap(({ target }) => Object.keys(jobs.get(target)?.locks ?? {})))) {
    const units = bundle.locks.find(({ id }) => id === lock)?.units ?? 1
    out.push({ change: { units: { lock, to: units + 1 } }, words: `one unit more of ${lock}` })
  }
  const longest = [...chain].sort((a, b) => seconds(b) - seconds(a))[0]
  if (longest)
    out.push({
      change: { length: { job: longest.target, times: SHORTER } },
      words: `${jobs.get(longest.target)?.title ?? longest.target} by a third shorter`,
    })
  const trigger = bundle.triggers.find(({ id }) => id === deadline.trigger)
  if (trigger?.time && 'at' in trigger.time && trigger.time.at.length === 1 && deadline.run === undefined) {
    const to = earlier(trigger.time.at[0] as string)
    if (to) out.push({ change: { at: { trigger: trigger.id, to: [to] } }, words: `a start at ${to}` })
  }
  return server || bundle.agents.length === 0 ? out : out.filter(({ change }) => !('slots' in change))
}

/** Half an hour before, on the same day. */
function earlier(clock: string): string | null {
  const at = (parseTimeOfDay(clock) as number) - MOVED_SECONDS
  return at < 0 ? null : timeOfDay(at)
}
