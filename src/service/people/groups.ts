import { z } from 'zod'
import { titleSchema } from '@/core/schema/text'
import { requireRight, type Actor } from '@/service/base/actor'
import { difference, record } from '@/service/base/audit'
import { invalid, notFound, Problem } from '@/service/base/problem'
import { db, execute, many, maybeOne, sqlState, transaction, UNIQUE_VIOLATION, type Tx } from '@/store/db'
import { notify } from '@/store/listen'

export const groupSchema = z.strictObject({
  title: titleSchema('A group needs a title.', 80),
  notes: z.string().max(2000).default(''),
  /** Ids of its people. */
  people: z.array(z.int().positive()).max(5000, 'At most 5,000 people.'),
})
type GroupRequest = z.output<typeof groupSchema>

export interface GroupRow {
  readonly id: number
  readonly title: string
  readonly notes: string
  readonly people: readonly { readonly id: number; readonly name: string }[]
  /** Areas of which it is a member. */
  readonly areas: number
  readonly changedBy: string
  readonly changedAt: string
}

const ROWS = `
  SELECT g.id, g.title, g.notes, g.changed_by AS "changedBy", g.changed_at AS "changedAt",
         (SELECT count(*)::int FROM grants x WHERE x.group_id = g.id) AS areas,
         coalesce((SELECT jsonb_agg(jsonb_build_object('id', p.id, 'name', p.name) ORDER BY lower(p.name))
                     FROM group_members m JOIN people p ON p.id = m.person_id WHERE m.group_id = g.id), '[]') AS people
    FROM groups g`

export async function listGroups(actor: Actor): Promise<GroupRow[]> {
  requireRight(actor, 'see')
  return many<GroupRow>(null, `${ROWS} ORDER BY lower(g.title)`)
}

export async function addGroup(actor: Actor, group: GroupRequest): Promise<{ id: number }> {
  return transaction((tx) => addGroupIn(tx, actor, group))
}

export async function addGroupIn(tx: Tx, actor: Actor, group: GroupRequest): Promise<{ id: number }> {
  requireRight(actor, 'administer')
  return guarded(async () => {
    const { title, notes, people } = group
    const { id } = await db().groups.create({ title, notes, changedBy: actor.name }, { transaction: tx })
    await writePeople(tx, id, people)
    await record(tx, actor, 'added', { type: 'group', id, title }, { people: await namesIn(tx, id) })
    return { id }
  })
}

export async function saveGroup(actor: Actor, id: number, group: GroupRequest): Promise<void> {
  await transaction((tx) => saveGroupIn(tx, actor, id, group))
}

export async function saveGroupIn(tx: Tx, actor: Actor, id: number, group: GroupRequest): Promise<void> {
  requireRight(actor, 'administer')
  await guarded(async () => {
    const before = await lock(tx, id)
    const names = await namesIn(tx, id)
    await execute(tx, 'UPDATE groups SET title = $2, notes = $3, changed_by = $4, changed_at = now() WHERE id = $1', [
      id,
      group.title,
      group.notes,
      actor.name,
    ])
    await execute(tx, 'DELETE FROM group_members WHERE group_id = $1', [id])
    await writePeople(tx, id, group.people)
    const { title, notes } = group
    await record(
      tx,
      actor,
      'changed',
      { type: 'group', id, title },
      {
        ...difference(before, { title, notes }),
        ...difference({ people: names }, { people: await namesIn(tx, id) }),
      },
    )
    await notify(tx, { people: true, jobs: true, runs: [], matters: true, timing: true })
  })
}

/** Refused while areas count on it: nobody loses a right because somebody tidied up. */
export async function removeGroup(actor: Actor, id: number): Promise<void> {
  requireRight(actor, 'administer')
  await transaction(async (tx) => {
    const { title } = await lock(tx, id)
    const areas = await many<{ path: string }>(
      tx,
      'SELECT a.path FROM grants g JOIN areas a ON a.id = g.area_id WHERE g.group_id = $1 ORDER BY lower(a.path)',
      [id],
    )
    if (areas.length > 0)
      throw new Problem(
        'not-now',
        `It is a member of ${areas.length === 1 ? (areas[0] as { path: string }).path : `${areas.length} areas`}. Take it out there first.`,
      )
    await execute(tx, 'DELETE FROM groups WHERE id = $1', [id])
    await record(tx, actor, 'removed', { type: 'group', id, title })
  })
}

async function lock(tx: Tx, id: number): Promise<{ title: string; notes: string }> {
  const row = await maybeOne<{ title: string; notes: string }>(
    tx,
    'SELECT title, notes FROM groups WHERE id = $1 FOR UPDATE',
    [id],
  )
  if (!row) throw notFound('group', id)
  return row
}

async function writePeople(tx: Tx, id: number, people: readonly number[]): Promise<void> {
  await execute(
    tx,
    'INSERT INTO group_members (group_id, person_id) SELECT $1, p FROM unnest($2::bigint[]) AS u(p) ON CONFLICT DO NOTHING',
    [id, people],
  )
}

const namesIn = async (tx: Tx, id: number): Promise<string[]> =>
  (
    await many<{ name: string }>(
      tx,
      'SELECT p.name FROM group_members m JOIN people p ON p.id = m.person_id WHERE m.group_id = $1 ORDER BY lower(p.name)',
      [id],
    )
  ).map(({ name }) => name)

async function guarded<T>(work: () => Promise<T>): Promise<T> {
  try {
    return await work()
  } catch (error) {
    if (sqlState(error) === UNIQUE_VIOLATION) throw invalid('title', 'There is a group with this title already.')
    if (sqlState(error) === '23503') throw invalid('people', 'One of these people is not there any more.')
    throw error
  }
}
