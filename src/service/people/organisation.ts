import { rightsIn, sourceWords, type Level, type Organisation } from '@/core/people/rights'
import type { Role } from '@/core/people/roles'
import { requireRight, type Actor } from '@/service/base/actor'
import { many, type Tx } from '@/store/db'
import { beyondWalls } from '@/store/walls'

/** Everybody who may sign in, their groups, and all areas with what is granted on them; ids as text. Of everything, whoever asks: what of it is shown, the caller answers for. */
export function readOrganisation(tx: Tx | null): Promise<NamedOrganisation> {
  return beyondWalls(() => read(tx))
}

export interface NamedOrganisation extends Organisation {
  /** Which of the people are service accounts. */
  readonly services: ReadonlySet<string>
  readonly nameOf: ReadonlyMap<string, string>
  readonly groupTitle: ReadonlyMap<string, string>
  readonly areaPath: ReadonlyMap<string, string>
}

async function read(tx: Tx | null): Promise<NamedOrganisation> {
  const people = await many<{ id: string; name: string; role: Role; kind: string }>(
    tx,
    'SELECT id::text, name, role, kind FROM people WHERE active ORDER BY lower(name), id',
  )
  const groups = await many<{ id: string; title: string; people: string[] }>(
    tx,
    `SELECT g.id::text, g.title, coalesce(array_agg(m.person_id::text) FILTER (WHERE m.person_id IS NOT NULL), '{}') AS people
       FROM groups g LEFT JOIN group_members m ON m.group_id = g.id GROUP BY g.id ORDER BY lower(g.title)`,
  )
  const areas = await many<{
    id: string
    in: string | null
    path: string
    closed: boolean
    grants: { person: string | null; group: string | null; may: Level }[]
  }>(
    tx,
    `SELECT a.id::text, a.parent_id::text AS in, a.path, a.closed,
            coalesce((SELECT jsonb_agg(jsonb_build_object('person', g.person_id::text, 'group', g.group_id::text, 'may', g.may) ORDER BY g.id)
                        FROM grants g WHERE g.area_id = a.id), '[]') AS grants
       FROM areas a WHERE a.deleted_at IS NULL ORDER BY lower(a.path)`,
  )
  return {
    people: people.map(({ id, role }) => ({ id, role })),
    services: new Set(people.filter(({ kind }) => kind === 'service').map(({ id }) => id)),
    groups,
    areas: areas.map(({ grants, ...area }) => ({
      ...area,
      grants: grants.map(({ person, group, may }) => ({
        to: person === null ? { group: group as string } : { person },
        may,
      })),
    })),
    nameOf: new Map(people.map(({ id, name, kind }) => [id, kind === 'service' ? `${name} (service account)` : name])),
    groupTitle: new Map(groups.map(({ id, title }) => [id, title])),
    areaPath: new Map(areas.map(({ id, path }) => [id, path])),
  }
}

/** The same as a file that `bugle rights` reads: people by their addresses, groups by their titles, areas by their paths. */
export async function rightsFile(actor: Actor): Promise<object> {
  requireRight(actor, 'administer')
  const organisation = await readOrganisation(null)
  const { nameOf, groupTitle, areaPath } = organisation
  const emails = new Map(
    (await many<{ id: string; email: string }>(null, 'SELECT id::text, email FROM people')).map((row) => [
      row.id,
      row.email,
    ]),
  )
  // A service account has none.
  const emailOf = (id: string): string => emails.get(id) || `service account ${id}`
  return {
    people: organisation.people.map(({ id, role }) => ({ id: emailOf(id), title: nameOf.get(id), role })),
    groups: organisation.groups.map(({ id, people }) => ({
      id: groupTitle.get(id),
      people: people.filter((person) => nameOf.has(person)).map(emailOf),
    })),
    areas: organisation.areas.map(({ id, in: above, closed, grants }) => ({
      id: areaPath.get(id),
      in: above === null ? null : areaPath.get(above),
      closed,
      grants: grants
        .filter(({ to }) => 'group' in to || nameOf.has(to.person))
        .map(({ to, may }) =>
          'group' in to ? { group: groupTitle.get(to.group), may } : { person: emailOf(to.person), may },
        ),
    })),
  }
}

/** A right, and in words where it comes from: `role operator`, `group Night desk on Sailing`. */
export interface RightRow {
  readonly may: Level | 'none'
  readonly from: readonly string[]
}

/** What each person may on each area of it, with sources by their titles. */
export function rightsOf(organisation: NamedOrganisation): (person: string, area: string) => RightRow {
  const rights = rightsIn(organisation)
  const { groupTitle, areaPath } = organisation
  return (person, area) => {
    const { may, from } = rights(person, area)
    const words = from.map((source) =>
      'role' in source
        ? sourceWords(source)
        : sourceWords({
            ...source,
            area: areaPath.get(source.area) ?? '',
            group: source.group === null ? null : (groupTitle.get(source.group) ?? ''),
          }),
    )
    return { may, from: words }
  }
}
