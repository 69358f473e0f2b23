import { z } from 'zod'
import { AreaTree, PATH_SIGN } from '@/core/people/area-tree'
import { LEVELS, type Level } from '@/core/people/rights'
import { titleSchema } from '@/core/schema/text'
import { someOf } from '@/core/phrase/some-of'
import { requireOn, titlesFor } from '@/service/base/area-rights'
import { capped, requireRight, requireSomewhere, type Actor } from '@/service/base/actor'
import { difference, record } from '@/service/base/audit'
import { invalid, notFound, Problem } from '@/service/base/problem'
import { db, execute, many, maybeOne, sqlState, transaction, UNIQUE_VIOLATION, type Tx } from '@/store/db'
import { notify } from '@/store/listen'

const MOST_GRANTS = 1000
const grantSchema = z
  .strictObject({
    personId: z.int().positive().optional(),
    groupId: z.int().positive().optional(),
    may: z.enum(LEVELS),
  })
  .refine(({ personId, groupId }) => (personId === undefined) !== (groupId === undefined), {
    message: 'A member is a person or a group.',
  })
type GrantRequest = z.output<typeof grantSchema>

export const newAreaSchema = z.strictObject({
  title: titleSchema('An area needs a title.', 80).refine(
    (title) => !title.includes(PATH_SIGN),
    'A title has no “ / ”: that stands between the titles of areas in one another.',
  ),
  notes: z.string().max(2000).default(''),
  /** The area that it lies in; null: in none. */
  parentId: z.int().positive().nullable().default(null),
})
export const areaSchema = newAreaSchema.extend({
  /** Lets nothing in from above it but administrators. */
  closed: z.boolean(),
  members: z.array(grantSchema).max(MOST_GRANTS, `At most ${MOST_GRANTS} members.`),
  /** The version that was read before the change. */
  version: z.int().positive(),
})
export type AreaRequest = z.output<typeof areaSchema>

export interface AreaRow {
  readonly id: number
  readonly title: string
  /** Its title after those of the areas that it lies in, with ` / ` between them. */
  readonly path: string
  readonly notes: string
  readonly parentId: number | null
  readonly closed: boolean
  /** Jobs and flows right in it. */
  readonly jobs: number
  /** What you may on it; none: only its name is shown, for what lies in it. */
  readonly may: Level | 'none'
}

const ROWS = `
  SELECT a.id, a.title, a.path, a.parent_id AS "parentId", coalesce(j.jobs, 0)::int AS jobs, h.height, CASE WHEN h.height > 0 THEN a.notes ELSE '' END AS notes,
         h.height > 0 AND a.closed AS closed, a.version
    FROM areas a LEFT JOIN (SELECT area_id, count(*) AS jobs FROM jobs WHERE deleted_at IS NULL GROUP BY area_id) j ON j.area_id = a.id
    LEFT JOIN area_rights($1) r ON r.area_id = a.id
   CROSS JOIN LATERAL (SELECT CASE WHEN $1::bigint IS NULL THEN role_height($2) ELSE coalesce(r.height, 0) END AS height) h
   WHERE a.deleted_at IS NULL`
type Row = Omit<AreaRow, 'may'> & { readonly height: number; readonly version: number }

export async function listAreas(actor: Actor): Promise<AreaRow[]> {
  requireSomewhere(actor, 'see')
  const rows = await many<Row>(null, `${ROWS} ORDER BY lower(a.path)`, [actor.id, actor.role])
  return rows.map(({ height, version: _, ...row }) => ({ ...row, may: capped(actor, height) }))
}

export interface Member {
  readonly personId: number | null
  readonly groupId: number | null
  /** The person's name or the group's title. */
  readonly name: string
  readonly may: Level
}
export interface AreaFull extends AreaRow {
  readonly version: number
  readonly members: readonly Member[]
}

/** One, with whoever is a member of it. */
export async function oneArea(actor: Actor, id: number, tx: Tx | null = null): Promise<AreaFull> {
  requireSomewhere(actor, 'see')
  const row = await maybeOne<Row>(tx, `${ROWS} AND a.id = $3`, [actor.id, actor.role, id])
  const may = row ? capped(actor, row.height) : 'none'
  if (!row || may === 'none') throw notFound('area', id)
  const { height: _, ...area } = row
  return { ...area, may, members: await membersOf(tx, id) }
}

const membersOf = (tx: Tx | null, id: number): Promise<Member[]> =>
  many<Member>(
    tx,
    `SELECT g.person_id AS "personId", g.group_id AS "groupId", coalesce(p.name, r.title) AS name, g.may
       FROM grants g LEFT JOIN people p ON p.id = g.person_id LEFT JOIN groups r ON r.id = g.group_id
      WHERE g.area_id = $1 AND p.kind IS DISTINCT FROM 'service' ORDER BY g.group_id IS NULL, lower(coalesce(p.name, r.title))`,
    [id],
  )

type NewArea = z.input<typeof newAreaSchema>

/** Outermost areas are made by designers of the organisation, others by whoever may design where they are made. */
export async function addArea(actor: Actor, area: NewArea): Promise<{ id: number }> {
  return transaction((tx) => addAreaIn(tx, actor, area))
}

export async function addAreaIn(
  tx: Tx,
  actor: Actor,
  { title, notes = '', parentId = null }: NewArea,
): Promise<{ id: number }> {
  const area = { title, notes, parentId }
  if (parentId === null) requireRight(actor, 'design')
  else await requireOn(tx, actor, 'design', 'area', parentId)
  await requirePlace(tx, null, parentId)
  return guardTitle(async () => {
    const { id } = await db().areas.create(area, { transaction: tx })
    await record(tx, actor, 'added', { type: 'area', id, title }, area)
    await notify(tx, { jobs: true })
    return { id }
  })
}

/** Locks all areas against being moved at the same moment, so that no two moves make a ring. */
async function requirePlace(tx: Tx, id: number | null, parentId: number | null): Promise<void> {
  if (parentId === null) return
  await execute(tx, 'LOCK TABLE areas IN SHARE ROW EXCLUSIVE MODE')
  const areas = await many<{ id: number; parentId: number | null }>(
    tx,
    'SELECT id, parent_id AS "parentId" FROM areas WHERE deleted_at IS NULL',
  )
  const why = new AreaTree(areas).whyNotIn(id, parentId)
  if (why !== null) throw invalid('parentId', why)
}

async function guardTitle<T>(work: () => Promise<T>): Promise<T> {
  try {
    return await work()
  } catch (error) {
    if (sqlState(error) === UNIQUE_VIOLATION) throw invalid('title', 'There is an area with this title already.')
    throw error
  }
}

interface Stored {
  readonly title: string
  readonly notes: string
  readonly parentId: number | null
  readonly closed: boolean
  readonly version: number
  readonly members: readonly Member[]
}

async function stored(tx: Tx, id: number): Promise<Stored> {
  const row = await maybeOne<Omit<Stored, 'members'>>(
    tx,
    'SELECT title, notes, parent_id AS "parentId", closed, version FROM areas WHERE id = $1 AND deleted_at IS NULL FOR UPDATE',
    [id],
  )
  if (!row) throw notFound('area', id)
  return { ...row, members: await membersOf(tx, id) }
}

const keyOf = (member: {
  readonly personId?: number | null | undefined
  readonly groupId?: number | null | undefined
}): string => `${member.personId ?? ''} ${member.groupId ?? ''}`

/** Title and notes take *design*; where it lies, whether it is closed and who its members are take *manage*, also on the area that it is moved into. */
export async function saveArea(actor: Actor, id: number, area: AreaRequest): Promise<{ version: number }> {
  return transaction((tx) => saveAreaIn(tx, actor, id, area))
}

export async function saveAreaIn(tx: Tx, actor: Actor, id: number, area: AreaRequest): Promise<{ version: number }> {
  await requireOn(tx, actor, 'design', 'area', id)
  const before = await stored(tx, id)
  if (before.version !== area.version)
    throw new Problem('conflict', 'Somebody changed this area in the meantime. Look at it as it is now.', [], {
      theirs: before,
    })
  const isMoved = before.parentId !== area.parentId
  const was = new Map(before.members.map((member) => [keyOf(member), member.may]))
  const isSame = was.size === area.members.length && area.members.every((each) => was.get(keyOf(each)) === each.may)
  if (isMoved || before.closed !== area.closed || !isSame) await requireOn(tx, actor, 'administer', 'area', id)
  if (isMoved) {
    if (area.parentId === null) requireRight(actor, 'administer')
    else await requireOn(tx, actor, 'administer', 'area', area.parentId)
    await requirePlace(tx, id, area.parentId)
  }
  await guardTitle(() =>
    execute(
      tx,
      'UPDATE areas SET title = $2, notes = $3, parent_id = $4, closed = $5, version = version + 1 WHERE id = $1',
      [id, area.title, area.notes, area.parentId, area.closed],
    ),
  )
  if (!isSame) await writeMembers(tx, id, area.members)
  const { members, version: _, ...rest } = area
  const named = await membersOf(tx, id)
  const said = (list: readonly Member[]): string[] => list.map(({ name, may }) => `${name}: ${may}`)
  await record(
    tx,
    actor,
    'changed',
    { type: 'area', id, title: area.title },
    {
      ...difference(before, rest),
      ...difference({ members: said(before.members) }, { members: members.length > 0 ? said(named) : [] }),
    },
  )
  await notify(tx, { people: true, jobs: true, runs: [], matters: true, timing: true })
  return { version: before.version + 1 }
}

async function writeMembers(tx: Tx, id: number, members: readonly GrantRequest[]): Promise<void> {
  const twice = members.find((each, i) => members.findIndex((other) => keyOf(other) === keyOf(each)) !== i)
  if (twice) throw invalid('members', 'Somebody stands twice among its members. Give each one level.')
  // Those of service accounts are changed with these.
  await execute(
    tx,
    `DELETE FROM grants g WHERE g.area_id = $1 AND NOT EXISTS (SELECT FROM people p WHERE p.id = g.person_id AND p.kind = 'service')`,
    [id],
  )
  try {
    await execute(
      tx,
      `INSERT INTO grants (area_id, person_id, group_id, may)
       SELECT $1, u.person, u.grp, u.may FROM unnest($2::bigint[], $3::bigint[], $4::text[]) AS u(person, grp, may)`,
      [
        id,
        members.map(({ personId }) => personId ?? null),
        members.map(({ groupId }) => groupId ?? null),
        members.map(({ may }) => may),
      ],
    )
  } catch (error) {
    if (sqlState(error) === '23503') throw invalid('members', 'One of these people or groups is not there any more.')
    throw error
  }
}

/** Refused while something lies in it. Runs of what lay in it keep its name. */
export async function removeArea(actor: Actor, id: number): Promise<void> {
  await transaction(async (tx) => {
    await requireOn(tx, actor, 'administer', 'area', id)
    const { title } = await stored(tx, id)
    const areas = await many<{ id: number; title: string }>(
      tx,
      'SELECT id, title FROM areas WHERE parent_id = $1 AND deleted_at IS NULL ORDER BY title',
      [id],
    )
    const rest = await many<{ title: string }>(
      tx,
      `SELECT title FROM jobs WHERE area_id = $1 AND deleted_at IS NULL UNION ALL SELECT title FROM notices WHERE area_id = $1
        UNION ALL SELECT 'service account ' || name FROM people WHERE area_id = $1 AND active ORDER BY 1`,
      [id],
    )
    const inIt = [...(await titlesFor(tx, actor, 'area', areas)), ...rest.map((each) => each.title)]
    if (inIt.length > 0)
      throw new Problem(
        'not-now',
        `${someOf(inIt)} ${inIt.length === 1 ? 'lies' : 'lie'} in it or ${inIt.length === 1 ? 'is' : 'are'} about it. Move or remove that first.`,
      )
    await execute(tx, 'DELETE FROM grants WHERE area_id = $1', [id])
    await execute(tx, 'UPDATE areas SET deleted_at = now() WHERE id = $1', [id])
    await record(tx, actor, 'removed', { type: 'area', id, title })
    await notify(tx, { jobs: true })
  })
}
