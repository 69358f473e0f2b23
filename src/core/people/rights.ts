import type { Right, Role } from './roles'

/** What a person may do on an area; each holds those before it. */
export const LEVELS = ['see', 'operate', 'design', 'manage'] as const
export type Level = (typeof LEVELS)[number]

/** What a role in the whole organisation gives everywhere where no closed area stands before it. */
export const LEVEL_OF_ROLE: Readonly<Record<Role, Level | 'none'>> = {
  none: 'none',
  viewer: 'see',
  operator: 'operate',
  designer: 'design',
  administrator: 'manage',
}

/** What a right in the organisation is called on an area. */
export const levelOf = (right: Right): Level => (right === 'administer' ? 'manage' : right)

/** Areas lie at most so deep, the outermost counted. */
export const MOST_DEPTH = 8

export interface Grant {
  /** Who: a person or a group, by its id. */
  readonly to: { readonly person: string } | { readonly group: string }
  readonly may: Level
}
export interface AreaOfRights {
  readonly id: string
  /** The area that it lies in; null: in none. */
  readonly in: string | null
  /** Lets nothing in from above it, neither grants nor roles; administrators all the same. */
  readonly closed: boolean
  readonly grants: readonly Grant[]
}
interface PersonOfRights {
  readonly id: string
  readonly role: Role
}
interface GroupOfRights {
  readonly id: string
  readonly people: readonly string[]
}
/** People, groups and areas whose ids are known and whose areas form trees (`checkRights`). */
export interface Organisation {
  readonly people: readonly PersonOfRights[]
  readonly groups: readonly GroupOfRights[]
  readonly areas: readonly AreaOfRights[]
}

/** Where a right comes from: the role in the organisation, or a grant on an area, to the person or to a group. */
export type Source =
  { readonly role: Role } | { readonly area: string; readonly group: string | null; readonly grant: Level }

export interface Rights {
  readonly may: Level | 'none'
  /** Every source that gives exactly this; empty for none. The role first, then grants from the area upwards in the order in which they stand there. */
  readonly from: readonly Source[]
}
const NOTHING: Rights = { may: 'none', from: [] }

/** 0: none, 1: see … 4: manage. */
export const heightOf = (level: Level | 'none'): number => (level === 'none' ? 0 : LEVELS.indexOf(level) + 1)

/**
 * What each person may on each area: the highest of *manage* for administrators; of grants to the person or a group of theirs on the area or on one above it, up to and including the nearest closed one;
 * and of the role, where neither the area nor any above it is closed.
 *
 * @returns a function of the ids of a person and an area; the cost of a call grows with the depth of the area and what is granted there
 */
export function rightsIn({ people, groups, areas }: Organisation): (person: string, area: string) => Rights {
  const roles = new Map(people.map(({ id, role }) => [id, role]))
  const byId = new Map(areas.map((area) => [area.id, area]))
  const groupsOf = new Map<string, Set<string>>()
  for (const group of groups)
    for (const person of group.people) {
      const mine = groupsOf.get(person)
      if (mine) mine.add(group.id)
      else groupsOf.set(person, new Set([group.id]))
    }

  return (person, area) => {
    const role = roles.get(person)
    if (role === undefined || !byId.has(area)) return NOTHING
    const mine = groupsOf.get(person)
    const isMine = ({ to }: Grant): boolean => ('person' in to ? to.person === person : (mine?.has(to.group) ?? false))
    const found: { readonly source: Source; readonly height: number }[] = []
    let at = byId.get(area)
    for (; at; at = at.in === null ? undefined : byId.get(at.in)) {
      for (const grant of at.grants) {
        if (!isMine(grant)) continue
        const group = 'group' in grant.to ? grant.to.group : null
        found.push({ source: { area: at.id, group, grant: grant.may }, height: heightOf(grant.may) })
      }
      if (at.closed) break
    }
    // The way up was open to its end, or the role is one that nothing keeps out.
    const isOpen = at === undefined
    if (isOpen || role === 'administrator') found.unshift({ source: { role }, height: heightOf(LEVEL_OF_ROLE[role]) })
    const height = found.reduce((most, each) => Math.max(most, each.height), 0)
    if (height === 0) return NOTHING
    return {
      may: LEVELS[height - 1] as Level,
      from: found.filter((each) => each.height === height).map(({ source }) => source),
    }
  }
}

/** `role operator`, `grant on Sailing`, `group Night desk on Sailing`. */
export const sourceWords = (source: Source, titleOf: (id: string) => string = (id) => id): string =>
  'role' in source
    ? `role ${source.role}`
    : `${source.group === null ? 'grant' : `group ${titleOf(source.group)}`} on ${titleOf(source.area)}`
