import { Mailbox } from '@/standins/services/mailbox'
import { WebServices } from '@/standins/services/web-services'
import { noticeSchema, pauseAfter, type Notice } from '@/core/work/notice'
import { actor, ADMIN, freshDatabase, OPERATOR } from '@/store/database.test-help'
import { execute, one } from '@/store/db'
import { ended, lease, makeAgent, makeJob, output, report, started } from './fixtures.test-help'
import {
  addNotice,
  listNotices,
  listSends,
  queueNotices,
  removeNotice,
  saveNotice,
  sendNotices,
  tryNotice,
} from './notices'
import { accountSchema, addAccount } from './accounts'
import { saveAddresses } from './addresses'
import { startRun, startSchema } from './start'

freshDatabase()

const mailbox = new Mailbox()
const web = new WebServices(mailbox.mails, {})
let port: number
let webPort: number
let agentId: number
beforeAll(async () => {
  port = await mailbox.start(0)
  webPort = await web.start(0)
  agentId = await makeAgent('a1')
  await saveAddresses(ADMIN, { allow: ['127.0.0.1'] })
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

const byMail = (change: object = {}): Notice =>
  noticeSchema.parse({
    title: 'To the office',
    events: ['failed', 'recovered'],
    action: {
      kind: 'mail',
      host: '127.0.0.1',
      port,
      from: 'bugle@marram.example',
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
    expect(web.tickets).toMatchObject([{ title: 'Twice failed', reference: `#${failed}`, text: `/runs/${failed}` }])
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

  it('are made by designers, of what is there, with facts that there are', async () => {
    await expect(addNotice(OPERATOR, byMail())).rejects.toMatchObject({ code: 'not-allowed' })
    await expect(addNotice(actor('designer'), byMail({ jobId: 999_999 }))).rejects.toMatchObject({
      errors: [{ path: 'jobId' }],
    })
    await expect(addNotice(ADMIN, byMail({ account: 'nobody' }))).rejects.toMatchObject({
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
