import { heightOf, LEVEL_OF_ROLE, levelOf, type Level } from '@/core/people/rights'
import { mayDo, type Right } from '@/core/people/roles'
import { many, type Tx } from '@/store/db'
import { capped, requireSomewhere, type Actor } from './actor'
import { notFound, Problem } from './problem'

/** What lies in an area, or is one, and how its area is found. Names of tables and columns: never anything that came from outside. */
const AREA_OF = {
  area: `SELECT id, id AS area_id FROM areas WHERE deleted_at IS NULL`,
  job: `SELECT id, area_id FROM jobs`,
  flow: `SELECT id, area_id FROM jobs`,
  run: `SELECT r.id, j.area_id FROM runs r JOIN jobs j ON j.id = r.job_id`,
  queue: `SELECT id, area_id FROM queues`,
  item: `SELECT i.id, q.area_id FROM items i JOIN queues q ON q.id = i.queue_id`,
  trigger: `SELECT t.id, j.area_id FROM triggers t JOIN jobs j ON j.id = t.job_id`,
} as const
type InArea = keyof typeof AREA_OF

/** With a thing that is read: what whoever asks may on it. */
export interface HasLevel {
  readonly may: Level | 'none'
}

/** Whether the role alone answers, whatever the areas say. */
const roleIsEnough = (actor: Actor, right: Right): boolean => mayDo(actor.role, right) && !actor.areas?.isWalled

/**
 * What the actor may on each of these things; those that are not there, or not to be seen, are missing.
 *
 * @param tx null: beyond any transaction
 */
async function levelsOn(
  tx: Tx | null,
  actor: Actor,
  what: InArea,
  ids: readonly number[],
): Promise<Map<number, Level>> {
  // The role says everything: of no person (the command line, the engines), and where nothing is closed to somebody and nothing granted beyond the role.
  const byRole = heightOf(LEVEL_OF_ROLE[actor.role])
  const { isWalled = false, granted = 'none' } = actor.areas ?? {}
  if (actor.id === null || (!isWalled && heightOf(granted) <= byRole)) {
    const level = capped(actor, byRole)
    return new Map(level === 'none' ? [] : ids.map((id) => [id, level]))
  }
  const rows = await many<{ id: number; height: number }>(
    tx,
    `SELECT o.id, a.height FROM (${AREA_OF[what]}) o JOIN area_rights($2) a ON a.area_id = o.area_id WHERE o.id = ANY($1)`,
    [ids, actor.id],
  )
  const levels = rows.map(({ id, height }) => [id, capped(actor, height)] as const)
  return new Map(levels.filter((each): each is [number, Level] => each[1] !== 'none'))
}

/** What the actor may on a thing that they see. */
export async function levelOn(actor: Actor, what: InArea, id: number): Promise<Level | 'none'> {
  return (await levelsOn(null, actor, what, [id])).get(id) ?? 'none'
}

/** Titles for a sentence that the actor reads: of what they may not see only that there is something. */
export async function titlesFor(
  tx: Tx | null,
  actor: Actor,
  what: InArea,
  rows: readonly { readonly id: number; readonly title: string }[],
): Promise<string[]> {
  if (!actor.areas?.isWalled) return rows.map(({ title }) => title)
  const levels = await levelsOn(
    tx,
    actor,
    what,
    rows.map(({ id }) => id),
  )
  const seen = rows.filter(({ id }) => levels.has(id)).map(({ title }) => title)
  return seen.length < rows.length ? [...seen, 'something that you may not see'] : seen
}

/**
 * Refuses unless the actor may do this on every one of these things. One that the actor may not see is not found, as if it were not there; one that they may see is not allowed.
 * Where the role is enough everywhere nothing is looked at: whether the thing is there at all the caller finds out.
 */
export async function requireOn(
  tx: Tx | null,
  actor: Actor,
  right: Right,
  what: InArea,
  ...ids: readonly number[]
): Promise<void> {
  requireSomewhere(actor, right)
  if (roleIsEnough(actor, right)) return
  const levels = await levelsOn(tx, actor, what, ids)
  const needed = levelOf(right)
  for (const id of ids) {
    const level = levels.get(id)
    if (level === undefined) throw notFound(what, id)
    if (heightOf(level) < heightOf(needed))
      throw new Problem('not-allowed', `You may ${level} here; it takes ${needed}.`, [], { needed: right })
  }
}

/** Those of these things on which the actor may do this; for acts on many at once, which pass over the others. */
export async function whereMay(
  tx: Tx | null,
  actor: Actor,
  right: Right,
  what: InArea,
  ids: readonly number[],
): Promise<ReadonlySet<number>> {
  requireSomewhere(actor, right)
  if (roleIsEnough(actor, right)) return new Set(ids)
  const levels = await levelsOn(tx, actor, what, ids)
  const needed = heightOf(levelOf(right))
  return new Set(ids.filter((id) => heightOf(levels.get(id) ?? 'none') >= needed))
}
