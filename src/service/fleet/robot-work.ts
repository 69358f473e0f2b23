import { z } from 'zod'
import { many } from '@/store/db'
import { beyondWalls } from '@/store/walls'
import { requireRight, type Actor } from '@/service/base/actor'

const STRETCHES = { hour: 3600, day: 86_400, week: 604_800 } as const
export const robotWorkSchema = z.strictObject({
  over: z.enum(['hour', 'day', 'week']).default('day'),
  robot: z.coerce.number().int().positive().optional(),
})

export interface RobotPiece {
  readonly robotId: number
  readonly runId: number
  readonly jobId: number
  readonly title: string
  readonly from: Date
  /** null: it goes on. */
  readonly to: Date | null
  readonly state: string
}

export interface RobotWork {
  readonly from: Date
  readonly to: Date
  /** Share of the stretch in which each robot was busy, 0…1; with what nobody else may see. */
  readonly busy: Readonly<Record<number, number>>
  /** What this person may see of it, the newest first. */
  readonly pieces: readonly RobotPiece[]
}

/** More are not drawn, and nobody reads them. */
const MOST_PIECES = 5000

/** Who did what over the last hour, day or week, and how busy each robot was. */
export async function robotWork(actor: Actor, { over, robot }: z.output<typeof robotWorkSchema>): Promise<RobotWork> {
  requireRight(actor, 'see')
  const to = new Date()
  const from = new Date(to.getTime() - STRETCHES[over] * 1000)
  const overlap = `a.robot_id IS NOT NULL AND ($3::bigint IS NULL OR a.robot_id = $3)
         AND a.handed_at < $2 AND coalesce(a.ended_at, $2) > $1`
  const [pieces, shares] = await Promise.all([
    many<RobotPiece>(
      null,
      `SELECT a.robot_id AS "robotId", a.run_id AS "runId", r.job_id AS "jobId", j.title, coalesce(a.started_at, a.handed_at) AS from, a.ended_at AS to, a.state
         FROM attempts a JOIN runs r ON r.id = a.run_id JOIN jobs j ON j.id = r.job_id WHERE ${overlap} ORDER BY a.handed_at DESC LIMIT ${MOST_PIECES}`,
      [from, to, robot ?? null],
    ),
    beyondWalls(() =>
      many<{ robotId: number; share: number }>(
        null,
        `SELECT a.robot_id AS "robotId", least(1, sum(extract(epoch FROM least(coalesce(a.ended_at, $2), $2) - greatest(a.handed_at, $1))) / extract(epoch FROM $2::timestamptz - $1::timestamptz))::float AS share
           FROM attempts a WHERE ${overlap} GROUP BY a.robot_id`,
        [from, to, robot ?? null],
      ),
    ),
  ])
  return { from, to, busy: Object.fromEntries(shares.map(({ robotId, share }) => [robotId, share])), pieces }
}
