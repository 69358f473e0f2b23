// Who may what on areas and work, and why; and what a change of an area would change for whom.

import { AreaTree } from '@/core/people/area-tree'
import { LEVELS, type Level } from '@/core/people/rights'
import { requireOn } from '@/service/base/area-rights'
import { requireSomewhere, requireRight, type Actor } from '@/service/base/actor'
import { invalid, notFound, Problem } from '@/service/base/problem'
import { readOrganisation, rightsOf, type NamedOrganisation, type RightRow } from '@/service/people/organisation'
import { maybeOne } from '@/store/db'
import { listAreas, oneArea, type AreaRequest } from './areas'

/** Whose rights a change of an area changes: one line for each person and change. */
export interface RightsChange {
  readonly person: string
  readonly before: Level | 'none'
  readonly after: Level | 'none'
  /** Paths of the areas; the first few, and how many there are. */
  readonly areas: readonly string[]
  readonly count: number
}
export interface RightsChanges {
  readonly changes: readonly RightsChange[]
  /** So many lines there are beyond those shown. */
  readonly more: number
}
const MOST_SHOWN = 200
const MOST_NAMED = 3
/** A person and an area, before and after: as many as are worked out. */
const MOST_PAIRS = 1_000_000

/** What a change would change for whom; nothing is saved. */
export async function previewArea(actor: Actor, id: number, area: AreaRequest): Promise<RightsChanges> {
  await requireOn(null, actor, 'administer', 'area', id)
  const before = await readOrganisation(null)
  const key = String(id)
  const after: NamedOrganisation = {
    ...before,
    areas: before.areas.map((each) =>
      each.id !== key
        ? each
        : {
            ...each,
            in: area.parentId === null ? null : String(area.parentId),
            closed: area.closed,
            grants: [
              ...area.members.map(({ personId, groupId, may }) => ({
                to: personId === undefined ? { group: String(groupId) } : { person: String(personId) },
                may,
              })),
              ...each.grants.filter(({ to }) => 'person' in to && before.services.has(to.person)),
            ],
          },
    ),
  }
  const asTree = (organisation: NamedOrganisation): { id: number; parentId: number | null }[] =>
    organisation.areas.map((each) => ({ id: Number(each.id), parentId: each.in === null ? null : Number(each.in) }))
  const tree = new AreaTree(asTree(before))
  const why = tree.whyNotIn(id, area.parentId)
  if (why !== null) throw invalid('parentId', why)
  const within = tree.below(id)
  if (within.length * before.people.length > MOST_PAIRS)
    throw new Problem(
      'too-much',
      `${within.length} areas and ${before.people.length} people: what changes for whom is not worked out for so many at once.`,
    )
  return changesOf(
    before,
    after,
    within.map((each) => String(each.id)),
  )
}

function changesOf(before: NamedOrganisation, after: NamedOrganisation, areas: readonly string[]): RightsChanges {
  const [was, is] = [rightsOf(before), rightsOf(after)]
  const found: RightsChange[] = []
  for (const { id: person } of before.people) {
    const mine = new Map<string, { before: Level | 'none'; after: Level | 'none'; areas: string[] }>()
    for (const area of areas) {
      const [from, to] = [was(person, area).may, is(person, area).may]
      if (from === to) continue
      const key = `${from} ${to}`
      const line = mine.get(key) ?? { before: from, after: to, areas: [] }
      line.areas.push(before.areaPath.get(area) ?? '')
      mine.set(key, line)
    }
    for (const line of mine.values())
      found.push({
        ...line,
        person: before.nameOf.get(person) ?? '',
        areas: line.areas.slice(0, MOST_NAMED),
        count: line.areas.length,
      })
  }
  return { changes: found.slice(0, MOST_SHOWN), more: Math.max(0, found.length - MOST_SHOWN) }
}

export interface WhoMay {
  readonly area: string
  readonly people: readonly ({ readonly id: number; readonly name: string } & RightRow)[]
}

/** Everybody who may something on an area, the most first, and where it comes from. */
export async function whoMay(actor: Actor, areaId: number): Promise<WhoMay> {
  requireSomewhere(actor, 'see')
  // An area that the actor may not see is not there.
  const area = await oneArea(actor, areaId)
  const organisation = await readOrganisation(null)
  const rights = rightsOf(organisation)
  const people = organisation.people.map(({ id }) => ({
    id: Number(id),
    name: organisation.nameOf.get(id) ?? '',
    ...rights(id, String(areaId)),
  }))
  return {
    area: area.path,
    people: people
      .filter(({ may }) => may !== 'none')
      .sort((a, b) => LEVELS.indexOf(b.may as Level) - LEVELS.indexOf(a.may as Level)),
  }
}

/** The same of a job or flow: its area says it. */
export async function whoMayWork(actor: Actor, jobId: number): Promise<WhoMay> {
  requireSomewhere(actor, 'see')
  const job = await maybeOne<{ areaId: number }>(null, 'SELECT area_id AS "areaId" FROM jobs WHERE id = $1', [jobId])
  if (!job) throw notFound('job', jobId)
  return whoMay(actor, job.areaId)
}

export interface RightsOfPerson {
  readonly name: string
  readonly role: string
  readonly groups: readonly string[]
  /** Areas on which they may something. */
  readonly areas: readonly ({ readonly id: number; readonly path: string } & RightRow)[]
}

/** What a person may on each area that whoever asks may see. */
export async function rightsOfPerson(actor: Actor, personId: number): Promise<RightsOfPerson> {
  requireSomewhere(actor, 'see')
  if (personId !== actor.id) requireRight(actor, 'see')
  const organisation = await readOrganisation(null)
  const key = String(personId)
  const person = organisation.people.find(({ id }) => id === key)
  if (!person) throw notFound('person', personId)
  const rights = rightsOf(organisation)
  const shown = (await listAreas(actor)).filter(({ may }) => may !== 'none')
  return {
    name: organisation.nameOf.get(key) ?? '',
    role: person.role,
    groups: organisation.groups
      .filter(({ people }) => people.includes(key))
      .map(({ id }) => organisation.groupTitle.get(id) ?? ''),
    areas: shown.map(({ id, path }) => ({ id, path, ...rights(key, String(id)) })).filter(({ may }) => may !== 'none'),
  }
}
