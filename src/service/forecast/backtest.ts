import { z } from 'zod'
import { nightOf } from '@/core/forecast/night'
import { learn, LEARNING, type Learning } from '@/core/stats/lengths'
import { requireRight, type Actor } from '@/service/base/actor'
import { many } from '@/store/db'
import { endedRuns, lengthsOf, type LengthRow } from './lengths'
import { forecastMaterial } from './material'
import { laterOf, type Server } from '@/core/forecast/server'
import { openNights } from './present'
import { LEADS, type ToldRow } from '@/core/stats/scores'

export const backtestSchema = z.strictObject({
  days: z.coerce.number().int().min(1).max(400).default(28),
  /** How lengths are learned; other values are for comparing. */
  halfLifeDays: z.coerce.number().min(0.5).max(10_000).default(LEARNING.halfLifeDays),
  drifts: z.boolean().default(LEARNING.drifts),
  samples: z.coerce.number().int().min(20).max(1000).default(60),
  /** Only deadlines before this instant: it goes on where an answer stopped. */
  before: z.iso.datetime({ offset: true }).optional(),
})

export interface Backtest {
  /** What would have been told, and what came; to be scored with those of the parts before. */
  readonly rows: readonly ToldRow[]
  readonly forecasts: number
  /** Where to go on; null: all are done. */
  readonly next: string | null
}

/** Lengths are learned anew for each quarter of a day. */
const LEARN_SECONDS = 6 * 3600
const MOST_RUNS = 4000
const MOST_MS = 25_000

interface Dated {
  readonly trigger: string
  readonly title: string
  readonly machine: string | null
  readonly occurrence: Date
  readonly due: Date
  readonly startedAt: Date | null
  readonly endedAt: Date
  readonly state: string
}

/**
 * The forecasts that would have been made of each deadline of the last days, with only what was known then: runs that had ended, and what was open by the record; the definitions are those of
 * now. In parts, the newest first, since it may take minutes.
 *
 * @param mostMs for how long; at least one deadline is done
 */
export async function backtest(
  actor: Actor,
  { days, halfLifeDays, drifts, samples, before }: z.output<typeof backtestSchema>,
  mostMs = MOST_MS,
): Promise<Backtest> {
  requireRight(actor, 'see')
  const until = performance.now() + mostMs
  const learning: Learning = { ...LEARNING, halfLifeDays, drifts }
  const { bundle, server } = await forecastMaterial(actor)
  const jobs = await many<LengthRow & { id: number }>(
    null,
    `SELECT j.id, j.slug, v.definition->'action'->>'kind' AS kind FROM jobs j JOIN job_versions v ON v.job_id = j.id AND v.version = j.version
      WHERE NOT j.is_flow AND j.deleted_at IS NULL`,
  )
  const runs = await endedRuns(
    jobs.map(({ id }) => id),
    new Date(),
    MOST_RUNS,
  )
  const known = new Map<number, Server['lengths']>()
  const lengthsAt = (at: number): Server['lengths'] => {
    const then = Math.floor(at / LEARN_SECONDS) * LEARN_SECONDS
    let lengths = known.get(then)
    if (!lengths) {
      const rows = jobs.map((job): LengthRow => {
        const { samples: learned, fails, count, byChoice } = learn(runs.get(job.id) ?? [], then, learning)
        return { ...job, samples: learned, fails, count, byChoice }
      })
      known.set(then, (lengths = lengthsOf(rows)))
    }
    return lengths
  }
  const told: ToldRow[] = []
  let forecasts = 0
  let last: number | null = null
  for (const dated of await datedRuns(days, before)) {
    // Those of one instant belong to one part.
    if (last !== null && dated.due.getTime() !== last && performance.now() > until)
      return { rows: told, forecasts, next: dated.due.toISOString() }
    last = dated.due.getTime()
    for (const [lead, seconds] of Object.entries(LEADS) as [keyof typeof LEADS, number][]) {
      const at = Math.floor(dated.due.getTime() / 1000) - seconds
      // What had ended by then is no matter of a forecast.
      if (dated.endedAt.getTime() / 1000 <= at) continue
      const then = { ...laterOf(server), open: await openNights(new Date(at * 1000)), lengths: lengthsAt(at) }
      const { deadlines } = nightOf({ bundle, server: then }, at, Math.ceil(seconds / 3600), { samples, bucket: 3600 })
      forecasts++
      const found = deadlines.find(
        ({ trigger, machine, occurrence }) =>
          trigger === dated.trigger &&
          (machine ?? null) === dated.machine &&
          Date.parse(occurrence) === dated.occurrence.getTime(),
      )
      if (found) told.push(rowOf(dated, lead, found.chance ?? 0, found.finishP50 ?? null))
    }
  }
  return { rows: told, forecasts, next: null }
}

/** Deadlines that are over, of triggers that there are still; the newest first. */
function datedRuns(days: number, before: string | undefined): Promise<Dated[]> {
  return many<Dated>(
    null,
    `SELECT t.slug AS trigger, t.title, m.name AS machine, r.occurrence, r.due_at AS due, r.started_at AS "startedAt", r.ended_at AS "endedAt", r.state
       FROM runs r JOIN triggers t ON t.id = r.trigger_id AND t.deleted_at IS NULL AND t.enabled LEFT JOIN agents m ON m.id = r.for_agent_id
      WHERE r.due_at IS NOT NULL AND r.due_at >= now() - make_interval(days => $1) AND r.due_at < now() AND r.flow_run_id IS NULL AND r.ended_at IS NOT NULL
        AND r.state IN ('succeeded','failed') AND ($2::timestamptz IS NULL OR r.due_at <= $2)
      ORDER BY r.due_at DESC, r.id DESC`,
    [days, before ?? null],
  )
}

function rowOf(
  { trigger, title, due, startedAt, endedAt, state }: Dated,
  lead: keyof typeof LEADS,
  chance: number,
  finishP50: string | null,
): ToldRow {
  const seconds = (date: Date): number => date.getTime() / 1000
  const isWell = state === 'succeeded'
  return {
    lead,
    trigger,
    title,
    chance,
    inTime: isWell && endedAt <= due,
    finishP50: finishP50 === null ? null : Date.parse(finishP50) / 1000,
    finish: isWell ? seconds(endedAt) : null,
    length: isWell && startedAt ? seconds(endedAt) - seconds(startedAt) : null,
  }
}
