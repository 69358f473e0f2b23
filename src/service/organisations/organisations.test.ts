import { signIn, goTo } from '@/service/entry/entry.test-help'
import { actor, ADMIN, freshDatabase } from '@/store/database.test-help'
import { execute, many } from '@/store/db'
import { migrate, missingMigrations } from '@/store/migrate'
import { FIRST, inOrganisation, onServer, organisation, roleOf, schemaOf, walledRoleOf } from '@/store/organisation'
import { readOrganisations } from '@/store/organisations'
import { seal, SealBroken, unseal } from '@/store/seal'
import { behindWalls } from '@/store/walls'
import type { Actor } from '@/service/base/actor'
import { withToken } from '@/service/base/secrets'
import { makeAgent, makeJob } from '@/service/fixtures.test-help'
import { changePassword } from '@/service/entry/sign-in'
import { addPerson, changePerson, listPeople } from '@/service/people/people'
import { openSession, whoHasSession } from '@/service/people/sessions'
import { makeSetupCode, setUpFirstAdministrator } from '@/service/entry/set-up'
import { addServerAdministrator, removeServerAdministrator } from '@/service/people/server-administrators'
import { startRun, startSchema } from '@/service/runs/start'
import { listRuns, runFilterSchema } from '@/service/runs/run-list'
import { joinOrganisation, myOrganisations } from './choice'
import * as organisations from './organisations'

freshDatabase()

const CALLER = { address: '192.0.2.7', userAgent: 'test' }
const GOOD = 'a quiet harbour at night'
const OTHER = 'eleven vessels in the rain'

const personOf = async (token: string): Promise<Actor> => {
  const found = await withToken(token, () => whoHasSession(token, 'x'))
  if (!found) throw new Error('not signed in')
  return found.actor
}
const inside = <T>(token: string, work: (me: Actor) => Promise<T>): Promise<T> =>
  withToken(token, async () => {
    const found = await whoHasSession(token, 'x')
    if (!found) throw new Error('not signed in')
    return work(found.actor)
  })

/** The first administrator of the server, and of a second organisation. */
let ines: string
let yard: number
let bram: string

beforeAll(async () => {
  const code = (await makeSetupCode()) as string
  ines = await setUpFirstAdministrator({ code, name: 'Ines', email: 'ines@marram.example', password: GOOD }, CALLER)
  const made = await inside(ines, (me) => organisations.makeOrganisation(me, { title: 'Stavin Yard' }))
  yard = made.id
  bram = await withToken(made.code, () =>
    setUpFirstAdministrator({ code: made.code, name: 'Bram', email: 'bram@yard.example', password: OTHER }, CALLER),
  )
})

describe('a second organisation', () => {
  it('is made by whoever looks after the server, and begins with whoever has its code', async () => {
    expect(yard).toBe(2)
    expect(await inside(ines, organisations.listOrganisations)).toMatchObject([
      { id: 1, title: 'Our organisation', people: 1, isOwn: true },
      { id: 2, title: 'Stavin Yard', people: 1, isOwn: false },
    ])
    expect((await inside(bram, listPeople)).map(({ name }) => name)).toEqual(['Bram'])
    expect((await inside(ines, listPeople)).map(({ name }) => name)).toEqual(['Ines'])
    await expect(inside(ines, (me) => organisations.renewFirstCode(me, yard))).rejects.toMatchObject({
      code: 'not-now',
    })
    expect(await missingMigrations()).toEqual([])
    expect(await migrate()).toEqual([])
  })

  it('has names and numbers of its own: the same stand in both', async () => {
    for (const token of [ines, bram])
      await inside(token, async (me) => {
        await makeAgent('ops1')
        const jobId = await makeJob({ target: { agent: 'ops1' } })
        const { id } = await startRun(me, startSchema.parse({ jobId }))
        expect((await listRuns(me, runFilterSchema.parse({}))).rows.map((row) => row.id)).toEqual([id])
        expect(id).toBe(1)
      })
  })

  it('seals what the other cannot open, whatever row it is put into', async () => {
    const sealed = await inOrganisation(yard, async () => seal('secret', 'account 1'))
    expect(() => unseal(sealed, 'account 1')).toThrow(SealBroken)
    expect(await inOrganisation(yard, async () => unseal(sealed, 'account 1'))).toBe('secret')
  })

  it('is of no concern to its own administrators’ rights on the server', async () => {
    for (const work of [
      (me: Actor) => organisations.listOrganisations(me),
      (me: Actor) => organisations.makeOrganisation(me, { title: 'Mine' }),
      (me: Actor) => organisations.changeOrganisation(me, FIRST, { title: 'Taken' }),
      (me: Actor) => organisations.serverAudit(me),
    ])
      await expect(inside(bram, work as never)).rejects.toMatchObject({ code: 'not-allowed' })
    // Nor to a token of whoever has them.
    await expect(
      organisations.listOrganisations(actor('administrator', { id: 1, via: 'token' })),
    ).rejects.toMatchObject({
      code: 'not-allowed',
    })
    await expect(organisations.listOrganisations(actor('operator', { id: 1 }))).rejects.toMatchObject({
      code: 'not-allowed',
    })
  })

  it('has a name of its own', async () => {
    await expect(
      inside(ines, (me) => organisations.makeOrganisation(me, { title: 'stavin yard' })),
    ).rejects.toMatchObject({ code: 'invalid-input' })
    await inside(ines, (me) => organisations.changeOrganisation(me, FIRST, { title: 'Marram Sound Ferries' }))
    await expect(
      inside(ines, (me) => organisations.changeOrganisation(me, FIRST, { title: 'Stavin Yard' })),
    ).rejects.toMatchObject({ code: 'invalid-input' })
    await expect(inside(ines, (me) => organisations.changeOrganisation(me, 77, { title: 'x' }))).rejects.toMatchObject({
      code: 'not-found',
    })
    // Nothing of one that was refused is left over.
    expect(await onServer(() => many(null, `SELECT 1 FROM pg_namespace WHERE nspname = 'organisation_3'`))).toEqual([])
  })
})

describe('the wall of the database', () => {
  const tablesOf = (schema: string): Promise<{ name: string }[]> =>
    onServer(() =>
      many<{ name: string }>(
        null,
        `SELECT quote_ident(n.nspname) || '.' || quote_ident(c.relname) AS name FROM pg_class c JOIN pg_namespace n ON n.oid = c.relnamespace
          WHERE n.nspname = $1 AND c.relkind IN ('r','p','v','m','S') ORDER BY 1`,
        [schema],
      ),
    )

  it('stands before every table, sequence and function of every other organisation, and of the server', async () => {
    for (const here of [FIRST, yard])
      for (const schema of [schemaOf(here === FIRST ? yard : FIRST), 'bugle_server']) {
        const tables = await tablesOf(schema)
        expect(tables.length).toBeGreaterThan(3)
        for (const { name } of tables)
          for (const sql of [`SELECT * FROM ${name}`, `DELETE FROM ${name}`, `SELECT count(*) FROM ${name}`]) {
            const read = (): Promise<unknown> => inOrganisation(here, () => many(null, sql))
            await expect(read()).rejects.toThrow(/permission denied|cannot (change|delete)/)
            await expect(behindWalls(1, read)).rejects.toThrow(/permission denied|cannot (change|delete)/)
          }
        const functions = await onServer(() =>
          many<{ name: string; may: boolean }>(
            null,
            `SELECT p.oid::regprocedure::text AS name, bool_or(has_function_privilege(r, p.oid, 'execute')) AS may
               FROM pg_proc p, unnest($2::text[]) AS r WHERE p.pronamespace = $1::regnamespace GROUP BY p.oid`,
            [schema, [roleOf(here), walledRoleOf(here)]],
          ),
        )
        expect(functions.filter(({ may }) => may)).toEqual([])
      }
  })

  it('keeps the role from becoming more than it is', async () => {
    for (const sql of ['CREATE SCHEMA mine', "SELECT pg_read_file('x')", 'CREATE ROLE another'])
      await expect(inOrganisation(yard, () => execute(null, sql))).rejects.toThrow(/permission denied/)
  })

  it('lets each do everything in its own', async () => {
    for (const id of [FIRST, yard])
      for (const { name } of await tablesOf(schemaOf(id)))
        await inOrganisation(id, () => many(null, `SELECT * FROM ${name} LIMIT 1`))
    expect(await inOrganisation(yard, async () => organisation())).toBe(yard)
  })
})

describe('somebody of several organisations', () => {
  let here: number
  let there: number

  beforeAll(async () => {
    here = (
      await inside(ines, (me) =>
        addPerson(me, { name: 'Wren', email: 'wren@marram.example', role: 'viewer', password: GOOD }),
      )
    ).id
    there = (
      await inside(bram, (me) =>
        addPerson(me, { name: 'Wren', email: 'wren@yard.example', role: 'operator', password: OTHER }),
      )
    ).id
  })

  it('signs in to where the password fits, and shows once to be of the other', async () => {
    const token = await signIn({ email: 'wren@marram.example', password: GOOD }, CALLER)
    const me = await personOf(token)
    expect(me.role).toBe('viewer')
    expect(await myOrganisations(me)).toEqual([{ id: 1, title: 'Marram Sound Ferries', isHere: true }])
    await expect(goTo(me, yard, CALLER, token)).rejects.toMatchObject({ code: 'not-found' })
    await expect(
      joinOrganisation(me, { email: 'wren@yard.example', password: 'wrong and wrong' }, CALLER),
    ).rejects.toMatchObject({ code: 'invalid-input' })
    await joinOrganisation(me, { email: 'wren@yard.example', password: OTHER }, CALLER)
    const over = await goTo(me, yard, CALLER, token)
    const other = await personOf(over)
    expect([other.role, other.id]).toEqual(['operator', there])
    // One session of a browser, wherever it is.
    await expect(personOf(token)).rejects.toThrow('not signed in')
    expect(await inside(over, myOrganisations)).toEqual([
      { id: 2, title: 'Stavin Yard', isHere: true },
      { id: 1, title: 'Marram Sound Ferries', isHere: false },
    ])
    const back = await inside(over, (mine) => goTo(mine, FIRST, CALLER, over))
    expect((await personOf(back)).id).toBe(here)
  })

  it('goes over no longer once an administrator has set their password: it opens nothing elsewhere', async () => {
    await inside(bram, (me) => changePerson(me, there, { password: 'set by somebody else' }))
    const token = await signIn({ email: 'wren@yard.example', password: 'set by somebody else' }, CALLER)
    expect(await inside(token, myOrganisations)).toHaveLength(1)
    await expect(inside(token, (me) => goTo(me, FIRST, CALLER, token))).rejects.toMatchObject({ code: 'not-found' })
    // Changing it oneself is no reason.
    await inside(token, (me) => joinOrganisation(me, { email: 'wren@marram.example', password: GOOD }, CALLER))
    await inside(token, (me) => changePassword(me, { current: 'set by somebody else', next: OTHER }))
    expect(await inside(token, myOrganisations)).toHaveLength(2)
  })

  it('is the same person wherever one password fits, and comes to where they were last', async () => {
    const both = { name: 'Kit', email: 'kit@both.example', role: 'viewer' as const, password: GOOD }
    for (const token of [ines, bram]) await inside(token, (me) => addPerson(me, both))
    const first = await signIn(both, CALLER)
    const over = await inside(first, (me) => goTo(me, yard, CALLER, first))
    expect(await withToken(over, async () => organisation())).toBe(yard)
    const again = await signIn(both, CALLER)
    expect(await withToken(again, async () => organisation())).toBe(yard)
  })

  it('is not let in where they are switched off', async () => {
    const kit = (await inside(bram, listPeople)).find(({ name }) => name === 'Kit') as { id: number }
    await inside(bram, (me) => changePerson(me, kit.id, { active: false }))
    const token = await signIn({ email: 'kit@both.example', password: GOOD }, CALLER)
    expect(await withToken(token, async () => organisation())).toBe(FIRST)
    expect(await inside(token, myOrganisations)).toHaveLength(1)
    await expect(inside(token, (me) => goTo(me, yard, CALLER, token))).rejects.toMatchObject({ code: 'not-found' })
  })

  it('has wrong tries recorded with those who know the address', async () => {
    await expect(signIn({ email: 'bram@yard.example', password: 'no' }, CALLER)).rejects.toMatchObject({
      code: 'wrong-credentials',
    })
    const failed = (): Promise<object[]> =>
      many(
        null,
        `SELECT object_title AS title FROM audit WHERE action = 'sign-in failed' AND object_title LIKE 'bram%'`,
      )
    expect(await inOrganisation(yard, failed)).toHaveLength(1)
    expect(await failed()).toEqual([])
  })
})

describe('an organisation that is switched off', () => {
  it('lets nobody in and keeps everything; the server’s own stay', async () => {
    await expect(
      inside(ines, (me) => organisations.changeOrganisation(me, FIRST, { active: false })),
    ).rejects.toMatchObject({ code: 'not-now' })
    await inside(ines, (me) => organisations.changeOrganisation(me, yard, { active: false }))
    await expect(personOf(bram)).rejects.toThrow('not signed in')
    await expect(signIn({ email: 'bram@yard.example', password: OTHER }, CALLER)).rejects.toMatchObject({
      code: 'wrong-credentials',
    })
    await inside(ines, (me) => organisations.changeOrganisation(me, yard, { active: true }))
    expect((await personOf(bram)).name).toBe('Bram')
    expect((await inside(ines, organisations.serverAudit)).map(({ action, title }) => `${action}: ${title}`)).toEqual([
      'switched on: Stavin Yard',
      'switched off: Stavin Yard',
      'renamed Our organisation: Marram Sound Ferries',
      'made: Stavin Yard',
    ])
  })

  it('is known to every process within seconds, and at once to the one that did it', async () => {
    expect((await readOrganisations()).map(({ active }) => active)).toEqual([true, true])
  })
})

describe('who looks after the server', () => {
  it('is never nobody, and only administrators', async () => {
    const me = await personOf(ines)
    const removeMe = (): Promise<void> => removeServerAdministrator(me, FIRST, me.id as number)
    await expect(removeMe()).rejects.toMatchObject({ code: 'not-now' })
    const wren = (await listPeople(ADMIN)).find(({ name }) => name === 'Wren') as { id: number }
    await expect(addServerAdministrator(me, { personId: wren.id })).rejects.toMatchObject({ code: 'invalid-input' })
    await changePerson(ADMIN, wren.id, { role: 'administrator' })
    await addServerAdministrator(me, { personId: wren.id })
    await removeMe()
    await expect(organisations.listOrganisations(me)).rejects.toMatchObject({ code: 'not-allowed' })
    const next = await openSession(wren.id, CALLER)
    expect(await inside(next, organisations.listOrganisations)).toHaveLength(2)
  })
})
