import { z } from 'zod'
import { scored, type Scored, type ToldRow } from '@/core/stats/scores'
import { requireSomewhere, type Actor } from '@/service/base/actor'
import { many } from '@/store/db'

export const accuracySchema = z.strictObject({ days: z.coerce.number().int().min(1).max(400).default(28) })

/** How right the forecasts of deadlines were, by how long before they were made. */
export interface Accuracy extends Scored {
  readonly days: number
  readonly adherence: readonly Adherence[]
}

/** How a trigger kept its finish-by, week by week. */
interface Adherence {
  readonly triggerId: number
  readonly title: string
  readonly weeks: readonly {
    /** ISO date of its Monday. */
    readonly week: string
    readonly deadlines: number
    readonly inTime: number
    /** Median margin of those that ended well, seconds; negative: late. */
    readonly margin: number | null
  }[]
}

/** What was told of deadlines that are over, beside what came. */
export async function accuracy(actor: Actor, { days }: z.output<typeof accuracySchema>): Promise<Accuracy> {
  requireSomewhere(actor, 'see')
  const rows = await many<ToldRow>(
    null,
    `SELECT d.lead, t.slug AS trigger, t.title, d.chance, extract(epoch FROM d.finish_p50)::float8 AS "finishP50",
            coalesce(r.state = 'succeeded' AND r.ended_at <= d.due_at, false) AS "inTime",
            CASE WHEN r.state = 'succeeded' THEN extract(epoch FROM r.ended_at)::float8 END AS finish,
            CASE WHEN r.state = 'succeeded' THEN extract(epoch FROM r.ended_at - r.started_at)::float8 END AS length
       FROM told_deadlines d JOIN triggers t ON t.id = d.trigger_id LEFT JOIN agents m ON m.name = d.machine
       JOIN runs r ON r.trigger_id = d.trigger_id AND r.occurrence = d.occurrence AND r.for_agent_id IS NOT DISTINCT FROM m.id AND r.ended_at IS NOT NULL
      WHERE d.due_at >= now() - make_interval(days => $1) AND d.due_at < now()`,
    [days],
  )
  return { ...scored(rows), days, adherence: await adherence(days) }
}

async function adherence(days: number): Promise<Adherence[]> {
  const rows = await many<{
    triggerId: number
    title: string
    week: string
    deadlines: number
    inTime: number
    margin: number | null
  }>(
    null,
    `SELECT t.id AS "triggerId", t.title, to_char(date_trunc('week', r.due_at), 'YYYY-MM-DD') AS week, count(*)::int AS deadlines,
            count(*) FILTER (WHERE r.state = 'succeeded' AND r.ended_at <= r.due_at)::int AS "inTime",
            percentile_cont(0.5) WITHIN GROUP (ORDER BY CASE WHEN r.state = 'succeeded' THEN extract(epoch FROM r.due_at - r.ended_at)::float8 END) AS margin
       FROM runs r JOIN triggers t ON t.id = r.trigger_id AND t.deleted_at IS NULL
      WHERE r.due_at >= now() - make_interval(days => $1) AND r.due_at < now() AND r.flow_run_id IS NULL AND r.ended_at IS NOT NULL
      GROUP BY 1, 2, 3 ORDER BY lower(t.title), 3`,
    [days],
  )
  const out = new Map<number, { triggerId: number; title: string; weeks: Adherence['weeks'][number][] }>()
  for (const { triggerId, title, ...week } of rows) {
    const known = out.get(triggerId) ?? { triggerId, title, weeks: [] }
    known.weeks.push(week)
    out.set(triggerId, known)
  }
  return [...out.values()]
}
