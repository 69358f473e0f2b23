import { PATH_SIGN } from '@/core/people/area-tree'
import type { Level } from '@/core/people/rights'
import { mayDo } from '@/core/people/roles'
import type { Bundle, BundleArea, BundleGroup } from '@/core/bundle/schema'
import type { Actor } from '@/service/base/actor'
import { invalid } from '@/service/base/problem'
import { addGroupIn, saveGroupIn } from '@/service/people/groups'
import { addAreaIn, oneArea, saveAreaIn } from '@/service/work/areas'
import { many, type Tx } from '@/store/db'
import { sameJson, type ImportLine } from './bundle-parts'

/** Groups, for an administrator: they name people. */
export async function groupsOut(actor: Actor): Promise<BundleGroup[]> {
  if (!mayDo(actor.role, 'administer')) return []
  const rows = await many<{ id: string; notes: string; people: string[] }>(
    null,
    `SELECT g.title AS id, g.notes, coalesce((SELECT array_agg(p.email ORDER BY lower(p.email)) FROM group_members m JOIN people p ON p.id = m.person_id WHERE m.group_id = g.id), '{}') AS people
       FROM groups g ORDER BY lower(g.title)`,
  )
  return rows.map(({ notes, ...group }) => ({ ...group, ...(notes ? { notes } : {}) }))
}

/** Areas that the actor may see, those above first; their members for an administrator. */
export async function areasOut(actor: Actor): Promise<BundleArea[]> {
  const rows = await many<{
    id: string
    notes: string
    closed: boolean
    members: { person: string | null; group: string | null; may: Level }[]
  }>(
    null,
    `SELECT a.path AS id, a.notes, a.closed,
            coalesce((SELECT jsonb_agg(jsonb_build_object('person', p.email, 'group', r.title, 'may', g.may) ORDER BY r.title, p.email)
                        FROM grants g LEFT JOIN people p ON p.id = g.person_id LEFT JOIN groups r ON r.id = g.group_id WHERE g.area_id = a.id AND p.kind IS DISTINCT FROM 'service'), '[]') AS members
       FROM areas a WHERE a.deleted_at IS NULL ORDER BY lower(a.path)`,
  )
  const isAdministrator = mayDo(actor.role, 'administer')
  return rows.map(({ id, notes, closed, members }) => ({
    id,
    ...(notes ? { notes } : {}),
    ...(closed ? { closed } : {}),
    ...(members.length > 0 && isAdministrator
      ? {
          members: members.map(({ person, group, may }) =>
            person === null ? { group: group as string, may } : { person, may },
          ),
        }
      : {}),
  }))
}

/** Who is called so: by address in lower case, or by title in lower case. */
async function known(tx: Tx): Promise<{ people: Map<string, number>; groups: Map<string, number> }> {
  const people = await many<{ id: number; email: string }>(
    tx,
    `SELECT id, lower(email) AS email FROM people WHERE kind = 'person'`,
  )
  const groups = await many<{ id: number; title: string }>(tx, 'SELECT id, lower(title) AS title FROM groups')
  return {
    people: new Map(people.map(({ id, email }) => [email, id])),
    groups: new Map(groups.map(({ id, title }) => [title, id])),
  }
}

function found(ids: ReadonlyMap<string, number>, name: string, what: string, path: string): number {
  const id = ids.get(name.toLowerCase())
  if (id === undefined)
    throw invalid(path, `There is ${what === 'person' ? 'nobody with the address' : 'no group'} ${name} here.`)
  return id
}

export async function importGroups(tx: Tx, actor: Actor, { groups }: Bundle, lines: ImportLine[]): Promise<void> {
  const there = await known(tx)
  const before = new Map((await groupsOut(actor)).map((group) => [group.id.toLowerCase(), group]))
  for (const [i, { id, notes = '', people }] of groups.entries()) {
    const ids = people.map((person, j) => found(there.people, person, 'person', `groups[${i}].people[${j}]`))
    const content = { title: id, notes, people: ids }
    const old = before.get(id.toLowerCase())
    const isSame = old?.id === id && (old.notes ?? '') === notes && sameJson([...old.people].sort(), [...people].sort())
    const oldId = there.groups.get(id.toLowerCase())
    if (oldId === undefined) await addGroupIn(tx, actor, content)
    else if (!isSame) await saveGroupIn(tx, actor, oldId, content)
    lines.push({ kind: 'group', id, what: oldId === undefined ? 'added' : isSame ? 'same' : 'changed' })
  }
}

/** Areas as a file has them; members only where it says who they are. */
export async function importAreas(tx: Tx, actor: Actor, { areas }: Bundle, lines: ImportLine[]): Promise<void> {
  const there = await known(tx)
  for (const [i, area] of areas.entries()) {
    const { id, isNew } = await areaAt(tx, actor, area.id, `areas[${i}].id`)
    const { version, parentId, title, ...before } = await oneArea(actor, id, tx)
    const members = area.members?.map(({ person, group, may }, j) =>
      person === undefined
        ? { groupId: found(there.groups, group as string, 'group', `areas[${i}].members[${j}].group`), may }
        : { personId: found(there.people, person, 'person', `areas[${i}].members[${j}].person`), may },
    )
    const old = before.members.map(({ personId, groupId, may }) =>
      personId === null ? { groupId: groupId as number, may } : { personId, may },
    )
    const after = { notes: area.notes ?? '', closed: area.closed ?? false, members: members ?? old }
    const key = (list: readonly object[]): string[] => list.map((each) => JSON.stringify(each)).sort()
    const isSame =
      before.notes === after.notes && before.closed === after.closed && key(old).join() === key(after.members).join()
    if (!isSame) await saveAreaIn(tx, actor, id, { title, parentId, version, ...after })
    lines.push({ kind: 'area', id: area.id, what: isNew ? 'added' : isSame ? 'same' : 'changed' })
  }
}

/** The area of a path, made if there is none. `known`: those found before, by path in lower case. */
export async function areaFor(tx: Tx, actor: Actor, known: Map<string, number>, path: string): Promise<number> {
  const key = path.toLowerCase()
  const id = known.get(key) ?? (await areaAt(tx, actor, path)).id
  known.set(key, id)
  return id
}

/** The area of a path; what of it is missing is made. */
async function areaAt(
  tx: Tx,
  actor: Actor,
  path: string,
  place = 'area',
): Promise<{ readonly id: number; readonly isNew: boolean }> {
  const titles = path.split(PATH_SIGN).map((title) => title.trim())
  if (titles.includes('')) throw invalid(place, `“${path}” is no path: a title between “${PATH_SIGN}” is empty.`)
  let parentId: number | null = null
  let isNew = false
  for (const title of titles) {
    const [row]: { id: number }[] = await many<{ id: number }>(
      tx,
      'SELECT id FROM areas WHERE lower(title) = lower($1) AND parent_id IS NOT DISTINCT FROM $2 AND deleted_at IS NULL',
      [title, parentId],
    )
    isNew = row === undefined
    parentId = row?.id ?? (await addAreaIn(tx, actor, { title, parentId })).id
  }
  return { id: parentId as number, isNew }
}
