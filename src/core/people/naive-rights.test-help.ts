import fc from 'fast-check'
import {
  LEVEL_OF_ROLE,
  LEVELS,
  heightOf,
  type Grant,
  type Level,
  type Organisation,
  type Rights,
  type Source,
} from './rights'
import { ROLES } from './roles'

/** The rule read aloud, without a walk: areas above by sets, sources by listing all there could be and striking out. */
export function rightsNaively(organisation: Organisation, person: string, area: string): Rights {
  const { people, groups, areas } = organisation
  const parentOf = (id: string): string | null => areas.find((each) => each.id === id)?.in ?? null
  const isClosed = (id: string): boolean => areas.some((each) => each.id === id && each.closed)
  const upwards: string[] = []
  for (let at: string | null = area; at !== null; at = parentOf(at)) upwards.push(at)
  const nearest = upwards.findIndex(isClosed)
  const within = nearest < 0 ? upwards : upwards.slice(0, nearest + 1)
  const role = people.find(({ id }) => id === person)?.role ?? 'none'
  const mine = groups.filter((group) => group.people.includes(person)).map(({ id }) => id)

  const all: { source: Source; level: Level | 'none' }[] = []
  if (nearest < 0 || role === 'administrator') all.push({ source: { role }, level: LEVEL_OF_ROLE[role] })
  for (const id of within)
    for (const { to, may } of areas.find((each) => each.id === id)?.grants ?? []) {
      if ('person' in to && to.person === person)
        all.push({ source: { area: id, group: null, grant: may }, level: may })
      if ('group' in to && mine.includes(to.group))
        all.push({ source: { area: id, group: to.group, grant: may }, level: may })
    }
  const given = all.filter(({ level }) => level !== 'none')
  const best = given.filter(({ level }) => given.every((other) => heightOf(other.level) <= heightOf(level)))
  return { may: best[0]?.level ?? 'none', from: best.map(({ source }) => source) }
}

const id = (list: string, i: number): string => `${list}${i}`

/** Random people, groups, and trees of areas; some groups name people who are not there. */
export const organisations = fc
  .record({
    roles: fc.array(fc.constantFrom(...ROLES), { minLength: 1, maxLength: 5 }),
    members: fc.array(fc.array(fc.nat(4), { maxLength: 4 }), { maxLength: 4 }),
    areas: fc.array(
      fc.record({
        above: fc.option(fc.nat(20)),
        closed: fc.boolean(),
        grants: fc.array(fc.record({ isGroup: fc.boolean(), to: fc.nat(4), may: fc.constantFrom(...LEVELS) }), {
          maxLength: 4,
        }),
      }),
      { minLength: 1, maxLength: 10 },
    ),
  })
  .map(({ roles, members, areas }): Organisation => ({
    people: roles.map((role, i) => ({ id: id('p', i), role })),
    groups: members.map((list, i) => ({ id: id('g', i), people: [...new Set(list)].map((n) => id('p', n)) })),
    areas: areas.map(({ above, closed, grants }, i) => ({
      id: id('a', i),
      in: above === null || i === 0 ? null : id('a', above % i),
      closed,
      grants: grants.map(({ isGroup, to, may }): Grant => ({
        to: isGroup ? { group: id('g', to) } : { person: id('p', to) },
        may,
      })),
    })),
  }))
