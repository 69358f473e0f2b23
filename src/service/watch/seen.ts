import type { Actor } from '@/service/base/actor'
import { many } from '@/store/db'
import { beyondWalls } from '@/store/walls'

/** What is set up for all who listen is set up behind nobody's walls. */
export const forEverybody = beyondWalls

/** Areas whose changes the actor hears of; null: all. */
export async function areasSeenBy(actor: Pick<Actor, 'id' | 'areas'>): Promise<ReadonlySet<number> | null> {
  if (!actor.areas?.isWalled) return null
  const rows = await many<{ id: number }>(null, 'SELECT area_id AS id FROM area_rights($1)', [actor.id])
  return new Set(rows.map(({ id }) => id))
}

/** The area of each run, by its number. */
export async function runsByArea(ids: readonly number[]): Promise<ReadonlyMap<number, number>> {
  const rows = await many<{ id: number; areaId: number }>(
    null,
    'SELECT r.id, j.area_id AS "areaId" FROM runs r JOIN jobs j ON j.id = r.job_id WHERE r.id = ANY($1)',
    [ids],
  )
  return new Map(rows.map(({ id, areaId }) => [id, areaId]))
}
