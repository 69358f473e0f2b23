import { actor, ADMIN, freshDatabase, VIEWER } from '@/store/database.test-help'
import { execute, many, one } from '@/store/db'
import { seenBy, type Actor } from '@/service/base/actor'
import { addPerson, changePerson, listPeople } from '@/service/people/people'
import { whoHasAccessToken } from '@/service/people/sessions'
import { handOn, ownsWhat } from '@/service/runs/handing-on'
import { startRun, startSchema } from '@/service/runs/start'
import { jobDefinitionSchema } from '@/core/work/job'
import { addArea, oneArea, removeArea, saveArea } from './areas'
import { rightsOfPerson, whoMay } from './who-may'
import * as services from './service-accounts'
import { addJob, oneJob, saveJob } from './work'

freshDatabase()

const PASSWORD = 'gulls over the pier'
let freight: number
let crates: number
let closed: number
const jobs: Record<string, number> = {}

beforeAll(async () => {
  freight = (await addArea(ADMIN, { title: 'Freight' })).id
  crates = (await addArea(ADMIN, { title: 'Crates', parentId: freight })).id
  closed = (await addArea(ADMIN, { title: 'Refunds' })).id
  const save = { notes: '', parentId: null, closed: true, members: [], version: 1 }
  await saveArea(ADMIN, closed, { title: 'Refunds', ...save })
  for (const [title, areaId] of [
    ['Manifest', freight],
    ['Count crates', crates],
    ['Pay out', closed],
  ] as const)
    jobs[title] = (
      await addJob(ADMIN, {
        title,
        notes: '',
        areaId,
        active: true,
        definition: jobDefinitionSchema.parse({
          action: { kind: 'command', command: 'true' },
          target: { agent: 'a1' },
        }),
      })
    ).id
})

const by = async (token: string): Promise<Actor> => {
  const found = await whoHasAccessToken(token, 'a script')
  if (!found) throw new Error('not let in')
  return found.actor
}
let count = 0
const account = async (may: 'see' | 'operate' | 'design' | 'manage', areaId = freight): Promise<number> =>
  (await services.addServiceAccount(ADMIN, { title: `Export ${++count}`, notes: '', areaId, may })).id
const tokenOf = async (id: number, may: 'see' | 'operate' | 'design' | 'administer' = 'see'): Promise<string> =>
  (await services.addServiceToken(ADMIN, id, { name: 'a host', days: 7, may })).token

describe('a service account', () => {
  it('may in its area and all that lies in it what it says, and nothing elsewhere', async () => {
    const id = await account('operate')
    const me = await by(await tokenOf(id, 'operate'))
    const start = (title: string): Promise<{ id: number }> => startRun(me, startSchema.parse({ jobId: jobs[title] }))
    for (const title of ['Manifest', 'Count crates']) {
      const { id: run } = await start(title)
      expect(await one(null, 'SELECT starter_name AS name FROM runs WHERE id = $1', [run])).toEqual({
        name: `Export ${count}`,
      })
    }
    await expect(start('Pay out')).rejects.toMatchObject({ code: 'not-found' })
    const seen = await seenBy(me, () => many<{ title: string }>(null, 'SELECT title FROM jobs ORDER BY title'))
    expect(seen.map(({ title }) => title)).toEqual(['Count crates', 'Manifest'])
    const manifest = await oneJob(ADMIN, jobs.Manifest as number)
    await expect(saveJob(me, jobs.Manifest as number, manifest)).rejects.toMatchObject({ code: 'not-allowed' })
    expect((await rightsOfPerson(ADMIN, id)).areas.map(({ path, may }) => `${path}: ${may}`)).toEqual([
      'Freight: operate',
      'Freight / Crates: operate',
    ])
    expect((await whoMay(ADMIN, crates)).people.map(({ name }) => name)).toContain(`Export ${count} (service account)`)
  })

  it('has tokens that may as much or less, and says when each was used', async () => {
    const id = await account('operate')
    await expect(tokenOf(id, 'design')).rejects.toMatchObject({ errors: [{ path: 'may' }] })
    const me = await by(await tokenOf(id, 'see'))
    await expect(startRun(me, startSchema.parse({ jobId: jobs.Manifest }))).rejects.toMatchObject({
      code: 'not-allowed',
    })
    const row = (await services.listServiceAccounts(ADMIN)).find((each) => each.id === id)
    expect(row).toMatchObject({ area: 'Freight', may: 'operate', tokens: [{ name: 'a host', may: 'see' }] })
    expect(row?.lastUsedAt).not.toBeNull()
    expect(row?.tokens?.[0]?.lastUsedAt).not.toBeNull()
    // What it may is lessened under its tokens.
    const operates = await tokenOf(id, 'operate')
    await services.changeServiceAccount(ADMIN, id, { may: 'see' })
    await expect(startRun(await by(operates), startSchema.parse({ jobId: jobs.Manifest }))).rejects.toMatchObject({
      code: 'not-allowed',
    })
  })

  it('comes in no more once it is switched off, or its token is revoked or over', async () => {
    const id = await account('see')
    const tokens = [await tokenOf(id), await tokenOf(id), await tokenOf(id)] as const
    const row = (await services.listServiceAccounts(ADMIN)).find((each) => each.id === id)
    const [newest] = row?.tokens ?? []
    await services.revokeServiceToken(ADMIN, id, newest?.id as number)
    await expect(by(tokens[2])).rejects.toThrow('not let in')
    await execute(null, `UPDATE access_tokens SET expires_at = now() WHERE id = $1`, [(newest?.id as number) - 1])
    await expect(by(tokens[1])).rejects.toThrow('not let in')
    await by(tokens[0])
    await services.changeServiceAccount(ADMIN, id, { active: false })
    await services.changeServiceAccount(ADMIN, id, { active: true })
    await expect(by(tokens[0])).rejects.toThrow('not let in')
    await services.changeServiceAccount(ADMIN, id, { active: false })
    await expect(tokenOf(id)).rejects.toMatchObject({ code: 'not-now' })
  })

  it('is looked after by whoever manages its area, and seen by whoever sees it', async () => {
    const id = await account('see', closed)
    const { id: person } = await addPerson(ADMIN, {
      email: 'm@marram.example',
      name: 'M',
      role: 'none',
      password: PASSWORD,
    })
    const walled = { isWalled: true, atMost: 'manage' } as const
    const outside = actor('none', { id: person, areas: { ...walled, granted: 'none' } })
    await expect(services.listServiceAccounts(outside)).rejects.toMatchObject({ code: 'not-allowed' })
    await execute(null, 'INSERT INTO grants (area_id, person_id, may) VALUES ($1, $2, $3)', [freight, person, 'manage'])
    const manager = actor('none', { id: person, areas: { ...walled, granted: 'manage' } })
    const listed = await seenBy(manager, () => services.listServiceAccounts(manager))
    expect(listed.length).toBeGreaterThan(0)
    expect(listed.some((row) => row.id === id)).toBe(false)
    expect(listed.every(({ tokens }) => tokens !== null)).toBe(true)
    const own = { title: 'Theirs', notes: '', areaId: crates, may: 'design' as const }
    const mine = (await services.addServiceAccount(manager, own)).id
    await services.addServiceToken(manager, mine, { name: 'x', days: 7, may: 'design' })
    for (const work of [
      services.addServiceAccount(manager, { ...own, areaId: closed }),
      services.changeServiceAccount(manager, id, { may: 'manage' }),
      services.addServiceToken(manager, id, { name: 'x', days: 7, may: 'see' }),
    ])
      await expect(work).rejects.toMatchObject({ code: 'not-found' })
    await expect(services.addServiceAccount(VIEWER, own)).rejects.toMatchObject({ code: 'not-allowed' })
    await expect(services.addServiceAccount(manager, own)).rejects.toMatchObject({ errors: [{ path: 'title' }] })
    // A viewer of the organisation sees that it is there, and no token.
    const seen = (await services.listServiceAccounts(VIEWER)).find((row) => row.id === mine)
    expect(seen?.tokens).toBeNull()
  })

  it('is no person: not among people, not to be changed as one, not a member that a dialog would drop', async () => {
    const id = await account('design')
    expect((await listPeople(ADMIN)).some((person) => person.id === id)).toBe(false)
    await expect(changePerson(ADMIN, id, { role: 'administrator' })).rejects.toMatchObject({ code: 'not-found' })
    const area = await oneArea(ADMIN, freight)
    expect(area.members.some(({ personId }) => personId === id)).toBe(false)
    await saveArea(ADMIN, freight, { ...area, members: [] })
    expect((await services.listServiceAccounts(ADMIN)).find((row) => row.id === id)?.may).toBe('design')
    const { id: lone } = await addArea(ADMIN, { title: 'Lone' })
    const there = await account('see', lone)
    await expect(removeArea(ADMIN, lone)).rejects.toThrow(`service account Export ${count} lies in it`)
    await services.changeServiceAccount(ADMIN, there, { active: false })
    await removeArea(ADMIN, lone)
  })
})

describe('what somebody has taken upon them', () => {
  const person = async (name: string): Promise<number> =>
    (await addPerson(ADMIN, { email: `${name}@marram.example`, name, role: 'operator', password: PASSWORD })).id
  const taken = async (by: number, name: string): Promise<number> =>
    (
      await one<{ id: number }>(
        null,
        `INSERT INTO matters (kind, subject, title, state, taken_by, taken_by_id, taken_at, evidence) VALUES ('trouble', gen_random_uuid()::text, 'Quay camera', 'taken', $2, $1, now(), '') RETURNING id`,
        [by, name],
      )
    ).id
  const stateOf = (id: number): Promise<object> =>
    one(null, 'SELECT state, taken_by AS by, taken_by_id AS "byId" FROM matters WHERE id = $1', [id])

  it('is handed on to somebody else, or open again', async () => {
    const [sunniva, callum] = [await person('Sunniva'), await person('Callum')]
    const matters = [await taken(sunniva, 'Sunniva'), await taken(sunniva, 'Sunniva')] as const
    expect(await ownsWhat(ADMIN, sunniva)).toEqual({
      matters: matters.map((id) => ({ id, title: 'Quay camera' })),
    })
    expect(await handOn(ADMIN, sunniva, { to: callum })).toEqual({ matters: 2 })
    expect(await stateOf(matters[0])).toEqual({ state: 'taken', by: 'Callum', byId: callum })
    expect(await handOn(ADMIN, sunniva, { to: callum })).toEqual({ matters: 0 })
    expect(await handOn(ADMIN, callum, { to: null })).toEqual({ matters: 2 })
    expect(await stateOf(matters[1])).toEqual({ state: 'open', by: null, byId: null })
  })

  it('goes only to somebody who is there, by an administrator', async () => {
    await addPerson(ADMIN, { email: 'ines@marram.example', name: 'Ines', role: 'administrator', password: PASSWORD })
    const [petra, gone] = [await person('Petra'), await person('Gone')]
    await changePerson(ADMIN, gone, { active: false })
    for (const to of [gone, petra, 9999])
      await expect(handOn(ADMIN, petra, { to })).rejects.toMatchObject({ errors: [{ path: 'to' }] })
    await expect(handOn(ADMIN, 9999, { to: null })).rejects.toMatchObject({ code: 'not-found' })
    await expect(handOn(actor('designer'), petra, { to: null })).rejects.toMatchObject({ code: 'not-allowed' })
    await expect(ownsWhat(actor('designer'), petra)).rejects.toMatchObject({ code: 'not-allowed' })
  })
})
