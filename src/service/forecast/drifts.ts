import { driftOf, type JobDrift, type Measured } from '@/core/stats/drift'
import { many } from '@/store/db'
import { PerOrganisation } from '@/store/organisation'
import { beyondWalls, whoReads } from '@/store/walls'
import { requireSomewhere, type Actor } from '@/service/base/actor'

const DAYS = 60
/** A trend over weeks does not change within minutes. */
const KEPT_MS = 10 * 60_000

const kept = new PerOrganisation((): { at: number; drifts: Promise<JobDrift[]> } => ({
  at: -Infinity,
  drifts: Promise.resolve([]),
}))

/** Jobs and flows that have become slower or quicker over the last sixty days, by the medians of their successful runs of each day. */
export async function listDrifts(actor: Actor, nowMs = Date.now()): Promise<JobDrift[]> {
  requireSomewhere(actor, 'see')
  // Kept for all who ask, so it is read beyond anybody's walls; each is shown what they may see.
  const mine = kept.get()
  if (nowMs - mine.at > KEPT_MS) Object.assign(mine, { at: nowMs, drifts: beyondWalls(readDrifts) })
  const drifts = await mine.drifts
  if (whoReads() === undefined) return drifts
  const seen = await many<{ id: number }>(null, 'SELECT id FROM jobs WHERE id = ANY($1)', [
    drifts.map(({ jobId }) => jobId),
  ])
  const ids = new Set(seen.map(({ id }) => id))
  return drifts.filter(({ jobId }) => ids.has(jobId))
}

async function readDrifts(): Promise<JobDrift[]> {
  const rows = await many<{ jobId: number; at: number; length: number }>(
    null,
    `SELECT job_id AS "jobId", floor(extract(epoch FROM ended_at) / 86400)::int * 86400 AS at, percentile_disc(0.5) WITHIN GROUP (ORDER BY duration_ms)::float8 AS length
       FROM runs WHERE ended_at > now() - make_interval(days => $1) AND state = 'succeeded' AND duration_ms IS NOT NULL GROUP BY 1, 2`,
    [DAYS],
  )
  const byJob = new Map<number, Measured[]>()
  for (const { jobId, at, length } of rows) {
    const list = byJob.get(jobId)
    if (list) list.push({ at, length })
    else byJob.set(jobId, [{ at, length }])
  }
  return [...byJob].flatMap(([jobId, measured]) => {
    const drift = driftOf(measured)
    return drift ? [{ jobId, change: drift.change, days: Math.round(drift.span / 86_400), count: drift.count }] : []
  })
}
