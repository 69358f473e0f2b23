import fc from 'fast-check'
import { organisations, rightsNaively } from './naive-rights.test-help'
import { rightsIn, sourceWords, type Organisation } from './rights'
import { checkRights } from './rights-file'

const FILE = {
  people: [
    { id: 'ines', role: 'administrator' },
    { id: 'callum', role: 'operator' },
    { id: 'wren', role: 'none' },
    { id: 'moira', role: 'designer' },
  ],
  groups: [{ id: 'night', people: ['callum', 'wren'] }],
  areas: [
    { id: 'sailing', in: null, closed: false, grants: [{ group: 'night', may: 'operate' }] },
    { id: 'quay', in: 'sailing', closed: false, grants: [{ person: 'wren', may: 'see' }] },
    { id: 'refunds', in: 'sailing', closed: true, grants: [{ person: 'callum', may: 'design' }] },
    { id: 'letters', in: 'refunds', closed: false, grants: [{ group: 'night', may: 'design' }] },
  ],
} as const
const organisationOf = (raw: unknown): Organisation => {
  const checked = checkRights(raw)
  if (!checked.ok) throw new Error(JSON.stringify(checked.faults))
  return checked.organisation
}
const said = (person: string, area: string): string => {
  const { may, from } = rightsIn(organisationOf(FILE))(person, area)
  return [may, ...from.map((source) => sourceWords(source))].join(' · ')
}

describe('what a person may do on an area', () => {
  it.each([
    // The role counts where nothing is closed; as high as a grant, it is a source beside it.
    ['callum', 'sailing', 'operate · role operator · group night on sailing'],
    ['moira', 'quay', 'design · role designer'],
    // Grants come down, also past a lower one.
    ['wren', 'quay', 'operate · group night on sailing'],
    // A closed area lets nothing in from above, neither grants nor roles, but for administrators.
    ['moira', 'refunds', 'none'],
    ['wren', 'refunds', 'none'],
    ['callum', 'refunds', 'design · grant on refunds'],
    ['ines', 'refunds', 'manage · role administrator'],
    // What lies in it is as closed; what is granted on the closed one itself comes down.
    ['moira', 'letters', 'none'],
    ['wren', 'letters', 'design · group night on letters'],
    ['callum', 'letters', 'design · group night on letters · grant on refunds'],
    ['nobody', 'letters', 'none'],
    ['ines', 'nowhere', 'none'],
  ])('%s on %s: %s', (person, area, words) => expect(said(person, area)).toBe(words))

  it('is what the rule read aloud says, on random trees', () => {
    fc.assert(
      fc.property(organisations, (given) => {
        const rights = rightsIn(given)
        for (const person of given.people)
          for (const area of given.areas)
            expect(rights(person.id, area.id)).toEqual(rightsNaively(given, person.id, area.id))
      }),
      { numRuns: 500 },
    )
  })
})

describe('a file of people, groups and areas', () => {
  const faultsOf = (change: object): unknown => {
    const checked = checkRights({ ...FILE, ...change })
    return checked.ok ? [] : checked.faults.map(({ path, message }) => `${path}: ${message}`)
  }
  const area = (id: string, above: string | null = null): object => ({ id, in: above, closed: false, grants: [] })
  const chain = (length: number): object[] =>
    Array.from({ length }, (_, i) => area(`a${i}`, i === 0 ? null : `a${i - 1}`))

  it.each<[string, object, string[]]>([
    ['nothing', {}, []],
    ['areas without what may be left out', { areas: [{ id: 'a' }] }, []],
    ['eight levels', { areas: chain(8) }, []],
    ['nine levels', { areas: chain(9) }, ['areas[8].in: The area a8 lies 9 levels deep; at most 8 are possible.']],
    ['an area in itself', { areas: [area('a', 'a'), area('b', 'a')] }, ['areas[0].in: The area a lies within itself.']],
    [
      'a ring, and what hangs from it',
      { areas: [area('x', 'b'), area('a', 'b'), area('b', 'c'), area('c', 'a')] },
      [
        'areas[1].in: The area a lies within itself.',
        'areas[2].in: The area b lies within itself.',
        'areas[3].in: The area c lies within itself.',
      ],
    ],
    ['an area in an unknown one', { areas: [area('a', 'x')] }, ['areas[0].in: There is no area x in this file.']],
    [
      'ids that are there twice',
      {
        people: [...FILE.people, FILE.people[0]],
        groups: [...FILE.groups, { id: 'night', people: [] }],
        areas: [area('a'), area('a')],
      },
      [
        'people[4].id: There is another person ines in this file.',
        'groups[1].id: There is another group night in this file.',
        'areas[1].id: There is another area a in this file.',
      ],
    ],
    [
      'people of a group: unknown, twice',
      { groups: [{ id: 'night', people: ['wren', 'who', 'wren'] }] },
      [
        'groups[0].people[1]: There is no person who in this file.',
        'groups[0].people[2]: wren is in this group already.',
      ],
    ],
    [
      'grants: to nobody, to both, to unknown ones, twice',
      {
        areas: [
          {
            id: 'a',
            grants: [
              { may: 'see' },
              { person: 'wren', group: 'night', may: 'see' },
              { person: 'who', may: 'see' },
              { group: 'day', may: 'see' },
              { person: 'wren', may: 'see' },
              { person: 'wren', may: 'design' },
              { person: 'wren', may: 'see' },
            ],
          },
        ],
      },
      [
        'areas[0].grants[0]: A grant is to a person or to a group: one of the keys person, group.',
        'areas[0].grants[1]: A grant is to a person or to a group: one of the keys person, group.',
        'areas[0].grants[2].person: There is no person who in this file.',
        'areas[0].grants[3].group: There is no group day in this file.',
        'areas[0].grants[6]: The person wren is granted see here already.',
      ],
    ],
    [
      'words that are none',
      { people: [{ id: 'p', role: 'boss' }], areas: [{ id: 'a', grants: [{ person: 'p', may: 'own' }], open: true }] },
      [
        'people[0].role: One of none, viewer, operator, designer, administrator.',
        'areas[0].grants[0].may: One of see, operate, design, manage.',
        'areas[0].open: The key open is not known here.',
      ],
    ],
  ])('%s', (_, change, faults) => expect(faultsOf(change)).toEqual(faults))

  it('of a hundred thousand areas in a chain or a ring is read at once', () => {
    const many = Array.from({ length: 100_000 }, (_, i) => area(`a${i}`, `a${(i + 1) % 100_000}`))
    expect(faultsOf({ areas: many })).toHaveLength(1000)
    expect(faultsOf({ areas: many.map((each, i) => (i === 99_999 ? area('a99999') : each)) })).toHaveLength(1000)
  })
})
