import { signIn } from '@/service/entry/entry.test-help'
import { VIEWER, ADMIN, actor, freshDatabase } from '@/store/database.test-help'
import { lesserRole } from '@/core/people/roles'
import { doWork } from '@/ui/work'
import { execute, many, one } from '@/store/db'
import { seal, unseal } from '@/store/seal'
import { listAudit } from '@/service/base/audit'
import { addPerson, changePerson } from './people'
import type { Problem } from '@/service/base/problem'
import { addToken, revokeToken } from './access-tokens'
import { changePassword, confirmSession } from '@/service/entry/sign-in'
import { endSession, mySessions, signOut, whoHasAccessToken, whoHasSession } from './sessions'
import { makeSetupCode, needsSetup, setUpFirstAdministrator } from '@/service/entry/set-up'

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

  const wrong = (email: string, address: string): Promise<string> =>
    signIn({ email, password: 'wrong' }, { address, userAgent: '' })
  /** What a browser does with the work that it is given. */
  async function worked(email: string, address: string, password = PASSWORD): Promise<string> {
    const { extra } = (await signIn({ email, password }, { address, userAgent: '' }).catch(
      (error: unknown) => error,
    )) as {
      extra: { work: { challenge: string; bits: number } }
    }
    const nonce = await doWork(extra.work)
    return signIn({ email, password, work: { challenge: extra.work.challenge, nonce } }, { address, userAgent: '' })
  }

  it('takes some work after too many wrong tries from one address, and others keep nobody out', async () => {
    await addPerson(ADMIN, { email: 'moira@marram.example', name: 'Moira', role: 'designer', password: PASSWORD })
    for (let i = 0; i < 30; i++)
      await expect(wrong('moira@marram.example', `198.51.100.${i}`)).rejects.toMatchObject({
        code: 'wrong-credentials',
      })
    await signIn({ email: 'moira@marram.example', password: PASSWORD }, { address: '203.0.113.1', userAgent: '' })
    for (let i = 0; i < 8; i++)
      await expect(wrong('moira@marram.example', '203.0.113.1')).rejects.toMatchObject({ code: 'wrong-credentials' })
    await expect(wrong('moira@marram.example', '203.0.113.1')).rejects.toMatchObject({
      code: 'too-many-attempts',
      extra: { work: { bits: 17 } },
    })
    // The owner comes in all the same, after a second's computing.
    expect(await worked('moira@marram.example', '203.0.113.1')).toMatch(/^bgs_/)
    await execute(null, 'DELETE FROM attempt_counts')
  })

  it('takes work from an address that tries many accounts; work is good for one account and one try', async () => {
    await execute(null, `INSERT INTO attempt_counts (kind, key, times) VALUES ('sign-in-address', '203.0.113.9', 40)`)
    const problem = (await wrong('ines@marram.example', '203.0.113.9').catch((error: unknown) => error)) as {
      extra: { work: { challenge: string; bits: number } }
    }
    const { challenge } = problem.extra.work
    const work = { challenge, nonce: await doWork(problem.extra.work) }
    const go = (email: string, password: string): Promise<string> =>
      signIn({ email, password, work }, { address: '203.0.113.9', userAgent: '' })
    await expect(go('moira@marram.example', PASSWORD)).rejects.toMatchObject({ code: 'too-many-attempts' })
    await expect(go('ines@marram.example', 'wrong')).rejects.toMatchObject({ code: 'wrong-credentials' })
    await expect(go('ines@marram.example', PASSWORD)).rejects.toMatchObject({ code: 'too-many-attempts' })
    await execute(null, `UPDATE attempt_counts SET times = 1000 WHERE key = '203.0.113.9'`)
    await expect(wrong('ines@marram.example', '203.0.113.9')).rejects.toThrow('closed for up to 15 minutes')
    await execute(null, 'DELETE FROM attempt_counts')
  })

  it('counts each of many tries at once', async () => {
    const tries = await Promise.allSettled(
      Array.from({ length: 20 }, () => wrong('ines@marram.example', '203.0.113.50')),
    )
    const looked = tries.filter(
      (one) => one.status === 'rejected' && (one.reason as Problem).code === 'wrong-credentials',
    )
    expect(looked).toHaveLength(8)
    await execute(null, 'DELETE FROM attempt_counts')
  })

  it('that failed stands in the audit, not without end', async () => {
    for (let i = 0; i < 12; i++) await wrong('callum-or-not@marram.example', '203.0.113.77').catch(() => undefined)
    const entries = await many(
      null,
      `SELECT object_title, address FROM audit WHERE action = 'sign-in failed' AND object_title LIKE 'callum-or-not%'`,
    )
    expect(entries.length).toBeGreaterThanOrEqual(8)
    expect(entries.length).toBeLessThan(11)
    await execute(null, 'DELETE FROM attempt_counts')
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

  it('shows the password again for what can change much', async () => {
    const token = await signIn({ email: 'ines@marram.example', password: PASSWORD }, caller)
    const now = await whoHasSession(token, 'x')
    expect(now?.isConfirmed).toBe(true)
    const me = now?.actor
    if (!me) throw new Error('not signed in')
    await execute(null, `UPDATE sessions SET confirmed_at = now() - interval '11 minutes' WHERE id = $1`, [
      me.sessionId,
    ])
    expect((await whoHasSession(token, 'x'))?.isConfirmed).toBe(false)
    await expect(confirmSession(me, { password: 'wrong' })).rejects.toMatchObject({ errors: [{ path: 'password' }] })
    await confirmSession(me, { password: PASSWORD })
    expect((await whoHasSession(token, 'x'))?.isConfirmed).toBe(true)
    for (let i = 0; i < 16; i++) await confirmSession(me, { password: 'wrong' }).catch(() => undefined)
    await expect(confirmSession(me, { password: PASSWORD })).rejects.toMatchObject({ code: 'too-many-attempts' })
    await execute(null, 'DELETE FROM attempt_counts')
  })

  it('is signed out after 12 hours in which nobody was there', async () => {
    const token = await signIn({ email: 'ines@marram.example', password: PASSWORD }, caller)
    const id = (await whoHasSession(token, 'x'))?.actor.sessionId
    const seen = (hours: number): Promise<unknown> =>
      execute(null, `UPDATE sessions SET last_seen_at = now() - make_interval(hours => $2) WHERE id = $1`, [id, hours])
    await seen(11)
    // What a page asks by itself keeps nothing alive.
    expect(await whoHasSession(token, 'x', false)).toBeDefined()
    await seen(12)
    expect(await whoHasSession(token, 'x')).toBeUndefined()
    await seen(11)
    await whoHasSession(token, 'x')
    const { fresh } = await one<{ fresh: boolean }>(
      null,
      `SELECT last_seen_at > now() - interval '1 minute' AS fresh FROM sessions WHERE id = $1`,
      [id],
    )
    expect(fresh).toBe(true)
  })

  it('has only so many sessions and tokens', async () => {
    const tokens: string[] = []
    for (let i = 0; i < 25; i++) tokens.push(await signIn({ email: 'ines@marram.example', password: PASSWORD }, caller))
    expect(await whoHasSession(tokens[0] as string, 'x')).toBeUndefined()
    expect(await whoHasSession(tokens[24] as string, 'x')).toBeDefined()
    const me = (await whoHasSession(tokens[24] as string, 'x'))?.actor
    if (!me) throw new Error('not signed in')
    await execute(
      null,
      `INSERT INTO access_tokens (person_id, name, token_hash, expires_at) SELECT $1, 'n', 'h' || i, now() + interval '1 day' FROM generate_series(1, 50) i`,
      [me.id],
    )
    await expect(addToken(me, { name: 'one more', days: 1, may: 'see' })).rejects.toMatchObject({ code: 'not-now' })
    await execute(null, 'DELETE FROM access_tokens')
  })

  it.each([
    'password1234',
    'qwerty123456',
    'abcabcabcabc',
    'aaaaaaaaaaaa',
    'motherfucker',
    '123password!!',
    'moira-calder1',
  ])('does not get the password %s', async (password) => {
    await expect(
      addPerson(ADMIN, { email: 'moira.calder@marram.example', name: 'Moira Calder', role: 'viewer', password }),
    ).rejects.toMatchObject({ errors: [{ path: 'password' }] })
  })

  it('whose password an administrator sets anew has no session and no token any more', async () => {
    const { id } = await addPerson(ADMIN, {
      email: 'sunniva@marram.example',
      name: 'Sunniva',
      role: 'operator',
      password: PASSWORD,
    })
    const session = await signIn({ email: 'sunniva@marram.example', password: PASSWORD }, caller)
    const me = (await whoHasSession(session, 'x'))?.actor
    if (!me) throw new Error('not signed in')
    const { token } = await addToken(me, { name: 'script', days: 1, may: 'operate' })
    await changePerson(ADMIN, id, { password: 'yet another long password' })
    expect(await whoHasSession(session, 'x')).toBeUndefined()
    expect(await whoHasAccessToken(token, 'x')).toBeUndefined()
  })

  it('has tokens that may no more than they say, and never more than the person', async () => {
    const session = await signIn({ email: 'ines@marram.example', password: PASSWORD }, caller)
    const me = (await whoHasSession(session, 'x'))?.actor
    if (!me) throw new Error('not signed in')
    for (const [may, role] of [
      ['see', 'viewer'],
      ['operate', 'operator'],
      ['design', 'designer'],
      ['administer', 'administrator'],
    ] as const) {
      const { token } = await addToken(me, { name: may, days: 1, may })
      expect((await whoHasAccessToken(token, 'x'))?.actor.role).toBe(role)
    }
    expect(lesserRole('operator', 'administer')).toBe('operator')
    expect(lesserRole('viewer', 'design')).toBe('viewer')
  })

  it('makes and revokes access tokens that do what they may', async () => {
    const token = await signIn({ email: 'ines@marram.example', password: PASSWORD }, caller)
    const me = (await whoHasSession(token, 'x'))?.actor
    if (!me) throw new Error('not signed in')
    const made = await addToken(me, { name: 'nightly', days: 7, may: 'administer' })
    expect((await whoHasAccessToken(made.token, 'x'))?.actor).toMatchObject({ name: 'Ines Aldaya', via: 'token' })
    await revokeToken(me, made.id)
    expect(await whoHasAccessToken(made.token, 'x')).toBeUndefined()
    const late = await addToken(me, { name: 'old', days: 1, may: 'administer' })
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
