import type { ForecastDeadline } from '@/core/forecast/report'
import { LEADS, type Lead } from '@/core/stats/scores'
import { execute } from '@/store/db'

/**
 * Keeps what is said of each deadline at the first look at which it is no longer away than a lead, and at the first after its work began: to be compared with what came. Once said, it stays.
 *
 * @param now seconds since the epoch
 */
export async function noteTold(deadlines: readonly ForecastDeadline[], now: number): Promise<void> {
  const rows = deadlines.flatMap((deadline) => {
    const { trigger, machine = '', occurrence, due, chance, finishP50 = null, finishP90 = null, run } = deadline
    if (chance === undefined || trigger.startsWith('#')) return []
    const left = Date.parse(due) / 1000 - now
    const leads: Lead[] = (Object.keys(LEADS) as (keyof typeof LEADS)[]).filter(
      (lead) => left > 0 && left <= LEADS[lead],
    )
    if (run !== undefined) leads.push('begun')
    return leads.map((lead) => ({ trigger, machine, occurrence, due, chance, p50: finishP50, p90: finishP90, lead }))
  })
  if (rows.length === 0) return
  await execute(
    null,
    `INSERT INTO told_deadlines (trigger_id, occurrence, machine, lead, told_at, due_at, chance, finish_p50, finish_p90)
     SELECT t.id, x.occurrence, x.machine, x.lead, to_timestamp($2), x.due, x.chance, x.p50, x.p90
       FROM jsonb_to_recordset($1::jsonb) AS x(trigger text, machine text, occurrence timestamptz, due timestamptz, chance real, p50 timestamptz, p90 timestamptz, lead text)
       JOIN triggers t ON t.slug = x.trigger AND t.deleted_at IS NULL
      ORDER BY t.id, x.occurrence
     ON CONFLICT DO NOTHING`,
    [JSON.stringify(rows), now],
  )
}
