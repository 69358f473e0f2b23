import { generateKeyPairSync } from 'node:crypto'
import { ADMIN, actor, freshDatabase } from '@/store/database.test-help'
import { execute, many, one } from '@/store/db'
import { goTo } from '@/service/entry/entry.test-help'
import { joinOrganisation, myOrganisations } from '@/service/organisations/choice'
import { makeOrganisation } from '@/service/organisations/organisations'
import { COMMAND_LINE } from '@/service/base/actor'
import { withToken } from '@/service/base/secrets'
import { inOrganisation } from '@/store/organisation'
import { addPerson, changePerson, listPeople } from '@/service/people/people'
import { addGroup } from '@/service/people/groups'
import { signOut, whoHasSession } from '@/service/people/sessions'
import { saveAddresses } from '@/service/notices/addresses'
import { addArea } from '@/service/work/areas'
import { FakeProvider } from './provider.test-help'
import * as providers from './providers'
import { comeBack, endElsewhere, goElsewhere, type TurnedAway } from './visit'

freshDatabase()

const PAGES = 'https://bugle.example'
const CALLER = { address: '192.0.2.8', userAgent: 'a browser', pages: PAGES }
const PASSWORD = 'gulls over the pier'
let fake: FakeProvider
let id: number
let group: number
const content = (change: object = {}): providers.ProviderContent =>
  providers.providerSchema.parse({
    title: 'Harbour sign-in',
    issuer: fake.issuer,
    clientId: 'bugle',
    clientSecret: 'razorbill',
    makesPeople: true,
    role: 'viewer',
    rules: [
      { value: 'night', groupId: group },
      { value: 'masters', role: 'designer' },
      { value: 'owners', role: 'administrator' },
    ],
    ...change,
  })

beforeAll(async () => {
  fake = await new FakeProvider().start()
  await saveAddresses(ADMIN, { allow: ['127.0.0.1'] })
  await addPerson(ADMIN, { email: 'ines@marram.example', name: 'Ines', role: 'administrator', password: PASSWORD })
  group = (await addGroup(ADMIN, { title: 'Night desk', notes: '', people: [] })).id
  id = (await providers.addProvider(ADMIN, content())).id
})
afterAll(() => fake.stop())
beforeEach(async () => {
  fake.wrong = {}
  await providers.changeProvider(ADMIN, id, content())
})

const ASTRID = {
  sub: 'a-1',
  email: 'astrid@marram.example',
  email_verified: true,
  name: 'Astrid Lund',
  groups: ['night'],
}

interface Visit {
  readonly url: URL
  readonly browser: string
}
async function visit(claims: object = ASTRID): Promise<Visit> {
  const { url, browser } = await goElsewhere(id, '/runs', CALLER)
  return { url: fake.visit(url, claims), browser }
}
const back = ({ url, browser }: Visit): Promise<{ token: string; goesTo: string }> => comeBack(url, browser, CALLER)
const turned = (work: Promise<unknown>): Promise<string> =>
  work.then(
    () => 'in',
    (error: TurnedAway) => error.why,
  )
const whoIs = async (token: string): Promise<string | undefined> => (await whoHasSession(token, 'x'))?.actor.name

describe('whoever signs in elsewhere', () => {
  it('is sent there with state, nonce and a challenge, and comes in with what the provider says', async () => {
    const { url } = await goElsewhere(id, '/runs', CALLER)
    const query = new URL(url).searchParams
    expect(Object.fromEntries(query)).toMatchObject({
      response_type: 'code',
      client_id: 'bugle',
      redirect_uri: `${PAGES}/api/sign-in/back`,
      code_challenge_method: 'S256',
    })
    for (const name of ['state', 'nonce', 'code_challenge']) expect(query.get(name)?.length).toBeGreaterThan(30)
    const { token, goesTo } = await back(await visit())
    expect(goesTo).toBe('/runs')
    expect((await whoHasSession(token, 'x'))?.actor).toMatchObject({
      name: 'Astrid Lund',
      role: 'viewer',
      email: ASTRID.email,
    })
    expect((await listPeople(ADMIN)).find(({ name }) => name === 'Astrid Lund')?.groups).toEqual(['Night desk'])
  })

  it('is the same person each time, by the provider’s own number for them', async () => {
    await back(await visit())
    const { token } = await back(await visit({ ...ASTRID, email: 'astrid.lund@marram.example', name: 'A. Lund' }))
    expect(await whoIs(token)).toBe('Astrid Lund')
  })

  it('is whoever has the address here, if the provider has verified it, and nobody otherwise', async () => {
    const { id: person } = await addPerson(ADMIN, {
      email: 'Kit@marram.example',
      name: 'Kit',
      role: 'operator',
      password: PASSWORD,
    })
    await providers.changeProvider(ADMIN, id, content({ makesPeople: false, rules: [] }))
    const kit = { sub: 'k-1', email: 'kit@marram.example', name: 'Somebody' }
    for (const email_verified of [undefined, false, 'true'])
      expect(await turned(back(await visit({ ...kit, email_verified })))).toBe('unknown')
    const { token } = await back(await visit({ ...kit, email_verified: true }))
    expect((await whoHasSession(token, 'x'))?.actor).toMatchObject({ id: person, role: 'operator' })
    expect(await turned(back(await visit({ sub: 'n-1', email: 'new@marram.example', email_verified: true })))).toBe(
      'unknown',
    )
  })

  it('takes up an invitation to the address that the provider has verified, with its role and areas, once', async () => {
    await providers.changeProvider(ADMIN, id, content({ makesPeople: false, rules: [] }))
    const area = (await addArea(ADMIN, { title: 'Freight' })).id
    await execute(
      null,
      `INSERT INTO letters (kind, token_hash, email, role, areas, made_by, expires_at) VALUES ('invitation', 'x', 'Hallam@marram.example', 'operator', $1, 'Ines', now() + interval '1 day')`,
      [JSON.stringify([{ areaId: area, may: 'design' }])],
    )
    const hallam = { sub: 'h-1', email: 'hallam@marram.example', name: 'Hallam Reid' }
    expect(await turned(back(await visit({ ...hallam, email_verified: false })))).toBe('unknown')
    const { token } = await back(await visit({ ...hallam, email_verified: true }))
    const me = (await whoHasSession(token, 'x'))?.actor
    expect(me).toMatchObject({ name: 'Hallam Reid', role: 'operator', areas: { granted: 'design' } })
    expect(await one(null, 'SELECT used_at IS NOT NULL AS used FROM letters')).toEqual({ used: true })
    expect(await many(null, 'SELECT person_id AS id FROM grants')).toEqual([{ id: me?.id }])
  })

  it('has role and groups as the rules give them, each time; the last administrator stays one', async () => {
    const come = async (groups: unknown): Promise<object | undefined> => {
      await back(await visit({ sub: 'r-1', email: 'r@marram.example', email_verified: true, name: 'Rua', groups }))
      const rua = (await listPeople(ADMIN)).find(({ name }) => name === 'Rua')
      return rua && { role: rua.role, groups: rua.groups }
    }
    expect(await come(['masters', 'night', 'owners of cats'])).toEqual({ role: 'designer', groups: ['Night desk'] })
    expect(await come('owners')).toEqual({ role: 'administrator', groups: [] })
    expect(await come([7, null, { value: 'owners' }])).toEqual({ role: 'viewer', groups: [] })
    expect(await come(['owners'])).toEqual({ role: 'administrator', groups: [] })
    const ines = (await listPeople(ADMIN)).find(({ name }) => name === 'Ines') as { id: number }
    await changePerson(ADMIN, ines.id, { role: 'viewer' })
    expect(await come([])).toEqual({ role: 'administrator', groups: [] })
    await changePerson(ADMIN, ines.id, { role: 'administrator' })
    expect(await come([])).toEqual({ role: 'viewer', groups: [] })
  })

  it('is not let in once they are switched off', async () => {
    await back(await visit())
    const astrid = (await listPeople(ADMIN)).find(({ name }) => name === 'Astrid Lund') as { id: number }
    await changePerson(ADMIN, astrid.id, { active: false })
    expect(await turned(back(await visit()))).toBe('off')
    await changePerson(ADMIN, astrid.id, { active: true })
  })

  it('signs out there, too', async () => {
    const { token } = await back(await visit())
    const url = new URL((await endElsewhere(token, PAGES)) ?? '')
    expect(url.pathname).toBe('/end')
    expect(url.searchParams.get('id_token_hint')?.split('.')).toHaveLength(3)
    expect(url.searchParams.get('post_logout_redirect_uri')).toBe(`${PAGES}/sign-in`)
    await signOut(token)
    expect(await endElsewhere(token, PAGES)).toBeUndefined()
  })

  it('is of that organisation, and goes over to none by it', async () => {
    const { id: yard } = await makeOrganisation(COMMAND_LINE, { title: 'Stavin Yard' })
    await inOrganisation(yard, () =>
      addPerson(ADMIN, { email: 'astrid@yard.example', name: 'Astrid', role: 'viewer', password: PASSWORD }),
    )
    const { token } = await back(await visit())
    const me = (await whoHasSession(token, 'x'))?.actor
    if (!me) throw new Error('not in')
    await joinOrganisation(me, { email: 'astrid@yard.example', password: PASSWORD }, CALLER)
    expect(await myOrganisations(me)).toHaveLength(2)
    await expect(goTo(me, yard, CALLER, token)).rejects.toMatchObject({ code: 'not-now' })
    expect(await providers.doorsElsewhere()).toEqual([{ id: `1.${id}`, title: 'Harbour sign-in' }])
    expect(await withToken('bgo2_x', () => turned(goElsewhere(id, '/', CALLER)))).toBe('again')
  })
})

describe('what does not fit is turned away', () => {
  const other = generateKeyPairSync('rsa', { modulusLength: 2048 }).privateKey
  const now = Math.floor(Date.now() / 1000)
  it.each([
    ['another nonce', { claims: { nonce: 'another' } }],
    ['no nonce', { claims: { nonce: undefined } }],
    ['another audience', { claims: { aud: 'somebody-else' } }],
    ['several audiences without the party', { claims: { aud: ['bugle', 'somebody-else'] } }],
    ['another issuer', { claims: { iss: 'https://elsewhere.example' } }],
    ['a time that is over', { claims: { exp: now - 120, iat: now - 600 } }],
    ['no subject', { claims: { sub: undefined } }],
    ['another key', { signedBy: other }],
    ['no signature', { header: { alg: 'none' } }],
    ['an unknown key', { header: { kid: 'x', alg: 'HS256' } }],
    ['trouble there', { status: 500 }],
  ])('%s', async (_what, wrong) => {
    fake.wrong = wrong
    const before = await many(null, 'SELECT id FROM sessions')
    expect(await turned(back(await visit()))).toBe('refused')
    expect(await many(null, 'SELECT id FROM sessions')).toEqual(before)
  })

  it('another state, one that is over, another browser, and each visit a second time', async () => {
    const first = await visit()
    const changed = new URL(first.url)
    changed.searchParams.set('state', 'bgo_made-up')
    expect(await turned(back({ ...first, url: changed }))).toBe('again')
    const stolen = await visit()
    expect(await turned(back({ ...stolen, browser: 'bgb_of-somebody-else' }))).toBe('again')
    // What was tried by another browser is over for its own, too.
    expect(await turned(back(stolen))).toBe('again')
    expect(await turned(comeBack((await visit()).url, undefined, CALLER))).toBe('again')
    await back(first)
    expect(await turned(back(first))).toBe('again')
    const late = await visit()
    await execute(null, `UPDATE provider_visits SET expires_at = now() - interval '1 second'`)
    expect(await turned(back(late))).toBe('again')
  })

  it('a code that was used already, though the visit is another', async () => {
    const first = await visit()
    await back(first)
    const second = await visit()
    second.url.searchParams.set('code', first.url.searchParams.get('code') ?? '')
    expect(await turned(back(second))).toBe('refused')
  })

  it('a number longer than numbers of people are: two might be cut to one', async () => {
    const person = { email: 'long@marram.example', email_verified: true }
    expect(await turned(back(await visit({ ...person, sub: 'x'.repeat(256) })))).toBe('refused')
    expect(await turned(back(await visit({ ...person, sub: 'x'.repeat(255) })))).toBe('in')
  })

  it('visits begun without end from one address', async () => {
    const from = { ...CALLER, address: '192.0.2.99' }
    await goElsewhere(id, '/', from)
    await execute(null, `UPDATE attempt_counts SET times = 1000 WHERE kind = 'elsewhere' AND key = '192.0.2.99'`)
    expect(await turned(goElsewhere(id, '/', from))).toBe('again')
    expect(await turned(goElsewhere(id, '/', CALLER))).toBe('in')
  })

  it('a refusal of the provider, with its word for the record', async () => {
    const came = await visit()
    came.url.searchParams.delete('code')
    came.url.searchParams.set('error', 'access_denied')
    expect(await turned(back(came))).toBe('refused')
    const { why } = await one<{ why: string }>(
      null,
      `SELECT changes->>'why' AS why FROM audit WHERE action = 'sign-in elsewhere refused' ORDER BY id DESC LIMIT 1`,
    )
    expect(why).toContain('authorization response from the server is an error')
  })

  it('a provider that does not answer, is no provider, or lies where the server may not go', async () => {
    await providers.changeProvider(ADMIN, id, content({ issuer: 'http://127.0.0.1:9' }))
    expect(await turned(goElsewhere(id, '/', CALLER))).toBe('away')
    await providers.changeProvider(ADMIN, id, content({ issuer: `${fake.issuer}/nothing` }))
    expect(await turned(goElsewhere(id, '/', CALLER))).toBe('away')
    await providers.changeProvider(ADMIN, id, content({ title: 'Again' }))
    await saveAddresses(ADMIN, { allow: [] })
    const asked = fake.asked
    expect(await turned(goElsewhere(id, '/', CALLER))).toBe('away')
    expect(fake.asked).toBe(asked)
    await saveAddresses(ADMIN, { allow: ['127.0.0.1'] })
  })

  it('one that is switched off meanwhile; its sessions end', async () => {
    const { token } = await back(await visit())
    const came = await visit()
    await providers.changeProvider(ADMIN, id, content({ active: false }))
    expect(await turned(back(came))).toBe('again')
    expect(await whoIs(token)).toBeUndefined()
    expect(await providers.doorsElsewhere()).toEqual([])
    expect(await turned(goElsewhere(id, '/', CALLER))).toBe('again')
  })
})

describe('a provider', () => {
  it('keeps its secret sealed and untold, and is an administrator’s', async () => {
    const rows = await providers.listProviders(ADMIN)
    expect(rows).toMatchObject([{ id, hasSecret: true, clientId: 'bugle' }])
    expect(JSON.stringify(rows)).not.toContain('razorbill')
    const { secret } = await one<{ secret: Buffer }>(null, 'SELECT client_secret AS secret FROM providers')
    expect(secret.toString()).not.toContain('razorbill')
    expect(JSON.stringify(await many(null, `SELECT changes FROM audit`))).not.toContain('razorbill')
    await expect(providers.addProvider(actor('designer'), content())).rejects.toMatchObject({ code: 'not-allowed' })
    await expect(providers.addProvider(ADMIN, content())).rejects.toMatchObject({ code: 'invalid-input' })
    await expect(
      providers.changeProvider(ADMIN, id, content({ rules: [{ value: 'x', groupId: 999 }] })),
    ).rejects.toMatchObject({ errors: [{ path: 'rules[0].groupId' }] })
  })

  it('is asked by TLS, or on this machine', () => {
    for (const issuer of ['http://sign-in.example', 'ftp://x', 'https://x.example/?a', 'https://x.example/#a', 'x'])
      expect(() => content({ issuer })).toThrow('Expected an address')
    for (const issuer of ['https://sign-in.example/realm', 'http://localhost:4394'])
      expect(content({ issuer }).issuer).toBe(issuer)
  })

  it('is removed with its sessions; its people stay', async () => {
    const { token } = await back(await visit())
    const other = (await providers.addProvider(ADMIN, content({ title: 'Other', rules: [] }))).id
    await providers.removeProvider(ADMIN, id)
    expect(await whoIs(token)).toBeUndefined()
    expect((await listPeople(ADMIN)).some(({ name }) => name === 'Astrid Lund')).toBe(true)
    await expect(providers.removeProvider(ADMIN, id)).rejects.toMatchObject({ code: 'not-found' })
    id = other
  })
})
