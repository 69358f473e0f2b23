import { signIn, acceptInvitation, setNewPassword } from '@/service/entry/entry.test-help'
import { Mailbox } from '@/standins/services/mailbox'
import { mailServerSchema } from '@/core/work/mail-server'
import { ADMIN, actor, freshDatabase } from '@/store/database.test-help'
import { execute, many, one } from '@/store/db'
import { COMMAND_LINE } from '@/service/base/actor'
import { withToken } from '@/service/base/secrets'
import { makeOrganisation } from '@/service/organisations/organisations'
import { inOrganisation } from '@/store/organisation'
import { saveAddresses } from '@/service/notices/addresses'
import { addMailServer } from '@/service/notices/mail-servers'
import { addPerson, changePerson, listPeople } from '@/service/people/people'
import { addToken } from '@/service/people/access-tokens'

import { whoHasAccessToken, whoHasSession } from '@/service/people/sessions'
import { addArea, oneArea, removeArea } from '@/service/work/areas'
import {
  invitationSchema,
  invite,
  listInvitations,
  readInvitation,
  renewInvitation,
  withdrawInvitation,
} from './invitations'
import { forgotten } from './new-passwords'

freshDatabase()

const caller = { address: '192.0.2.7', userAgent: 'a browser' }
const PASSWORD = 'gulls over the pier'
const mailbox = new Mailbox()
let mailPort: number
beforeAll(async () => {
  await saveAddresses(ADMIN, { allow: ['127.0.0.1'] })
  await expect(invite(ADMIN, to('nobody@marram.example'))).rejects.toThrow('There is no mail server to write by')
  await expect(forgotten({ email: 'x@marram.example' }, caller)).rejects.toThrow('This Bugle sends no mail')
  await addPerson(ADMIN, { email: 'ines@marram.example', name: 'Ines', role: 'administrator', password: PASSWORD })
  mailPort = await mailbox.start(0)
  await addMailServer(
    ADMIN,
    mailServerSchema.parse({ name: 'harbour', host: '127.0.0.1', port: mailPort, from: 'bugle@marram.example' }),
  )
})
afterAll(() => mailbox.stop())
beforeEach(async () => {
  mailbox.mails.splice(0)
  await execute(null, 'DELETE FROM attempt_counts')
})

const to = (email: string, more: object = {}): ReturnType<typeof invitationSchema.parse> =>
  invitationSchema.parse({ email, role: 'viewer', ...more })
/** What the last mail's link carries. */
const linked = (): string => /#(\S+)/.exec(mailbox.mails[0]?.text ?? '')?.[1] ?? ''
const came = (token: string, name = 'Hallam Reid', password = PASSWORD): Promise<string> =>
  acceptInvitation({ token, name, password }, caller)

describe('an invitation', () => {
  it('brings a mail with a link; whoever takes it up is there, with role and areas, and signed in', async () => {
    const freight = (await addArea(ADMIN, { title: 'Freight' })).id
    const gone = (await addArea(ADMIN, { title: 'Gone' })).id
    const areas = [
      { areaId: freight, may: 'design' as const },
      { areaId: gone, may: 'see' as const },
    ]
    await invite(ADMIN, to('Hallam@marram.example', { areas, note: 'Welcome on ${title} board.' }))
    expect(mailbox.mails[0]).toMatchObject({
      to: ['Hallam@marram.example'],
      subject: 'the administrator invites you to Bugle',
    })
    // What somebody wrote is not filled in.
    expect(mailbox.mails[0]?.text).toContain('Welcome on ${title} board.')
    expect(mailbox.mails[0]?.text).toMatch(/\/invited#bgi_\S{30,}\n/)
    const token = linked()
    await removeArea(ADMIN, gone)
    expect(await readInvitation({ token }, caller)).toMatchObject({
      email: 'Hallam@marram.example',
      role: 'viewer',
      areas: [{ path: 'Freight', may: 'design' }],
    })
    const session = await came(token)
    expect((await whoHasSession(session, 'x'))?.actor).toMatchObject({
      name: 'Hallam Reid',
      role: 'viewer',
      areas: { granted: 'design' },
    })
    expect((await oneArea(ADMIN, freight)).members).toMatchObject([{ name: 'Hallam Reid', may: 'design' }])
    expect(await listInvitations(ADMIN)).toEqual([])
    // Once.
    await expect(came(token)).rejects.toThrow('not good any more')
    await expect(readInvitation({ token }, caller)).rejects.toThrow('not good any more')
    await expect(invite(ADMIN, to('hallam@MARRAM.example'))).rejects.toMatchObject({ errors: [{ path: 'email' }] })
  })

  it('is taken up once also by two at the same moment', async () => {
    await invite(ADMIN, to('two@marram.example'))
    const token = linked()
    const results = await Promise.allSettled([came(token, 'One'), came(token, 'Other')])
    expect(results.map(({ status }) => status).sort()).toEqual(['fulfilled', 'rejected'])
    expect((await listPeople(ADMIN)).filter(({ email }) => email === 'two@marram.example')).toHaveLength(1)
  })

  it('is renewed, withdrawn, and over after seven days; each by another link or none', async () => {
    const { id } = await invite(ADMIN, to('late@marram.example'))
    const first = linked()
    await renewInvitation(ADMIN, id)
    const second = linked()
    expect(second).not.toBe(first)
    await expect(readInvitation({ token: first }, caller)).rejects.toThrow('not good any more')
    await execute(null, `UPDATE letters SET expires_at = now() - interval '1 s' WHERE id = $1`, [id])
    await expect(came(second)).rejects.toThrow('not good any more')
    expect(await listInvitations(ADMIN)).toMatchObject([{ email: 'late@marram.example', isOver: true }])
    await expect(invite(ADMIN, to('late@marram.example'))).rejects.toThrow('There is an open invitation')
    await renewInvitation(ADMIN, id)
    const third = linked()
    await withdrawInvitation(ADMIN, id)
    await expect(came(third)).rejects.toThrow('not good any more')
    await expect(withdrawInvitation(ADMIN, id)).rejects.toMatchObject({ code: 'not-found' })
    await invite(ADMIN, to('late@marram.example'))
  })

  it('is not kept where the mail cannot be sent, and asks for something to see', async () => {
    mailbox.mood = 'failing'
    await expect(invite(ADMIN, to('unsent@marram.example'))).rejects.toThrow('The mail could not be sent')
    mailbox.mood = 'well'
    expect((await listInvitations(ADMIN)).some(({ email }) => email === 'unsent@marram.example')).toBe(false)
    await expect(invite(ADMIN, to('none@marram.example', { role: 'none' }))).rejects.toThrow('nothing to see')
    await expect(
      invite(ADMIN, to('none@marram.example', { role: 'none', areas: [{ areaId: 999_999, may: 'see' }] })),
    ).rejects.toMatchObject({ errors: [{ path: 'areas' }] })
    await expect(invite(actor('designer'), to('x@marram.example'))).rejects.toMatchObject({ code: 'not-allowed' })
  })

  it('takes a password that is not guessed early, and keeps its link when it is refused', async () => {
    await invite(ADMIN, to('weak@marram.example'))
    const token = linked()
    await expect(came(token, 'Weak', 'passwordpassword')).rejects.toMatchObject({ errors: [{ path: 'password' }] })
    await came(token, 'Weak')
  })

  it('cannot be guessed at without end', async () => {
    const guess = (): Promise<unknown> => readInvitation({ token: 'bgi_guess' }, caller).catch((error: Error) => error)
    for (let i = 0; i < 100; i++) expect(await guess()).toMatchObject({ code: 'not-now' })
    expect(await guess()).toMatchObject({ code: 'too-many-attempts' })
  })
})

describe('a forgotten password', () => {
  const ask = async (email: string): Promise<void> => {
    let work: Promise<void> = Promise.resolve()
    await forgotten({ email }, caller, (later) => (work = later))
    await work
  }

  it('is chosen anew by a link that works once; what was open with the old one ends', async () => {
    const { id } = await addPerson(ADMIN, {
      email: 'callum@marram.example',
      name: 'Callum',
      role: 'operator',
      password: PASSWORD,
    })
    const session = await signIn({ email: 'callum@marram.example', password: PASSWORD }, caller)
    const me = (await whoHasSession(session, 'x'))?.actor
    if (!me) throw new Error('not signed in')
    const { token: script } = await addToken(me, { name: 'script', days: 1, may: 'operate' })
    await ask(' CALLUM@marram.example ')
    const first = linked()
    await ask('callum@marram.example')
    expect(mailbox.mails).toHaveLength(2)
    expect(mailbox.mails[0]).toMatchObject({ to: ['callum@marram.example'], subject: 'A new password for Bugle' })
    expect(mailbox.mails[0]?.text).toContain('192.0.2.7')
    const token = linked()
    await expect(setNewPassword({ token, password: 'passwordpassword' }, caller)).rejects.toMatchObject({
      errors: [{ path: 'password' }],
    })
    const fresh = await setNewPassword({ token, password: 'terns over the harbour' }, caller)
    expect((await whoHasSession(fresh, 'x'))?.actor.id).toBe(id)
    expect(await whoHasSession(session, 'x')).toBeUndefined()
    expect(await whoHasAccessToken(script, 'x')).toBeUndefined()
    for (const used of [token, first])
      await expect(setNewPassword({ token: used, password: 'something else entirely' }, caller)).rejects.toThrow(
        'not good any more',
      )
    await expect(signIn({ email: 'callum@marram.example', password: PASSWORD }, caller)).rejects.toMatchObject({
      code: 'wrong-credentials',
    })
    const audit = await many<{ action: string }>(null, `SELECT action FROM audit WHERE object_id = $1 ORDER BY id`, [
      String(id),
    ])
    expect(audit.map(({ action }) => action)).toEqual(
      expect.arrayContaining(['asked for a new password', 'changed password']),
    )
  })

  it('is answered alike for everybody; a letter goes only to who is here, may sign in, and has one', async () => {
    await ask('nobody@marram.example')
    const { id } = await addPerson(ADMIN, {
      email: 'gone@marram.example',
      name: 'Gone',
      role: 'viewer',
      password: PASSWORD,
    })
    await ask('gone@marram.example')
    const token = linked()
    mailbox.mails.splice(0)
    // Switched off: the letter that is under way works no longer.
    await changePerson(ADMIN, id, { active: false })
    await ask('gone@marram.example')
    expect(mailbox.mails).toEqual([])
    await expect(setNewPassword({ token, password: 'terns over the harbour' }, caller)).rejects.toThrow(
      'not good any more',
    )
  })

  it('comes from each organisation that the address is of, by its own mail server, and opens that one', async () => {
    const { id: yard } = await makeOrganisation(COMMAND_LINE, { title: 'Stavin Yard' })
    const both = { email: 'both@marram.example', name: 'Both', role: 'viewer' as const, password: PASSWORD }
    await addPerson(ADMIN, both)
    const { id } = await inOrganisation(yard, async () => {
      await saveAddresses(ADMIN, { allow: ['127.0.0.1'] })
      await addMailServer(
        ADMIN,
        mailServerSchema.parse({ name: 'yard', host: '127.0.0.1', port: mailPort, from: 'bugle@yard.example' }),
      )
      await addPerson(ADMIN, { ...both, name: 'First', email: 'first@yard.example' })
      return addPerson(ADMIN, both)
    })
    await ask(both.email)
    expect(mailbox.mails.map(({ from }) => from).sort()).toEqual(['bugle@marram.example', 'bugle@yard.example'])
    const theirs = mailbox.mails.find(({ from }) => from === 'bugle@yard.example')?.text ?? ''
    expect(theirs).toContain('in Bugle of Stavin Yard')
    const token = /#(\S+)/.exec(theirs)?.[1] ?? ''
    const session = await withToken(token, () => setNewPassword({ token, password: 'lanterns on the slipway' }, caller))
    expect(await withToken(session, () => whoHasSession(session, 'x'))).toMatchObject({ actor: { id, name: 'Both' } })
  })

  it('fills nobody’s mailbox', async () => {
    await addPerson(ADMIN, { email: 'full@marram.example', name: 'Full', role: 'viewer', password: PASSWORD })
    for (let i = 0; i < 6; i++) await ask('full@marram.example')
    expect(mailbox.mails).toHaveLength(3)
    const { n } = await one<{ n: number }>(
      null,
      `SELECT count(*)::int AS n FROM letters WHERE email = 'full@marram.example'`,
    )
    expect(n).toBe(3)
  })
})
