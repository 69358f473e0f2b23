import { requireSomewhere, type Actor } from '@/service/base/actor'
import { readSetting } from '@/service/base/settings'
import { forecastMaterial } from './material'
import { laterOf } from '@/core/forecast/server'
import { nightOf } from '@/core/forecast/night'
import { many } from '@/store/db'

/** What a schedule costs in a day, and whom it keeps waiting. */
export interface ScheduleCost {
  readonly id: number
  readonly trigger: string
  readonly title: string
  readonly says: string
  readonly gapSeconds: number | null
  readonly machines: number
  readonly runsADay: number
  readonly slotMinutes: number
  readonly pool: string
  /** Share of the slots of its pool over the day. */
  readonly share: number
  /** Deadlines of other triggers that its runs decide. */
  readonly delays: readonly string[]
  readonly isTooOften: boolean
  /** A longer gap that brings it under the limit, seconds, and what is left then. */
  readonly proposed: { readonly gapSeconds: number; readonly slotMinutes: number } | null
}

const DAY_HOURS = 24

/** All schedules of a day as it usually goes, the costliest first. */
export async function costOfSchedules(actor: Actor): Promise<ScheduleCost[]> {
  requireSomewhere(actor, 'see')
  const [{ bundle, server, now }, tooOften] = await Promise.all([
    forecastMaterial(actor),
    readSetting(null, 'too-often'),
  ])
  const { runs, deadlines, load } = nightOf({ bundle, server: laterOf(server) }, now, DAY_HOURS, { samples: 0 })
  const rows = await many<{ id: number; slug: string; title: string; says: string; gapSeconds: number | null }>(
    null,
    'SELECT id, slug, title, says, gap_seconds AS "gapSeconds" FROM triggers WHERE enabled AND deleted_at IS NULL',
  )
  const poolOf = new Map(bundle.jobs.map(({ id, pool }) => [id, pool ?? '']))
  const capacity = new Map(load.map((each) => [each.pool, each.capacity]))
  const uses = new Map<
    string,
    { runs: number; minutes: number; pool: string; machines: Set<string>; numbers: Set<number> }
  >()
  for (const { trigger, start, end, slots, target, agent, number } of runs) {
    const use = uses.get(trigger) ?? {
      runs: 0,
      minutes: 0,
      pool: poolOf.get(target) ?? '',
      machines: new Set(),
      numbers: new Set(),
    }
    use.runs++
    use.numbers.add(number)
    if (agent !== null) use.machines.add(agent)
    if (start !== null && end !== null) use.minutes += (slots * (Date.parse(end) - Date.parse(start))) / 60_000
    uses.set(trigger, use)
  }
  const each = new Set(bundle.triggers.filter(({ spread }) => spread === 'each').map(({ id }) => id))
  return rows
    .flatMap(({ id, slug, title, says, gapSeconds }): ScheduleCost[] => {
      const use = uses.get(slug)
      if (!use) return []
      const { minutes, pool, machines, numbers } = use
      const delays = deadlines.filter(
        ({ trigger, decidedBy }) =>
          trigger !== slug && decidedBy.some((part) => typeof part === 'number' && numbers.has(part)),
      )
      const limit = tooOften.minutes * 60
      const isTooOften =
        each.has(slug) && machines.size > tooOften.machines && gapSeconds !== null && gapSeconds < limit
      return [
        {
          id,
          trigger: slug,
          title,
          says,
          gapSeconds,
          machines: machines.size,
          runsADay: use.runs,
          slotMinutes: Math.round(minutes),
          pool,
          share: minutes / (Math.max(1, capacity.get(pool) ?? 1) * DAY_HOURS * 60),
          delays: [...new Set(delays.map(({ trigger }) => trigger))],
          isTooOften,
          proposed: isTooOften ? { gapSeconds: limit, slotMinutes: Math.round((minutes * gapSeconds) / limit) } : null,
        },
      ]
    })
    .sort((a, b) => b.slotMinutes - a.slotMinutes)
}
