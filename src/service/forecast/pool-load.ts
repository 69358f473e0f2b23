import { isTimed } from '@/core/events/kinds'
import { isoDay, type Day } from '@/core/calendar/days'
import { loadOver, type Busy } from '@/core/timing/load'
import type { Schedule } from '@/core/timing/schedule'
import { zoneOf } from '@/core/timing/zone'
import { config } from '@/store/config'
import { many } from '@/store/db'
import { HORIZON_SECONDS } from '@/service/timing/firing'
import { usualLoads } from './usual-load'
import { machinesOf } from '@/service/fleet/targets'
import type { FlowDefinition } from '@/core/work/flow'
import type { JobDefinition } from '@/core/work/job'
import type { TimingState } from '@/service/base/timing-cache'
import { triggerIfReadable, type TriggerDefinition } from '@/core/work/trigger'

export interface PoolLoad {
  readonly pool: string
  /** Local date of the first day on which the trigger fires. */
  readonly day: string
  readonly fromAt: string
  readonly bucketMinutes: number
  readonly capacity: number
  /** Mean slots in use by other triggers of the pool, and by this one. */
  readonly others: readonly number[]
  readonly mine: readonly number[]
}

const BUCKETS = 96

interface Looked {
  readonly id: number | null
  readonly definition: TriggerDefinition
  readonly schedule: Schedule
  readonly job: {
    readonly id: number
    readonly definition: Pick<JobDefinition, 'target' | 'slots'> | FlowDefinition
  }
}

/** What a trigger adds to the load of its pool over the first day on which it fires, by the usual lengths of the jobs. */
export async function poolLoad(
  state: TimingState,
  { id, definition, schedule, job }: Looked,
  now: number,
): Promise<PoolLoad | null> {
  if ('steps' in job.definition) return null
  const { target } = job.definition
  if (!('pool' in target)) return null
  const pool = String(target.pool)
  const first = schedule.next(now, now + HORIZON_SECONDS)
  const zone = zoneOf(definition.zone ?? config().zone)
  if (!first || !zone) return null
  const day: Day = Math.floor(zone.localAt(first.at) / 86_400)
  const reading = zone.read(day * 86_400)
  const from = reading.kind === 'twice' ? reading.first : reading.at
  const to = from + 86_400
  const rows = await many<{ id: number; jobId: number; version: number; definition: unknown }>(
    null,
    `SELECT t.id, t.job_id AS "jobId", t.version, t.definition
       FROM triggers t JOIN jobs j ON j.id = t.job_id JOIN job_versions v ON v.job_id = j.id AND v.version = j.version
      WHERE t.enabled AND t.deleted_at IS NULL AND t.id IS DISTINCT FROM $2::bigint AND (v.definition->'target'->>'pool' = $1 OR j.is_flow AND j.active)`,
    [pool, id],
  )
  const usual = await usualLoads(null, [job.id, ...rows.map(({ jobId }) => jobId)], state.isDay)
  const machines = (await machinesOf(null)).filter((machine) => machine.fits({ pool })).length
  const [{ capacity } = { capacity: 0 }] = await many<{ capacity: number }>(
    null,
    `SELECT coalesce(sum(a.slots), 0)::int AS capacity FROM agents a JOIN pool_members m ON m.agent_id = a.id AND m.active JOIN pools p ON p.id = m.pool_id
      WHERE p.name = $1 AND p.active AND a.active AND a.credential_hash IS NOT NULL`,
    [pool],
  )
  const busy = (schedule: Schedule, spread: string, jobId: number): Busy[] => {
    const slotsIn = (all: ReturnType<typeof usual>): ReturnType<typeof usual> =>
      all.filter(({ target: there }) => 'pool' in there && there.pool === pool)
    const longest = Math.max(0, ...slotsIn(usual(jobId, day)).map(({ afterMs, lengthMs }) => afterMs + lengthMs))
    return schedule.between(from - longest / 1000, to, 20_000).flatMap(({ at, day: of }) =>
      slotsIn(usual(jobId, of)).map(({ afterMs, lengthMs, slots }) => ({
        fromMs: at * 1000 + afterMs,
        lengthMs,
        slots: slots * (spread === 'each' ? machines : 1),
      })),
    )
  }
  const others = rows.flatMap((row) => {
    const parsed = triggerIfReadable(row.definition)
    if (!parsed || !isTimed(parsed)) return []
    return busy(state.schedule(row.id, row.version, parsed), parsed.spread, row.jobId)
  })
  const mine = busy(schedule, definition.spread, job.id)
  return {
    pool,
    day: isoDay(day),
    fromAt: new Date(from * 1000).toISOString(),
    bucketMinutes: 1440 / BUCKETS,
    capacity,
    others: loadOver(others, from * 1000, to * 1000, BUCKETS),
    mine: loadOver(mine, from * 1000, to * 1000, BUCKETS),
  }
}
