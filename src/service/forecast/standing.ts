import { whatHelps } from '@/core/forecast/help'
import { nightOf, type NightForecast } from '@/core/forecast/night'
import { occurrenceKey, type ForecastDeadline, type ForecastRun } from '@/core/forecast/report'
import { maybeOne, execute } from '@/store/db'
import { COMMAND_LINE, requireSomewhere, type Actor } from '@/service/base/actor'
import { chanceLimits } from './chances'
import { refreshLengths } from './lengths'
import { forecastMaterial } from './material'
import type { Standing } from './kept'
import { noteRisks, type StandingDeadline } from './risks'
import { seenNames, seenOf } from './seen'
import { noteTold } from './told'

/** The forecast that is kept: so far ahead, so many samples. */
const AHEAD_HOURS = 24
const SAMPLES = 200
/** What would help is looked for with fewer samples, for so long in all. */
const TRIED_SAMPLES = 40
const MOST_TRYING_MS = 10_000
/** A chance that differs by less is the same, as far as what helps goes. */
const SAME_CHANCE = 0.08

/** Until an hour after it is due: what comes later is no matter of a deadline. */
const hoursTo = ({ due }: ForecastDeadline, now: number): number =>
  Math.min(AHEAD_HOURS, Math.max(1, Math.ceil((Date.parse(due) / 1000 - now) / 3600) + 1))

/**
 * Makes the forecast of the next day from how everything stands, keeps it for all processes, and lets deadlines at risk be known. For a thread of the leading engine: it takes from some
 * milliseconds to some seconds of one core.
 */
export async function makeStanding(): Promise<{ readonly tookMs: number }> {
  const began = performance.now()
  await refreshLengths()
  const material = await forecastMaterial(COMMAND_LINE)
  const night = nightOf(material, material.now, AHEAD_HOURS, { samples: SAMPLES })
  const limits = await chanceLimits()
  const before = new Map((await standingForecast(COMMAND_LINE))?.deadlines.map((each) => [occurrenceKey(each), each]))
  const trying = performance.now()
  const isTime = (): boolean => performance.now() - trying < MOST_TRYING_MS
  const deadlines = night.deadlines.map((deadline): StandingDeadline => {
    if ((deadline.chance ?? 1) * 100 >= limits.amber) return deadline
    const chance = deadline.chance ?? 1
    const known = before.get(occurrenceKey(deadline))
    // What helped a while ago still does, unless things have changed; on a busy machine there may be no time to try.
    const isStill = known?.helpFor !== undefined && Math.abs(known.helpFor - chance) < SAME_CHANCE
    const isTried = !isStill && isTime()
    const request = { samples: TRIED_SAMPLES, seed: 1, isTime }
    const found = isTried
      ? whatHelps(material, material.now, hoursTo(deadline, material.now), night, deadline, request)
      : null
    if (found) return { ...deadline, help: found.words, helpChance: found.chance, helpFor: chance }
    // That nothing helps is remembered too.
    if (isTried && isTime()) return { ...deadline, helpFor: chance }
    if (known?.helpFor === undefined) return deadline
    const { help, helpChance = 0, helpFor } = known
    return { ...deadline, ...(help ? { help, helpChance } : {}), helpFor }
  })
  const ran = new Set(night.runs.map(({ target }) => target))
  const { lengths } = material.server
  const standing: Omit<Standing, 'madeAt'> = {
    ...night,
    deadlines,
    guesses: [...ran].filter((job) => lengths[job]?.isGuess).sort(),
    jobs: ran.size,
    leftOut: material.leftOut,
    soon: soonOf(night, material.now),
    late: lateOf(night),
  }
  const tookMs = Math.round(performance.now() - began)
  await execute(
    null,
    `INSERT INTO forecasts (made_at, took_ms, body, runs) VALUES (to_timestamp($1), $2, $3, $4)
     ON CONFLICT (singleton) DO UPDATE SET made_at = excluded.made_at, took_ms = excluded.took_ms, body = excluded.body, runs = excluded.runs
       WHERE forecasts.made_at <= excluded.made_at`,
    [material.now, tookMs, JSON.stringify({ ...standing, runs: [] }), JSON.stringify(night.runs)],
  )
  await noteTold(deadlines, material.now)
  await noteRisks(deadlines, limits)
  return { tookMs }
}

const SOON_SECONDS = 40 * 60
const MOST_SOON = 1000

function soonOf({ runs }: NightForecast, now: number): Standing['soon'] {
  const before = new Date((now + SOON_SECONDS) * 1000).toISOString()
  const after = new Date(now * 1000).toISOString()
  return runs
    .filter(({ start, agent }) => start !== null && agent !== null && start > after && start < before)
    .slice(0, MOST_SOON)
    .map(({ target, agent, start, end }) => ({ target, agent, start, end }))
}

/** Later by less than this is no matter. */
const LATE_MS = 60_000
const MOST_LATE = 1000

/** Of each occurrence its first run. */
function lateOf({ runs, from }: NightForecast): Standing['late'] {
  const first = new Map<string, ForecastRun>()
  for (const run of runs) {
    const key = `${run.trigger} ${run.occurrence}`
    if (run.start !== null && Date.parse(run.occurrence) >= from * 1000 && !first.has(key)) first.set(key, run)
  }
  return [...first.values()]
    .filter(({ occurrence, start }) => Date.parse(start as string) - Date.parse(occurrence) > LATE_MS)
    .slice(0, MOST_LATE)
    .map(({ trigger, occurrence, ready, start }) => ({
      trigger,
      occurrence,
      at: start as string,
      why:
        Date.parse(ready) - Date.parse(occurrence) > LATE_MS ? 'waits for the run before it' : 'waits for a free slot',
    }))
}

/** The kept forecast; null: none was made yet. Its runs only where they are asked for: there may be thousands. */
export async function standingForecast(actor: Actor, withRuns = false): Promise<Standing | null> {
  requireSomewhere(actor, 'see')
  const seen = await seenNames()
  const row = await maybeOne<{ madeAt: Date; body: Omit<Standing, 'madeAt'>; runs: Standing['runs'] | null }>(
    null,
    'SELECT made_at AS "madeAt", body, CASE WHEN $1 THEN runs END AS runs FROM forecasts',
    [withRuns || seen !== null],
  )
  if (!row) return null
  const standing = { ...row.body, madeAt: row.madeAt.toISOString(), runs: row.runs ?? [] }
  if (!seen) return standing
  const shown = seenOf(standing, seen)
  return withRuns ? shown : { ...shown, runs: [] }
}
