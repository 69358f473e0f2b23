import { z } from 'zod'
import { faultsFrom, type Fault } from '../schema/faults'
import { LEVELS, MOST_DEPTH, type AreaOfRights, type Organisation } from './rights'
import { ROLES } from './roles'

/** As many of each as a file may have. */
const MOST = 100_000
const MOST_FAULTS = 1000
const id = z.string().min(1, 'An id has at least one character.').max(200, 'An id has at most 200 characters.')
const title = z.string().max(200).optional()
const may = z.enum(LEVELS, `One of ${LEVELS.join(', ')}.`)

const fileSchema = z.strictObject({
  people: z.array(z.strictObject({ id, title, role: z.enum(ROLES, `One of ${ROLES.join(', ')}.`) })).max(MOST),
  groups: z
    .array(z.strictObject({ id, title, people: z.array(id).max(MOST) }))
    .max(MOST)
    .default([]),
  areas: z
    .array(
      z.strictObject({
        id,
        title,
        in: id.nullable().default(null),
        closed: z.boolean().default(false),
        grants: z
          .array(z.strictObject({ person: id.optional(), group: id.optional(), may }))
          .max(MOST)
          .default([]),
      }),
    )
    .max(MOST),
})
type File = z.output<typeof fileSchema>

export type CheckedRights =
  { readonly ok: true; readonly organisation: Organisation } | { readonly ok: false; readonly faults: readonly Fault[] }

/** Checks a file of people, groups and areas: its shape, then that every id is known and there once, and that areas form trees of at most eight levels. All faults, each with its path. */
export function checkRights(raw: unknown): CheckedRights {
  const parsed = fileSchema.safeParse(raw)
  if (!parsed.success) return { ok: false, faults: faultsFrom(parsed.error, raw).slice(0, MOST_FAULTS) }
  const file = parsed.data
  const faults = [...referenceFaults(file), ...treeFaults(file.areas)]
  if (faults.length > 0) return { ok: false, faults: faults.slice(0, MOST_FAULTS) }
  return {
    ok: true,
    organisation: {
      ...file,
      areas: file.areas.map(({ grants, ...area }) => ({
        ...area,
        grants: grants.map(({ person, group, may }) => ({
          to: person === undefined ? { group: group as string } : { person },
          may,
        })),
      })),
    },
  }
}

function referenceFaults({ people, groups, areas }: File): Fault[] {
  const faults: Fault[] = []
  const add = (path: string, message: string): void => void faults.push({ path, message })
  const idsOf = (list: readonly { readonly id: string }[], name: string, word: string): ReadonlySet<string> => {
    const ids = new Set<string>()
    list.forEach(({ id }, i) => {
      if (ids.has(id)) add(`${name}[${i}].id`, `There is another ${word} ${id} in this file.`)
      ids.add(id)
    })
    return ids
  }
  const known = {
    person: idsOf(people, 'people', 'person'),
    group: idsOf(groups, 'groups', 'group'),
    area: idsOf(areas, 'areas', 'area'),
  }
  const look = (kind: keyof typeof known, path: string, id: string): void => {
    if (!known[kind].has(id)) add(path, `There is no ${kind} ${id} in this file.`)
  }
  groups.forEach((group, i) => {
    const before = new Set<string>()
    group.people.forEach((person, j) => {
      look('person', `groups[${i}].people[${j}]`, person)
      if (before.has(person)) add(`groups[${i}].people[${j}]`, `${person} is in this group already.`)
      before.add(person)
    })
  })
  areas.forEach((area, i) => {
    if (area.in !== null) look('area', `areas[${i}].in`, area.in)
    const before = new Set<string>()
    area.grants.forEach(({ person, group, may }, j) => {
      const path = `areas[${i}].grants[${j}]`
      if ((person === undefined) === (group === undefined))
        return add(path, 'A grant is to a person or to a group: one of the keys person, group.')
      const [kind, id] = person === undefined ? (['group', group as string] as const) : (['person', person] as const)
      look(kind, `${path}.${kind}`, id)
      const key = JSON.stringify([kind, id, may])
      if (before.has(key)) add(path, `The ${kind} ${id} is granted ${may} here already.`)
      before.add(key)
    })
  })
  return faults
}

/** Rings, and areas that lie too deep. Each is told at the area itself, where it says what it lies in. */
function treeFaults(areas: readonly Pick<AreaOfRights, 'id' | 'in'>[]): Fault[] {
  const depths = depthsOf(areas)
  return areas.flatMap(({ id }, i): Fault[] => {
    const path = `areas[${i}].in`
    const depth = depths.get(id)
    if (depth === 'ring') return [{ path, message: `The area ${id} lies within itself.` }]
    if (typeof depth !== 'number' || depth <= MOST_DEPTH) return []
    return [{ path, message: `The area ${id} lies ${depth} levels deep; at most ${MOST_DEPTH} are possible.` }]
  })
}

type Depth = number | 'ring' | 'below a ring'

/** How many areas each lies in, itself counted; every area is passed once. What is said to lie in an unknown area counts as an outermost one. */
function depthsOf(areas: readonly Pick<AreaOfRights, 'id' | 'in'>[]): ReadonlyMap<string, Depth> {
  const above = new Map(areas.map((area) => [area.id, area.in]))
  const depths = new Map<string, Depth>()
  for (const { id } of areas) {
    const way = new Set<string>()
    let at: string | null | undefined = id
    for (; typeof at === 'string' && above.has(at) && !depths.has(at) && !way.has(at); at = above.get(at)) way.add(at)
    const isRing = typeof at === 'string' && way.has(at)
    let depth: Depth = isRing ? 'ring' : (depths.get(at ?? '') ?? 0)
    for (const area of [...way].reverse()) {
      depth = typeof depth === 'number' ? depth + 1 : depth === 'ring' && isRing ? 'ring' : 'below a ring'
      depths.set(area, depth)
      // The ring is closed by the area at which the way up came back; what led to it lies below.
      if (area === at) depth = 'below a ring'
    }
  }
  return depths
}
