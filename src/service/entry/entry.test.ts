import { generate } from 'otplib'
import { actor, ADMIN, freshDatabase } from '@/store/database.test-help'
import { execute, many } from '@/store/db'
import type { Actor } from '@/service/base/actor'
import { addPerson, listPeople } from '@/service/people/people'
import { whoHasSession } from '@/service/people/sessions'
import { makeOrganisation } from '@/service/organisations/organisations'
import { withToken } from '@/service/base/secrets'
import { behindWalls } from '@/store/walls'
import { inOrganisation } from '@/store/organisation'
import { stepOfCode } from './app-codes'
import { addFactor, enter, makeFirstFactor, showSecondFactor, type SecondFactorAsked } from './entry'
import * as factors from './factors'
import { beginFactor, beginFirstFactor, passkeyHost } from './make-factor'
import { signIn } from './sign-in'

freshDatabase()

const PAGES = 'https://bugle.example'
const CALLER = { address: '192.0.2.9', userAgent: 'a browser', pages: PAGES }
const PASSWORD = 'gulls over the pier'
/** The instant, seconds: codes are of this step. */
const codeAt = (secret: string, seconds = 0): Promise<string> =>
  generate({ secret, epoch: Math.floor(Date.now() / 1000) + seconds })

let count = 0
async function somebody(role: 'viewer' | 'administrator' = 'viewer'): Promise<{ me: Actor; email: string }> {
  const email = `p${++count}@marram.example`
  const { id } = await addPerson(ADMIN, { email, name: `Person ${count}`, role, password: PASSWORD })
  return { me: actor(role, { id, name: `Person ${count}`, email, sessionId: 1 }), email }
}
async function withApp(): Promise<{ me: Actor; email: string; secret: string; codes: string[] }> {
  const person = await somebody()
  const { ticket, app } = await beginFactor(person.me, PAGES)
  const { recoveryCodes } = await addFactor(
    person.me,
    { ticket, title: 'Phone', code: await codeAt(app.secret, -30) },
    PAGES,
  )
  return { ...person, secret: app.secret, codes: recoveryCodes ?? [] }
}
async function asked(email: string): Promise<SecondFactorAsked> {
  const entry = await signIn({ email, password: PASSWORD }, CALLER)
  if (entry.kind !== 'more') throw new Error('nothing more is asked for')
  return entry.more
}
beforeEach(() => execute(null, 'DELETE FROM attempt_counts'))

describe('codes of an app', () => {
  // RFC 6238, appendix B: SHA-1, the last six of its eight digits.
  const SECRET = 'GEZDGNBVGY3TQOJQGEZDGNBVGY3TQOJQ'
  it.each([
    [59, '287082'],
    [1_111_111_109, '081804'],
    [1_111_111_111, '050471'],
    [1_234_567_890, '005924'],
    [2_000_000_000, '279037'],
  ])('at %i s it is %s', async (seconds, code) => {
    expect(await stepOfCode(SECRET, code, null, seconds * 1000)).toBe(Math.floor(seconds / 30))
  })

  it('are taken half a minute early and late, and no more', async () => {
    const now = 2_000_000_010_000
    const code = await generate({ secret: SECRET, epoch: now / 1000 })
    const at = (seconds: number): Promise<number | undefined> => stepOfCode(SECRET, code, null, now + seconds * 1000)
    expect(await at(30)).toBeDefined()
    expect(await at(-30)).toBeDefined()
    expect(await at(75)).toBeUndefined()
    expect(await at(-75)).toBeUndefined()
  })

  it('are good once, and none before one that was taken', async () => {
    const now = 2_000_000_010_000
    const step = Math.floor(now / 30_000)
    const of = (back: number): Promise<string> => generate({ secret: SECRET, epoch: now / 1000 - back * 30 })
    expect(await stepOfCode(SECRET, await of(0), step, now)).toBeUndefined()
    expect(await stepOfCode(SECRET, await of(1), step, now)).toBeUndefined()
    expect(await stepOfCode(SECRET, await of(0), step - 1, now)).toBe(step)
    // A clock that was put back does not make it a fault.
    expect(await stepOfCode(SECRET, await of(0), step + 900, now)).toBeUndefined()
  })

  it('are six digits, however they are written', async () => {
    const now = 59_000
    expect(await stepOfCode(SECRET, ' 287 082 ', null, now)).toBe(1)
    for (const text of ['', '28708', '2870822', '28708a', '２８７０８２', '-87082'])
      expect(await stepOfCode(SECRET, text, null, now)).toBeUndefined()
  })
})

describe('whoever has a second factor', () => {
  it('is not in by the password alone, and is by a code of the app, once', async () => {
    const { email, secret, me } = await withApp()
    const more = await asked(email)
    expect(more).toMatchObject({ needs: 'show', hasApp: true, passkey: null })
    expect(await many(null, 'SELECT 1 FROM sessions WHERE person_id = $1', [me.id])).toEqual([])
    await expect(showSecondFactor({ ticket: more.ticket, code: '000000' }, CALLER)).rejects.toMatchObject({
      code: 'invalid-input',
    })
    const code = await codeAt(secret)
    const token = await showSecondFactor({ ticket: more.ticket, code }, CALLER)
    expect((await whoHasSession(token, 'x'))?.actor.id).toBe(me.id)
    // The ticket has served, and so has the code.
    await expect(showSecondFactor({ ticket: more.ticket, code }, CALLER)).rejects.toMatchObject({ code: 'not-now' })
    const again = await asked(email)
    await expect(showSecondFactor({ ticket: again.ticket, code }, CALLER)).rejects.toMatchObject({
      code: 'invalid-input',
    })
    expect(
      await many(
        null,
        `SELECT changes->>'by' AS by FROM audit WHERE action = 'second factor refused' AND object_id = $1`,
        [String(me.id)],
      ),
    ).toEqual([{ by: 'code' }, { by: 'code' }])
  })

  it('takes the same code only once, also of two at the same moment', async () => {
    const { email, secret } = await withApp()
    const tickets = [await asked(email), await asked(email)]
    const code = await codeAt(secret)
    const came = await Promise.allSettled(tickets.map(({ ticket }) => showSecondFactor({ ticket, code }, CALLER)))
    expect(came.map(({ status }) => status).sort()).toEqual(['fulfilled', 'rejected'])
  })

  it('comes in once by one ticket, whatever is shown with it at the same moment', async () => {
    const { email, secret, codes } = await withApp()
    const { ticket } = await asked(email)
    const shown = [{ code: await codeAt(secret) }, { recovery: codes[0] ?? '' }, { recovery: codes[1] ?? '' }]
    const came = await Promise.allSettled(shown.map((one) => showSecondFactor({ ticket, ...one }, CALLER)))
    expect(came.filter(({ status }) => status === 'fulfilled')).toHaveLength(1)
  })

  it('comes in by a code on paper, each once, however it is written', async () => {
    const { email, codes, me } = await withApp()
    expect(new Set(codes).size).toBe(10)
    const [first = '', second = ''] = codes
    const come = async (recovery: string): Promise<string> =>
      showSecondFactor({ ticket: (await asked(email)).ticket, recovery }, CALLER)
    await come(first.toUpperCase().replaceAll('-', ' '))
    await expect(come(first)).rejects.toMatchObject({ code: 'invalid-input' })
    expect((await factors.myFactors(me)).recoveryLeft).toBe(9)
    const { codes: anew } = await factors.renewMyCodes(me)
    await expect(come(second)).rejects.toMatchObject({ code: 'invalid-input' })
    await come(anew[0] ?? '')
    expect(await many(null, 'SELECT code_hash FROM recovery_codes WHERE code_hash = ANY($1)', [anew])).toEqual([])
  })

  it('guesses only so often, whatever tickets there are', async () => {
    const { email, secret } = await withApp()
    const { ticket } = await asked(email)
    const guess = (of: string): Promise<string> => showSecondFactor({ ticket: of, code: '123456' }, CALLER)
    for (let i = 0; i < 8; i++) await expect(guess(ticket)).rejects.toMatchObject({ code: 'invalid-input' })
    await expect(guess(ticket)).rejects.toMatchObject({ code: 'not-now' })
    const other = (await asked(email)).ticket
    for (let i = 0; i < 2; i++) await expect(guess(other)).rejects.toMatchObject({ code: 'invalid-input' })
    await expect(guess(other)).rejects.toMatchObject({ code: 'too-many-attempts' })
    await expect(showSecondFactor({ ticket: other, code: await codeAt(secret) }, CALLER)).rejects.toMatchObject({
      code: 'too-many-attempts',
    })
  })

  it('has minutes for it, and a ticket is for one thing', async () => {
    const { email, secret, me } = await withApp()
    const { ticket } = await asked(email)
    await expect(beginFirstFactor(ticket, PAGES)).rejects.toMatchObject({ code: 'not-now' })
    await expect(addFactor(me, { ticket, title: 'x', code: await codeAt(secret) }, PAGES)).rejects.toMatchObject({
      code: 'not-now',
    })
    await execute(null, `UPDATE entry_tickets SET expires_at = now() - interval '1 second'`)
    await expect(showSecondFactor({ ticket, code: await codeAt(secret) }, CALLER)).rejects.toMatchObject({
      code: 'not-now',
    })
    await expect(showSecondFactor({ ticket: 'bge_nothing', code: '123456' }, CALLER)).rejects.toMatchObject({
      code: 'not-now',
    })
  })

  it('answers a passkey that was not asked with a refusal', async () => {
    const { email, me } = await withApp()
    await execute(
      null,
      `INSERT INTO second_factors (person_id, kind, title, credential_id, public_key, counter) VALUES ($1, 'passkey', 'Key', 'abc', '\\x00', 0)`,
      [me.id],
    )
    const more = await asked(email)
    expect(more.passkey).toMatchObject({ rpId: 'bugle.example', allowCredentials: [{ id: 'abc' }] })
    const answer = {
      id: 'abc',
      rawId: 'abc',
      type: 'public-key',
      clientExtensionResults: {},
      response: { clientDataJSON: 'e30', authenticatorData: 'AA', signature: 'AA' },
    }
    for (const passkey of [answer, { ...answer, id: 'another' }, { id: '', rawId: '' }])
      await expect(showSecondFactor({ ticket: more.ticket, passkey }, CALLER)).rejects.toMatchObject({
        code: 'invalid-input',
      })
    const { ticket } = await beginFactor(me, PAGES)
    await expect(addFactor(me, { ticket, title: 'Key', passkey: answer }, PAGES)).rejects.toMatchObject({
      code: 'invalid-input',
    })
    // Nothing of what was refused is there.
    expect((await factors.myFactors(me)).factors.map(({ title }) => title)).toEqual(['Phone', 'Key'])
  })

  it('keeps its secret sealed, and no one else finishes what they began', async () => {
    const { me, secret } = await withApp()
    const [row] = await many<{ secret: Buffer }>(null, 'SELECT secret FROM second_factors WHERE person_id = $1', [
      me.id,
    ])
    expect(row?.secret.toString('utf8')).not.toContain(secret)
    const { ticket, app } = await beginFactor(me, PAGES)
    const other = (await somebody()).me
    await expect(
      addFactor(other, { ticket, title: 'Theirs', code: await codeAt(app.secret) }, PAGES),
    ).rejects.toMatchObject({ code: 'not-now' })
    expect((await factors.myFactors(other)).factors).toEqual([])
  })

  it('is shown theirs also behind walls', async () => {
    const { me } = await withApp()
    expect(await behindWalls(me.id as number, () => factors.myFactors(me))).toMatchObject({ recoveryLeft: 10 })
    const read = behindWalls(me.id as number, () => many(null, 'SELECT 1 FROM second_factors'))
    await expect(read).rejects.toThrow('permission denied')
  })

  it('is told to administrators only', async () => {
    const { me } = await withApp()
    const seen = async (who: Actor): Promise<boolean | undefined> =>
      (await listPeople(who)).find(({ id }) => id === me.id)?.secondFactor
    expect([await seen(ADMIN), await seen(actor('viewer'))]).toEqual([true, undefined])
  })
})

describe('where a role asks for a second factor', () => {
  beforeAll(() => factors.saveSecondFactorSetting(ADMIN, { roles: ['administrator'] }))

  it('whoever has none sets one up before anything else, and is in by it', async () => {
    const { email, me } = await somebody('administrator')
    const more = await asked(email)
    expect(more.needs).toBe('make')
    await expect(showSecondFactor({ ticket: more.ticket, code: '123456' }, CALLER)).rejects.toMatchObject({
      code: 'not-now',
    })
    const { app, passkey } = await beginFirstFactor(more.ticket, PAGES)
    expect(passkey).toMatchObject({ rp: { id: 'bugle.example', name: 'Bugle' } })
    expect(app.uri).toContain(`secret=${app.secret}`)
    await expect(
      makeFirstFactor({ ticket: more.ticket, title: 'Phone', code: '000000' }, CALLER),
    ).rejects.toMatchObject({ code: 'invalid-input' })
    const made = await makeFirstFactor({ ticket: more.ticket, title: 'Phone', code: await codeAt(app.secret) }, CALLER)
    expect((await whoHasSession(made.token, 'x'))?.actor.id).toBe(me.id)
    expect(made.recoveryCodes).toHaveLength(10)
    // The last one stays.
    const [factor] = (await factors.myFactors(me)).factors
    await expect(factors.removeFactor(me, factor?.id as number)).rejects.toMatchObject({ code: 'not-now' })
    expect((await asked(email)).needs).toBe('show')
    await factors.removeFactorsOf(ADMIN, me.id as number)
    expect((await asked(email)).needs).toBe('make')
    await expect(factors.removeFactorsOf(ADMIN, me.id as number)).rejects.toMatchObject({ code: 'not-now' })
    await expect(factors.removeFactorsOf(actor('designer'), me.id as number)).rejects.toMatchObject({
      code: 'not-allowed',
    })
  })

  it('others are in as before, and may remove theirs', async () => {
    const { email, me } = await withApp()
    const [factor] = (await factors.myFactors(me)).factors
    await factors.removeFactor(me, factor?.id as number)
    expect((await factors.myFactors(me)).recoveryLeft).toBe(0)
    expect((await signIn({ email, password: PASSWORD }, CALLER)).kind).toBe('in')
    await expect(factors.renewMyCodes(me)).rejects.toMatchObject({ code: 'not-now' })
    await expect(factors.removeFactor(me, 999)).rejects.toMatchObject({ code: 'not-found' })
  })

  it('another organisation asks for what it asks for', async () => {
    const { id: yard } = await makeOrganisation(actor('administrator', { via: 'command-line' }), { title: 'Yard' })
    const { id } = await inOrganisation(yard, () =>
      addPerson(ADMIN, { email: 'bram@yard.example', name: 'Bram', role: 'administrator', password: PASSWORD }),
    )
    const entry = await inOrganisation(yard, () => enter(id, CALLER))
    expect(entry.kind).toBe('in')
    await inOrganisation(yard, () => factors.saveSecondFactorSetting(ADMIN, { roles: ['administrator'] }))
    const more = await asked('bram@yard.example')
    expect(more.ticket).toMatch(/^bge2_/)
    const { app } = await withToken(more.ticket, () => beginFirstFactor(more.ticket, PAGES))
    const made = await withToken(more.ticket, async () =>
      makeFirstFactor({ ticket: more.ticket, title: 'Phone', code: await codeAt(app.secret) }, CALLER),
    )
    expect(made.token).toMatch(/^bgs2_/)
  })
})

describe('the name that passkeys are bound to', () => {
  it('is the host of the pages, and none where that is an address', () => {
    expect(passkeyHost('https://bugle.example:8443')).toBe('bugle.example')
    expect(passkeyHost('http://localhost:4380')).toBe('localhost')
    for (const pages of ['http://192.0.2.7:4380', 'http://[2001:db8::1]', 'nothing', undefined])
      expect(passkeyHost(pages)).toBeUndefined()
  })
})
