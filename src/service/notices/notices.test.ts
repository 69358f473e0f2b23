import { hostname } from 'node:os'
import { Mailbox } from '@/standins/services/mailbox'
import { WebServices } from '@/standins/services/web-services'
import { mailServerSchema, type MailServer } from '@/core/work/mail-server'
import { noticeSchema, pauseAfter, type Notice } from '@/core/work/notice'
import { actor, ADMIN, freshDatabase, OPERATOR } from '@/store/database.test-help'
import { insertPerson } from '@/service/people/people'
import { addArea } from '@/service/work/areas'
import { execute, one, transaction } from '@/store/db'
import { ended, lease, makeAgent, makeJob, output, report, started } from '@/service/fixtures.test-help'
import { addNotice, listNotices, listSends, removeNotice, saveNotice, tryNotice } from './notices'
import { addMailServer, changeMailServer, listMailServers, removeMailServer } from './mail-servers'
import { queueNotices, sendNotices } from './notice-sending'
import { accountSchema, addAccount } from '@/service/fleet/accounts'
import { saveAddresses } from './addresses'
import { rememberPages } from '@/service/base/pages'
import { startRun, startSchema, stopRun } from '@/service/runs/start'

freshDatabase()

const mailbox = new Mailbox()
const web = new WebServices(mailbox.mails, {})
let port: number
let webPort: number
let agentId: number
let serverId: number
beforeAll(async () => {
  port = await mailbox.start(0)
  webPort = await web.start(0)
  agentId = await makeAgent('a1')
  await saveAddresses(ADMIN, { allow: ['127.0.0.1'] })
  const { id } = await addMailServer(ADMIN, harbour())
  serverId = id
})
afterAll(async () => {
  await mailbox.stop()
  await web.stop()
})
beforeEach(async () => {
  await execute(null, 'DELETE FROM notices')
  mailbox.mails.splice(0)
  mailbox.mood = 'well'
})

const harbour = (change: object = {}): MailServer =>
  mailServerSchema.parse({ name: 'harbour', host: '127.0.0.1', port, from: 'bugle@marram.example', ...change })
const byMail = (change: object = {}): Notice =>
  noticeSchema.parse({
    title: 'To the office',
    events: ['failed', 'recovered'],
    action: {
      kind: 'mail',
      server: 'harbour',
      to: ['office@marram.example'],
      subject: '${title} ${run}: ${event}',
      text: '${reason} ${line} ${machine}',
    },
    ...change,
  })
async function run(jobId: number, exitCode: number): Promise<number> {
  const { id } = await startRun(OPERATOR, startSchema.parse({ jobId }))
  const attempt = await lease(id, agentId)
  await report(agentId, attempt, 1, started, output('till file missing'), ended(exitCode))
  return id
}
const tell = async (): Promise<void> => {
  await queueNotices()
  await sendNotices()
}
const subjects = (): string[] => mailbox.mails.map(({ subject }) => subject).reverse()

describe('notices', () => {
  it('tell of failures and of success after a failure, each once, with the facts', async () => {
    await addNotice(ADMIN, byMail())
    const jobId = await makeJob({}, 'Till file')
    const failed = await run(jobId, 3)
    await tell()
    await tell()
    expect(mailbox.mails).toMatchObject([
      {
        subject: `Till file #${failed}: failed`,
        text: 'Exit code 3; success is 0. till file missing a1',
        to: ['office@marram.example'],
      },
    ])
    const well = await run(jobId, 0)
    await run(jobId, 0)
    await tell()
    expect(subjects()).toEqual([`Till file #${failed}: failed`, `Till file #${well}: recovered`])
    const sends = await listSends(OPERATOR, failed)
    expect(sends).toMatchObject([
      { state: 'sent', event: 'failed', attempts: 1, what: `to office@marram.example: Till file #${failed}: failed` },
    ])
  })

  it('tell of a success after a failure also where a run was stopped in between', async () => {
    await addNotice(ADMIN, byMail({ events: ['recovered'] }))
    const jobId = await makeJob({}, 'Tides')
    await run(jobId, 1)
    const { id } = await startRun(OPERATOR, startSchema.parse({ jobId }))
    await stopRun(OPERATOR, id)
    const well = await run(jobId, 0)
    await tell()
    expect(subjects()).toEqual([`Tides #${well}: recovered`])
  })

  it('tell of one job or of an area alone, and nothing of what was before or while they were off', async () => {
    const [mine, other] = [await makeJob({}, 'Mine'), await makeJob({}, 'Other')]
    await run(mine, 1)
    const { id } = await addNotice(ADMIN, byMail({ jobId: mine, events: ['failed'] }))
    await tell()
    const told = await run(mine, 1)
    await run(other, 1)
    await tell()
    await saveNotice(ADMIN, id, byMail({ jobId: mine, events: ['failed'], active: false }))
    await run(mine, 1)
    await tell()
    await saveNotice(ADMIN, id, byMail({ jobId: mine, events: ['failed'] }))
    await tell()
    expect(subjects()).toEqual([`Mine #${told}: failed`])
  })

  it('tell of deadlines at risk and passed', async () => {
    await addNotice(ADMIN, byMail({ events: ['at-risk', 'late'] }))
    const jobId = await makeJob({}, 'Dated')
    const { id } = await startRun(OPERATOR, startSchema.parse({ jobId }))
    await execute(
      null,
      `UPDATE runs SET due_at = now() + interval '1 minute', deadline_state = 'at-risk' WHERE id = $1`,
      [id],
    )
    await tell()
    await execute(null, `UPDATE runs SET due_at = now(), deadline_state = 'late' WHERE id = $1`, [id])
    await tell()
    await tell()
    expect(subjects()).toEqual([`Dated #${id}: at-risk`, `Dated #${id}: late`])
  })

  it('are tried again later while the server is away, are not lost, and are given up in the end', async () => {
    await addNotice(ADMIN, byMail({ events: ['failed'] }))
    const failed = await run(await makeJob({}, 'Away'), 1)
    mailbox.mood = 'away'
    await tell()
    expect(await listSends(OPERATOR, failed)).toMatchObject([{ state: 'waiting', attempts: 1 }])
    await tell()
    expect((await listSends(OPERATOR, failed))[0]?.attempts).toBe(1)
    mailbox.mood = 'well'
    await execute(null, 'UPDATE notice_sends SET next_at = now()')
    await tell()
    expect(subjects()).toEqual([`Away #${failed}: failed`])
    const again = await run(await makeJob({}, 'Refused'), 1)
    mailbox.mood = 'failing'
    await queueNotices()
    await execute(null, `UPDATE notice_sends SET attempts = 17 WHERE run_id = $1`, [again])
    await sendNotices()
    expect(await listSends(OPERATOR, again)).toMatchObject([
      { state: 'given up', what: expect.stringContaining('No mailbox') as string },
    ])
    expect([1, 2, 3, 20].map(pauseAfter)).toEqual([30, 60, 120, 3600])
  })

  it('open one ticket, whatever is sent twice', async () => {
    const action = {
      kind: 'ticket',
      url: `http://127.0.0.1:${webPort}/tickets`,
      title: '${title} failed',
      text: '${link}',
    }
    await addNotice(ADMIN, byMail({ events: ['failed'], action }))
    const failed = await run(await makeJob({}, 'Twice'), 1)
    await tell()
    // As if the engine had been killed before it noted that it was sent.
    await execute(null, `UPDATE notice_sends SET state = 'waiting', next_at = now() WHERE run_id = $1`, [failed])
    await sendNotices()
    expect(web.tickets).toMatchObject([
      { title: 'Twice failed', reference: `#${failed}`, text: `http://${hostname()}:4380/runs/${failed}` },
    ])
  })

  it('never show the secret that they sign in with, though the other side echoes it', async () => {
    const secret = 'kelp-and-tide-9'
    await addAccount(
      ADMIN,
      accountSchema.parse({ name: 'echoed', userName: 'svc', secret, hosts: ['127.0.0.1'], plain: true }),
    )
    const basic = Buffer.from(`svc:${secret}`).toString('base64')
    const url = `http://127.0.0.1:${webPort}/app/echo`
    const action = { kind: 'http', url, method: 'POST', body: 'x', pick: { seen: '/headers/authorization' } }
    const { lines } = await tryNotice(ADMIN, byMail({ account: 'echoed', action }))
    expect(lines.join('\n')).toContain('seen = Basic ****')
    expect(lines.join('\n')).not.toContain(basic)
  })

  it('can be tried before they are saved', async () => {
    expect((await tryNotice(ADMIN, byMail())).lines.some((line) => line.startsWith('← 250'))).toBe(true)
    mailbox.mood = 'failing'
    await expect(tryNotice(ADMIN, byMail())).rejects.toMatchObject({
      code: 'not-now',
      detail: expect.stringContaining('refused') as string,
    })
    expect(await listNotices(ADMIN)).toEqual([])
  })

  it('tell a person once what happened once, whichever notices name them and whatever they call it', async () => {
    await addNotice(ADMIN, byMail({ title: 'All that ends', events: ['ended'] }))
    const both = ['Office@marram.example', 'desk@marram.example']
    await addNotice(ADMIN, byMail({ title: 'Failures', events: ['failed'], action: { ...byMail().action, to: both } }))
    const failed = await run(await makeJob({}, 'Once'), 2)
    await tell()
    expect(mailbox.mails).toMatchObject([{ subject: `Once #${failed}: failed`, to: both }])
    await execute(null, 'UPDATE notice_sends SET next_at = now()')
    await tell()
    expect((await listSends(OPERATOR, failed)).map(({ event, state, what }) => `${event} ${state} ${what}`)).toEqual([
      'ended sent everybody named here was told by another notice',
      expect.stringContaining('failed sent to Office@marram.example, desk@marram.example') as string,
    ])
    // Where the one cannot be sent the other tells.
    await changeMailServer(ADMIN, serverId, harbour({ port: 1 }))
    const { id: other } = await addMailServer(ADMIN, harbour({ name: 'second' }))
    await addNotice(
      ADMIN,
      byMail({ title: 'By the other', events: ['failed'], action: { ...byMail().action, server: 'second' } }),
    )
    const again = await run(await makeJob({}, 'Around'), 2)
    for (let i = 0; i < 2; i++) {
      await tell()
      await execute(null, 'UPDATE notice_sends SET next_at = now()')
    }
    expect(subjects()).toEqual([`Once #${failed}: failed`, `Around #${again}: failed`])
    await changeMailServer(ADMIN, serverId, harbour())
    await tell()
    expect(mailbox.mails.map(({ to }) => to)).toContainEqual(['desk@marram.example'])
    await execute(null, 'DELETE FROM notices')
    await removeMailServer(ADMIN, other)
  })

  it('of an area tell of what lies in areas within it, and nobody here who may not see it', async () => {
    const person = async (name: string, role: 'viewer' | 'administrator'): Promise<string> => {
      const email = `${name}@marram.example`
      await transaction((tx) => insertPerson(tx, ADMIN, { email, name, role, passwordHash: null }))
      return email
    }
    const [petra, ines] = [await person('petra', 'viewer'), await person('ines', 'administrator')]
    const outer = (await addArea(ADMIN, { title: 'Harbour office' })).id
    const inner = (await addArea(ADMIN, { title: 'Refunds', parentId: outer })).id
    const jobId = await makeJob({}, 'Pay out')
    await execute(null, 'UPDATE jobs SET area_id = $2 WHERE id = $1', [jobId, inner])
    const { id } = await addNotice(ADMIN, {
      ...byMail(),
      areaId: outer,
      action: {
        ...byMail().action,
        to: ['Petra@marram.example', ines, 'harbour@elsewhere.example'],
      } as Notice['action'],
    })
    await run(jobId, 3)
    await tell()
    expect(mailbox.mails.flatMap(({ to }) => to).sort()).toEqual([
      'Petra@marram.example',
      'harbour@elsewhere.example',
      ines,
    ])
    mailbox.mails.splice(0)
    await execute(null, 'UPDATE areas SET closed = true WHERE id = $1', [inner])
    await run(jobId, 3)
    await tell()
    expect(mailbox.mails.flatMap(({ to }) => to).sort()).toEqual(['harbour@elsewhere.example', ines])
    // Where nobody is left it is not tried again and again.
    mailbox.mails.splice(0)
    await saveNotice(ADMIN, id, {
      ...byMail(),
      areaId: outer,
      action: { ...byMail().action, to: [petra] } as Notice['action'],
    })
    await run(jobId, 3)
    await tell()
    expect(mailbox.mails).toEqual([])
    expect((await listSends(ADMIN, undefined))[0]).toMatchObject({
      state: 'sent',
      what: 'nobody named here may see what it is about',
    })
  })

  it('say the whole reason: of the step that failed, of a deadline, of an end that went well', async () => {
    await addNotice(ADMIN, byMail({ events: ['ended', 'late'], action: { ...byMail().action, text: '${reason}' } }))
    const jobId = await makeJob({}, 'Reasoned')
    await run(jobId, 0)
    const { id } = await startRun(OPERATOR, startSchema.parse({ jobId }))
    await execute(null, `UPDATE runs SET due_at = '2027-03-09 04:30Z', deadline_state = 'late' WHERE id = $1`, [id])
    await tell()
    expect(mailbox.mails.map(({ text }) => text.trim())).toEqual(
      expect.arrayContaining(['It succeeded.', 'It was due at 2027-03-09 04:30 and has not ended.']),
    )
  })

  it('lead to the pages where an administrator last had them', async () => {
    await addNotice(ADMIN, byMail({ action: { ...byMail().action, text: '${link}' } }))
    const jobId = await makeJob({}, 'Linked')
    await rememberPages('https://bugle.marram.example')
    const failed = await run(jobId, 1)
    await tell()
    expect(mailbox.mails[0]?.text.trim()).toBe(`https://bugle.marram.example/runs/${failed}`)
    await execute(null, `UPDATE settings SET value = '{"url": ""}' WHERE key = 'pages'`)
  })

  it('go out by mail servers that administrators enter, and that stay while notices name them', async () => {
    await addNotice(ADMIN, byMail({ title: 'Named' }))
    expect(await listMailServers(actor('viewer'))).toMatchObject([{ name: 'harbour', notices: 1 }])
    await expect(removeMailServer(ADMIN, serverId)).rejects.toThrow('“Named” goes out by it.')
    await expect(addMailServer(ADMIN, harbour())).rejects.toMatchObject({ errors: [{ path: 'name' }] })
    await expect(addMailServer(actor('designer'), harbour({ name: 'x' }))).rejects.toMatchObject({
      code: 'not-allowed',
    })
    await expect(changeMailServer(ADMIN, serverId, harbour({ account: 'nobody' }))).rejects.toMatchObject({
      errors: [{ path: 'account' }],
    })
    await expect(addNotice(ADMIN, byMail({ action: { ...byMail().action, server: 'gone' } }))).rejects.toMatchObject({
      errors: [{ path: 'action.server' }],
    })
    await addAccount(
      ADMIN,
      accountSchema.parse({ name: 'elsewhere', userName: 'svc', secret: 'kelp-and-tide-9', hosts: ['x.example'] }),
    )
    await expect(changeMailServer(ADMIN, serverId, harbour({ account: 'elsewhere' }))).rejects.toMatchObject({
      errors: [{ path: 'account', message: expect.stringContaining('may not sign in at 127.0.0.1') as string }],
    })
    await execute(null, 'DELETE FROM notices')
    const { id } = await addMailServer(ADMIN, harbour({ name: 'unused' }))
    await removeMailServer(ADMIN, id)
    expect((await listMailServers(ADMIN)).map(({ name }) => name)).toEqual(['harbour'])
  })

  it('are made by designers, of what is there, with facts that there are', async () => {
    await expect(addNotice(OPERATOR, byMail())).rejects.toMatchObject({ code: 'not-allowed' })
    await expect(addNotice(actor('designer'), byMail({ jobId: 999_999 }))).rejects.toMatchObject({
      errors: [{ path: 'jobId' }],
    })
    await expect(
      addNotice(
        ADMIN,
        byMail({ account: 'nobody', action: { kind: 'ticket', url: 'https://desk.example/', title: 't' } }),
      ),
    ).rejects.toMatchObject({
      errors: [{ path: 'account' }],
    })
    const bad = noticeSchema.safeParse({ ...byMail(), action: { ...byMail().action, text: '${nothing}' } })
    expect(bad.error?.issues[0]?.message).toContain('There is no nothing')
    const { id } = await addNotice(ADMIN, byMail())
    await removeNotice(ADMIN, id)
    await expect(removeNotice(ADMIN, id)).rejects.toMatchObject({ code: 'not-found' })
    expect(await one(null, 'SELECT count(*)::int AS n FROM notices')).toEqual({ n: 0 })
  })
})

describe('what is to be told', () => {
  it('of a run that its agent told of late is found when all of the day is looked at', async () => {
    await addNotice(ADMIN, byMail({ events: ['failed'] }))
    await execute(null, `UPDATE notices SET since = now() - interval '2 hours'`)
    const failed = await run(await makeJob({}, 'Told late'), 1)
    await execute(null, `UPDATE runs SET ended_at = now() - interval '1 hour' WHERE id = $1`, [failed])
    await queueNotices(new Date(Date.now() - 120_000))
    expect(await listSends(OPERATOR, failed)).toEqual([])
    await queueNotices()
    expect(await listSends(OPERATOR, failed)).toHaveLength(1)
  })
})
