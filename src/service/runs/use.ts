import { z } from 'zod'
import { ALLOWED, type Allowed } from '@/core/fleet/allowance'
import { HOUR_MS, hourlyUse, type HourOfUse, type Taken } from '@/core/fleet/use'
import { execute, many, maybeOne } from '@/store/db'
import { insertRows } from '@/store/rows'
import { allowanceUse } from '@/store/tables/fleet'
import { beyondWalls } from '@/store/walls'
import { requireSomewhere, type Actor } from '@/service/base/actor'
import { notFound } from '@/service/base/problem'

/** So many hours are worked out at once, when they were not at their time. */
const MOST_HOURS = 7 * 24
const KEPT_DAYS = 400

export const usageSchema = z.strictObject({
  what: z.enum(ALLOWED),
  /** Left out: everything. */
  areaId: z.coerce.number().int().positive().optional(),
  days: z.coerce.number().int().min(1).max(KEPT_DAYS).default(14),
})

/** Whole hours that are over and not kept yet are worked out from what ran, the oldest first. Returns whether there are more. */
export async function keepUse(nowMs: number): Promise<boolean> {
  const endMs = Math.floor(nowMs / HOUR_MS) * HOUR_MS
  const kept = await maybeOne<{ hour: Date | null }>(
    null,
    'SELECT max(hour) AS hour FROM allowance_use WHERE area_id = 0',
  )
  const first = kept?.hour
    ? kept.hour.getTime() + HOUR_MS
    : ((await maybeOne<{ at: Date | null }>(null, 'SELECT min(handed_at) AS at FROM attempts'))?.at?.getTime() ?? endMs)
  const fromMs = Math.max(Math.floor(first / HOUR_MS) * HOUR_MS, endMs - KEPT_DAYS * 24 * HOUR_MS)
  const toMs = Math.min(endMs, fromMs + MOST_HOURS * HOUR_MS)
  if (fromMs >= toMs) return false
  const use = await hourlyUseBetween(fromMs, toMs)
  const rows = [...use].flatMap(([key, hours]) => {
    const [what = 'slots', areaId = '0'] = key.split(' ') as [Allowed, string]
    // An hour in which nothing was in use is kept only for everything: it says that the hour was looked at.
    return hours
      .filter(({ peak }) => peak > 0 || areaId === '0')
      .map(({ hourMs, peak, mean }) => ({ what, areaId: Number(areaId), hour: new Date(hourMs), peak, mean }))
  })
  await insertRows(null, allowanceUse, rows, 'ON CONFLICT DO NOTHING')
  await execute(null, 'DELETE FROM allowance_use WHERE hour < now() - make_interval(days => $1)', [KEPT_DAYS])
  return toMs < endMs
}

/** By what and area (0: everything); of everything there is always one. */
async function hourlyUseBetween(fromMs: number, toMs: number): Promise<Map<string, HourOfUse[]>> {
  const rows = await many<{ what: Allowed; areaIds: number[]; units: number; from: Date; to: Date | null }>(
    null,
    `WITH RECURSIVE above AS (SELECT id AS of, id, parent_id FROM areas UNION ALL SELECT a.of, p.id, p.parent_id FROM above a JOIN areas p ON p.id = a.parent_id),
       within AS (SELECT of, array_agg(id) AS ids FROM above GROUP BY of)
     SELECT coalesce(b.kind, 'slots') AS what, w.ids AS "areaIds", CASE WHEN b.id IS NULL THEN r.slots ELSE 1 END AS units, a.handed_at AS "from", a.ended_at AS "to"
       FROM attempts a JOIN runs r ON r.id = a.run_id JOIN within w ON w.of = r.area_id LEFT JOIN robots b ON b.id = a.robot_id
      WHERE a.handed_at < $2 AND (a.ended_at > $1 OR (a.ended_at IS NULL AND r.state = 'running'))`,
    [new Date(fromMs), new Date(toMs)],
  )
  const taken = new Map<string, Taken[]>(ALLOWED.map((what) => [`${what} 0`, []]))
  for (const { what, areaIds, units, from, to } of rows)
    for (const areaId of [0, ...areaIds]) {
      const key = `${what} ${areaId}`
      const list = taken.get(key) ?? []
      taken.set(key, list)
      list.push({ fromMs: from.getTime(), toMs: to?.getTime() ?? Infinity, units })
    }
  return new Map([...taken].map(([key, all]) => [key, hourlyUse(all, fromMs, toMs)]))
}

export interface Use {
  readonly hours: readonly { readonly at: number; readonly peak: number; readonly mean: number }[]
}

/** How much was in use, by the hour, the present one as far as it has come. */
export async function readUse(actor: Actor, { what, areaId, days }: z.output<typeof usageSchema>): Promise<Use> {
  requireSomewhere(actor, 'see')
  if (areaId !== undefined && !(await maybeOne(null, 'SELECT FROM areas WHERE id = $1', [areaId])))
    throw notFound('area', areaId)
  const nowHour = Math.floor(Date.now() / HOUR_MS) * HOUR_MS
  const [kept, now] = await Promise.all([
    many<{ at: Date; peak: number; mean: number }>(
      null,
      `SELECT hour AS at, peak, mean FROM allowance_use WHERE what = $1 AND area_id = $2 AND hour > now() - make_interval(days => $3) AND hour < $4 ORDER BY hour`,
      [what, areaId ?? 0, days, new Date(nowHour)],
    ),
    // How much it is does not hang on who looks.
    beyondWalls(() => hourlyUseBetween(nowHour, nowHour + HOUR_MS)),
  ])
  const last = now.get(`${what} ${areaId ?? 0}`)?.[0]
  return {
    hours: [
      ...kept.map(({ at, peak, mean }) => ({ at: at.getTime(), peak, mean })),
      { at: nowHour, peak: last?.peak ?? 0, mean: last?.mean ?? 0 },
    ],
  }
}
