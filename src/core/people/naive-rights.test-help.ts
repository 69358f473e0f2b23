import { LEVEL_OF_ROLE, heightOf, type Level, type Organisation, type Rights, type Source } from './rights'

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
