import { VIEWER, ADMIN, actor, freshDatabase } from '@/store/database.test-help'
import { execute, many } from '@/store/db'
import { seal, unseal } from '@/store/seal'
import { listAudit } from './audit'
import { addPerson, changePerson } from './people'
import {
  addToken,
  changePassword,
  endSession,
  makeSetupCode,
  mySessions,
  needsSetup,
  revokeToken,
  setUpFirstAdministrator,
  signIn,
  signOut,
  whoHasAccessToken,
  whoHasSession,
} from './sign-in'

freshDatabase()
const PASSWORD = 'a long enough password'
const caller = { address: '192.0.2.7', userAgent: 'test' }

describe('the first administrator', () => {
  it('is made with the one-time code, once', async () => {
    expect(await needsSetup()).toBe(true)
    const code = (await makeSetupCode()) as string
    const person = { email: 'Ines@marram.example', name: 'Ines Aldaya', password: PASSWORD }
    await expect(setUpFirstAdministrator({ ...person, code: 'guess' }, caller)).rejects.toMatchObject({
      errors: [{ path: 'code' }],
    })
    const session = await setUpFirstAdministrator({ ...person, code }, caller)
    expect((await whoHasSession(session, 'x'))?.actor.role).toBe('administrator')
    await expect(setUpFirstAdministrator({ ...person, code }, caller)).rejects.toMatchObject({ code: 'not-now' })
    expect(await makeSetupCode()).toBeUndefined()
  })
})

describe('signing in', () => {
  it('takes the right password whatever the address’s case, and turns the session over', async () => {
    const first = await signIn({ email: 'INES@marram.example ', password: PASSWORD }, caller)
    const second = await signIn({ email: 'ines@marram.example', password: PASSWORD }, caller, first)
    expect(second).not.toBe(first)
    expect(await whoHasSession(first, 'x')).toBeUndefined()
    expect((await whoHasSession(second, 'x'))?.actor.name).toBe('Ines Aldaya')
    await signOut(second)
    expect(await whoHasSession(second, 'x')).toBeUndefined()
  })

  it('keeps no password and no token in the clear', async () => {
    const token = await signIn({ email: 'ines@marram.example', password: PASSWORD }, caller)
    const text = JSON.stringify([
      await many(null, 'SELECT * FROM people'),
      await many(null, 'SELECT * FROM sessions'),
      await many(null, 'SELECT * FROM audit'),
    ])
    expect(text).not.toContain(PASSWORD)
    expect(text).not.toContain(token)
    expect(text).toContain('$argon2id$')
  })

  it('closes for a while after too many wrong attempts, for the account and for the address', async () => {
    await addPerson(ADMIN, { email: 'moira@marram.example', name: 'Moira', role: 'designer', password: PASSWORD })
    const wrong = (email: string, address: string): Promise<string> =>
      signIn({ email, password: 'wrong' }, { address, userAgent: '' })
    for (let i = 0; i < 8; i++)
      await expect(wrong('moira@marram.example', `198.51.100.${i}`)).rejects.toMatchObject({
        code: 'wrong-credentials',
      })
    await expect(
      signIn({ email: 'moira@marram.example', password: PASSWORD }, { address: '203.0.113.1', userAgent: '' }),
    ).rejects.toMatchObject({ code: 'too-many-attempts' })
    await execute(
      null,
      `INSERT INTO sign_in_attempts (account, address, succeeded) SELECT 'n' || i, '203.0.113.9', false FROM generate_series(1, 40) i`,
    )
    await expect(
      signIn({ email: 'ines@marram.example', password: PASSWORD }, { address: '203.0.113.9', userAgent: '' }),
    ).rejects.toMatchObject({ code: 'too-many-attempts' })
    await execute(null, 'DELETE FROM sign_in_attempts')
  })

  it('an unknown account is answered as a wrong password is', async () => {
    await expect(signIn({ email: 'nobody@marram.example', password: PASSWORD }, caller)).rejects.toMatchObject({
      code: 'wrong-credentials',
    })
  })
})

describe('a person', () => {
  it('changes the password, which ends the other sessions', async () => {
    const here = await signIn({ email: 'ines@marram.example', password: PASSWORD }, caller)
    const there = await signIn({ email: 'ines@marram.example', password: PASSWORD }, caller)
    const me = (await whoHasSession(here, 'x'))?.actor
    if (!me) throw new Error('not signed in')
    await expect(changePassword(me, { current: 'wrong', next: 'another long password' })).rejects.toMatchObject({
      errors: [{ path: 'current' }],
    })
    await changePassword(me, { current: PASSWORD, next: 'another long password' })
    expect(await whoHasSession(there, 'x')).toBeUndefined()
    expect(await whoHasSession(here, 'x')).toBeDefined()
    await changePassword(me, { current: 'another long password', next: PASSWORD })
  })

  it('ends own sessions, never another’s', async () => {
    const token = await signIn({ email: 'ines@marram.example', password: PASSWORD }, caller)
    const me = (await whoHasSession(token, 'x'))?.actor
    if (!me) throw new Error('not signed in')
    const sessions = (await mySessions(me)) as { id: number; current: boolean }[]
    expect(sessions.filter((s) => s.current)).toHaveLength(1)
    await expect(endSession(actor('administrator', { id: 999 }), me.sessionId ?? 0)).rejects.toMatchObject({
      code: 'not-found',
    })
    await endSession(me, me.sessionId ?? 0)
    expect(await whoHasSession(token, 'x')).toBeUndefined()
  })

  it('makes and revokes access tokens that do what they may', async () => {
    const token = await signIn({ email: 'ines@marram.example', password: PASSWORD }, caller)
    const me = (await whoHasSession(token, 'x'))?.actor
    if (!me) throw new Error('not signed in')
    const made = await addToken(me, { name: 'nightly', days: 7 })
    expect((await whoHasAccessToken(made.token, 'x'))?.actor).toMatchObject({ name: 'Ines Aldaya', via: 'token' })
    await revokeToken(me, made.id)
    expect(await whoHasAccessToken(made.token, 'x')).toBeUndefined()
    const late = await addToken(me, { name: 'old', days: 1 })
    await execute(null, 'UPDATE access_tokens SET expires_at = now() WHERE id = $1', [late.id])
    expect(await whoHasAccessToken(late.token, 'x')).toBeUndefined()
  })

  it('that is switched off is signed out everywhere; the last administrator stays', async () => {
    const { id } = await addPerson(ADMIN, {
      email: 'callum@marram.example',
      name: 'Callum',
      role: 'operator',
      password: PASSWORD,
    })
    const token = await signIn({ email: 'callum@marram.example', password: PASSWORD }, caller)
    await changePerson(ADMIN, id, { active: false })
    expect(await whoHasSession(token, 'x')).toBeUndefined()
    await expect(signIn({ email: 'callum@marram.example', password: PASSWORD }, caller)).rejects.toMatchObject({
      code: 'wrong-credentials',
    })
    const [ines] = await many<{ id: number }>(null, `SELECT id FROM people WHERE role = 'administrator'`)
    await expect(changePerson(ADMIN, ines?.id ?? 0, { role: 'viewer' })).rejects.toMatchObject({ code: 'not-now' })
    await expect(
      addPerson(ADMIN, { email: 'CALLUM@marram.example', name: 'x', role: 'viewer', password: PASSWORD }),
    ).rejects.toMatchObject({ errors: [{ path: 'email' }] })
  })

  it('leaves a trace of each change, which only administrators read', async () => {
    const entries = await listAudit(ADMIN, { text: 'callum' })
    expect(entries.find((e) => e.action === 'changed')).toMatchObject({
      objectType: 'person',
      changes: { active: { from: true, to: false } },
      personName: 'the administrator',
      address: 'test',
    })
    await expect(listAudit(VIEWER, {})).rejects.toMatchObject({ code: 'not-allowed' })
  })
})

describe('secrets', () => {
  it('open only with the same context, untouched', () => {
    const sealed = seal('open sesame', 'inputs of run 7')
    expect(unseal(sealed, 'inputs of run 7')).toBe('open sesame')
    expect(() => unseal(sealed, 'inputs of run 8')).toThrow()
    sealed[sealed.length - 1] = (sealed.at(-1) as number) ^ 1
    expect(() => unseal(sealed, 'inputs of run 7')).toThrow()
    expect(seal('same', 'x').equals(seal('same', 'x'))).toBe(false)
  })
})
