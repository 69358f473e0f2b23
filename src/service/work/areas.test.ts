import { insertPerson } from '@/service/people/people'
import { addGroup, removeGroup, saveGroup } from '@/service/people/groups'
import { whoHasSession } from '@/service/people/sessions'
import { signInAsDemoPerson } from '@/service/entry/sign-in'
import { exportBundle } from '@/service/exchange/bundle-out'
import { importBundle } from '@/service/exchange/bundle-in'
import { makeJob } from '@/service/fixtures.test-help'
import type { Actor } from '@/service/base/actor'
import type { Role } from '@/core/people/roles'
import { ADMIN, freshDatabase } from '@/store/database.test-help'
import { many, one, transaction } from '@/store/db'
import { jobDefinitionSchema } from '@/core/work/job'
import { startRun, startSchema } from '@/service/runs/start'
import { listRuns, runFilterSchema } from '@/service/runs/run-list'
import { addJob, listJobs } from './work'
import { addArea, listAreas, newAreaSchema, oneArea, removeArea, saveArea } from './areas'
import { previewArea, rightsOfPerson, whoMay } from './who-may'

freshDatabase()

async function person(name: string, role: Role): Promise<number> {
  const { id } = await transaction((tx) =>
    insertPerson(tx, ADMIN, { email: `${name}@marram.example`, name, role, passwordHash: null, isDemo: true }),
  )
  return id
}
async function signedIn(id: number): Promise<Actor> {
  const token = await signInAsDemoPerson(id, { address: 'x', userAgent: '' })
  const found = await whoHasSession(token, 'x')
  if (!found) throw new Error('not signed in')
  return found.actor
}
const area = async (title: string, parentId: number | null = null): Promise<number> =>
  (await addArea(ADMIN, { title, parentId })).id
/** Saves it as it is but for this change. */
async function change(actor: Actor, id: number, to: Partial<Parameters<typeof saveArea>[2]>): Promise<unknown> {
  return saveArea(actor, id, { ...(await asSaved(id)), ...to })
}
async function asSaved(id: number): Promise<Parameters<typeof saveArea>[2]> {
  const { title, notes, parentId, closed, version, members } = await oneArea(ADMIN, id)
  return {
    title,
    notes,
    parentId,
    closed,
    version,
    members: members.map(({ personId, groupId, may }) =>
      personId === null ? { groupId: groupId as number, may } : { personId, may },
    ),
  }
}
const definition = jobDefinitionSchema.parse({ action: { kind: 'command', command: 'true' }, target: { agent: 'a1' } })
const job = async (areaId: number, title: string): Promise<number> =>
  (await addJob(ADMIN, { title, notes: '', areaId, active: true, definition })).id

describe('areas in areas', () => {
  it('have paths, lie at most eight deep and never within themselves', async () => {
    let id = await area('1')
    const first = id
    for (let i = 2; i <= 8; i++) id = await area(String(i), id)
    expect((await oneArea(ADMIN, id)).path).toBe('1 / 2 / 3 / 4 / 5 / 6 / 7 / 8')
    await expect(area('9', id)).rejects.toThrow('9 levels deep')
    await expect(change(ADMIN, first, { parentId: id })).rejects.toThrow('cannot lie within itself')
    await expect(change(ADMIN, first, { parentId: first })).rejects.toThrow('cannot lie within itself')
    const other = await area('Other')
    await expect(change(ADMIN, first, { parentId: other })).rejects.toThrow('9 levels deep')
    await change(ADMIN, first, { title: 'One' })
    expect((await oneArea(ADMIN, id)).path).toBe('One / 2 / 3 / 4 / 5 / 6 / 7 / 8')
    expect(newAreaSchema.safeParse({ title: 'a / b' }).success).toBe(false)
    await expect(area('other')).rejects.toMatchObject({ errors: [{ path: 'title' }] })
    await expect(area('other', other)).resolves.toBeGreaterThan(0)
  })

  it('are removed only when nothing lies in them, and their title is free then', async () => {
    const outer = await area('Yard')
    const inner = await area('Dock', outer)
    const jobId = await job(inner, 'Pump')
    await expect(removeArea(ADMIN, outer)).rejects.toThrow('Dock lies in it')
    await expect(removeArea(ADMIN, inner)).rejects.toThrow('Pump lies in it')
    await many(null, 'UPDATE jobs SET deleted_at = now() WHERE id = $1 RETURNING id', [jobId])
    await removeArea(ADMIN, inner)
    await removeArea(ADMIN, outer)
    await expect(oneArea(ADMIN, outer)).rejects.toMatchObject({ code: 'not-found' })
    await area('Yard')
  })

  it('name nothing that may not be seen where their removal is refused', async () => {
    const outer = await area('Slipway')
    const inner = await area('Strongroom', outer)
    const warden = await person('warden', 'none')
    await change(ADMIN, inner, { closed: true })
    await change(ADMIN, outer, { members: [{ personId: warden, may: 'manage' }] })
    await expect(removeArea(await signedIn(warden), outer)).rejects.toThrow('something that you may not see lies in it')
  })

  it('take runs of a moved job along, and hold those of areas within them', async () => {
    const [from, to] = [await area('From'), await area('To')]
    const within = await area('Within', to)
    const jobId = await job(from, 'Ferry')
    const { id } = await startRun(ADMIN, startSchema.parse({ jobId }))
    const runsOf = async (areaId: number): Promise<number[]> =>
      (await listRuns(ADMIN, runFilterSchema.parse({ area: String(areaId) }))).rows.map((row) => row.id)
    expect(await runsOf(from)).toEqual([id])
    await many(null, 'UPDATE jobs SET area_id = $2 WHERE id = $1 RETURNING id', [jobId, within])
    expect([await runsOf(from), await runsOf(within), await runsOf(to)]).toEqual([[], [id], [id]])
  })
})

describe('members', () => {
  it('may what they are granted: start, make, change who else may', async () => {
    const id = await area('Freight')
    const jobId = await job(id, 'Invoices')
    const wren = await person('fulmar', 'none')
    const give = async (may: 'see' | 'operate' | 'design' | 'manage'): Promise<Actor> => {
      await change(ADMIN, id, { members: [{ personId: wren, may }] })
      return signedIn(wren)
    }
    const allowed = async (work: Promise<unknown>): Promise<string> =>
      work.then(
        () => 'yes',
        (error: { code?: string }) => error.code ?? 'failed',
      )
    const tried = async (actor: Actor): Promise<string[]> => [
      await allowed(startRun(actor, startSchema.parse({ jobId }))),
      await allowed(addJob(actor, { title: `by ${Math.random()}`, notes: '', areaId: id, active: true, definition })),
      await allowed(change(actor, id, { notes: `by ${Math.random()}` })),
      await allowed(change(actor, id, { closed: Math.random() < 2 && !(await oneArea(ADMIN, id)).closed })),
      await allowed(addArea(actor, { title: `in ${Math.random()}`, parentId: id })),
      await allowed(addArea(actor, { title: `out ${Math.random()}` })),
    ]
    const no = 'not-allowed'
    expect(await tried(await give('see'))).toEqual([no, no, no, no, no, no])
    expect(await tried(await give('operate'))).toEqual(['yes', no, no, no, no, no])
    expect(await tried(await give('design'))).toEqual(['yes', 'yes', 'yes', no, 'yes', no])
    expect(await tried(await give('manage'))).toEqual(['yes', 'yes', 'yes', 'yes', 'yes', no])
  })

  it('cannot be changed twice at once unseen, nor stand there twice', async () => {
    const id = await area('Tides')
    const before = await asSaved(id)
    await saveArea(ADMIN, id, { ...before, notes: 'first' })
    await expect(saveArea(ADMIN, id, { ...before, notes: 'second' })).rejects.toMatchObject({ code: 'conflict' })
    const someone = await person('twice', 'viewer')
    const members = [
      { personId: someone, may: 'see' as const },
      { personId: someone, may: 'design' as const },
    ]
    await expect(change(ADMIN, id, { members })).rejects.toMatchObject({ errors: [{ path: 'members' }] })
    await expect(change(ADMIN, id, { members: [{ personId: 999_999, may: 'see' }] })).rejects.toThrow(
      'not there any more',
    )
  })
})

describe('what a change changes for whom', () => {
  it('is told before: closing, moving and a new member', async () => {
    const outer = await area('Office')
    const inner = await area('Letters', outer)
    const [moira, callum] = [await person('Moira', 'designer'), await person('Callum', 'none')]
    const { id: groupId } = await addGroup(ADMIN, { title: 'Desk', notes: '', people: [callum] })
    await change(ADMIN, outer, { members: [{ groupId, may: 'operate' }] })
    const told = async (id: number, to: object): Promise<string[]> =>
      (await previewArea(ADMIN, id, { ...(await asSaved(id)), ...to })).changes
        .filter(({ person: who }) => ['Moira', 'Callum'].includes(who))
        .map(({ person: who, before, after, areas }) => `${who}: ${before} → ${after} on ${areas.join(', ')}`)
    expect(await told(outer, {})).toEqual([])
    expect(await told(inner, { closed: true })).toEqual([
      'Callum: operate → none on Office / Letters',
      'Moira: design → none on Office / Letters',
    ])
    expect(await told(inner, { parentId: null })).toEqual(['Callum: operate → none on Office / Letters'])
    expect(await told(outer, { members: [{ personId: moira, may: 'manage' }] })).toEqual([
      'Callum: operate → none on Office, Office / Letters',
      'Moira: design → manage on Office, Office / Letters',
    ])
    // What was told is what comes.
    await change(ADMIN, inner, { closed: true })
    const names = async (id: number): Promise<string[]> =>
      (await listAreas(await signedIn(id))).filter(({ may }) => may !== 'none').map(({ path }) => path)
    expect(await names(callum)).toContain('Office')
    expect(await names(callum)).not.toContain('Office / Letters')
    expect(await names(moira)).not.toContain('Office / Letters')
  })

  it('is answered for a thing and for a person, with where it comes from', async () => {
    const id = await area('Signs')
    const wren = await person('Wren', 'viewer')
    const { id: groupId } = await addGroup(ADMIN, { title: 'Night desk', notes: '', people: [wren] })
    await change(ADMIN, id, { members: [{ groupId, may: 'operate' }] })
    const { people } = await whoMay(ADMIN, id)
    expect(people.find(({ name }) => name === 'Wren')).toMatchObject({
      may: 'operate',
      from: ['group Night desk on Signs'],
    })
    const rights = await rightsOfPerson(ADMIN, wren)
    expect(rights).toMatchObject({ name: 'Wren', role: 'viewer', groups: ['Night desk'] })
    expect(rights.areas.find(({ path }) => path === 'Signs')).toMatchObject({ may: 'operate' })
    expect(rights.areas.find(({ path }) => path === 'Tides')).toMatchObject({ may: 'see', from: ['role viewer'] })
    await expect(removeGroup(ADMIN, groupId)).rejects.toThrow('It is a member of Signs')
    await saveGroup(ADMIN, groupId, { title: 'Night desk', notes: '', people: [] })
    expect((await whoMay(ADMIN, id)).people.find(({ name }) => name === 'Wren')).toMatchObject({ may: 'see' })
  })
})

describe('a bundle', () => {
  it('carries areas, groups and who is a member of what, there and back', async () => {
    const file = JSON.parse(JSON.stringify(await exportBundle(ADMIN))) as {
      areas: { id: string; members?: object[]; closed?: boolean }[]
      groups: { id: string; people: string[] }[]
    }
    expect(file.areas.find(({ id }) => id === 'Office / Letters')).toEqual({ id: 'Office / Letters', closed: true })
    expect(file.areas.find(({ id }) => id === 'Signs')?.members).toEqual([{ group: 'Night desk', may: 'operate' }])
    expect(file.groups.find(({ id }) => id === 'Desk')?.people).toEqual(['Callum@marram.example'])
    const same = await importBundle(ADMIN, file, false)
    expect(same.lines.filter(({ what }) => what !== 'same')).toEqual([])
    const changed = {
      ...file,
      groups: [{ id: 'Night desk', people: ['wren@marram.example'] }],
      areas: [{ id: 'Signs / Web', closed: true, members: [{ person: 'Wren@marram.example', may: 'manage' }] }],
    }
    const { lines } = await importBundle(ADMIN, changed, false)
    expect(lines.filter(({ kind }) => kind === 'group' || kind === 'area')).toEqual([
      { kind: 'group', id: 'Night desk', what: 'changed' },
      { kind: 'area', id: 'Signs / Web', what: 'added' },
    ])
    const web = (await listAreas(ADMIN)).find(({ path }) => path === 'Signs / Web')
    expect((await oneArea(ADMIN, web?.id as number)).members).toMatchObject([{ name: 'Wren', may: 'manage' }])
  })

  it('names who is not here at its place, and brings nothing', async () => {
    const before = await one(null, 'SELECT count(*)::int AS n FROM areas')
    const bring = (more: object): Promise<unknown> => importBundle(ADMIN, { format: 'bugle-bundle/1', ...more }, false)
    await expect(
      bring({ areas: [{ id: 'New' }, { id: 'Signs', members: [{ person: 'nobody@marram.example', may: 'see' }] }] }),
    ).rejects.toMatchObject({ errors: [{ path: 'areas[1].members[0].person' }] })
    await expect(bring({ areas: [{ id: 'New' }, { id: 'New' }] })).rejects.toThrow('stands there twice')
    await expect(bring({ groups: [{ id: 'G', people: ['nobody@marram.example'] }] })).rejects.toThrow('There is nobody')
    expect(await one(null, 'SELECT count(*)::int AS n FROM areas')).toEqual(before)
  })

  it('of somebody who may not see everything has nothing of the rest', async () => {
    await makeJob()
    const callum = await one<{ id: number }>(null, `SELECT id FROM people WHERE name = 'Callum'`)
    const me = await signedIn(callum.id)
    const { seenBy } = await import('@/service/base/actor')
    const file = await seenBy(me, () => exportBundle(me))
    expect(file.groups).toBeUndefined()
    expect(file.areas?.every(({ members }) => members === undefined)).toBe(true)
    expect((await seenBy(me, () => listJobs(me))).map(({ area: path }) => path)).toEqual([])
  })
})
