import { mailServerSchema } from '@/core/work/mail-server'
import { saveAddresses } from '@/service/notices/addresses'
import { addMailServer } from '@/service/notices/mail-servers'
import { insertPerson } from '@/service/people/people'
import { Mailbox } from '@/standins/services/mailbox'
import { ADMIN, freshDatabase } from '@/store/database.test-help'
import { execute, one, transaction } from '@/store/db'
import { reportsAreDue } from './due'
import { mailNext } from './mailing'
import type { Mailed } from './results'

freshDatabase()
const mailbox = new Mailbox()
afterAll(() => mailbox.stop())

let resultId: number
beforeAll(async () => {
  await saveAddresses(ADMIN, { allow: ['127.0.0.1'] })
  const { id } = await transaction((tx) =>
    insertPerson(tx, ADMIN, {
      email: 'ines@marram.example',
      name: 'ines',
      role: 'administrator',
      passwordHash: null,
      isDemo: true,
    }),
  )
  const report = await one<{ id: number }>(
    null,
    `INSERT INTO reports (slug, title, kind, period, zone, filter, options, readers, mail, keep_days, person_id, made_by, saved_by)
     VALUES ('worth', 'Worth', 'worth', '{}', 'UTC', '{}', '{}', '{}', '[]', 400, $1, 'ines', 'ines') RETURNING id`,
    [id],
  )
  const mailed = ['office@marram.example', 'harbour@marram.example'].map((to) => ({ to, at: null, fault: null }))
  const result = await one<{ id: number }>(
    null,
    `INSERT INTO report_results (report_id, title, kind, state, asked_by, period, pdf, mailed, mail_due) VALUES ($1, 'Worth', 'worth', 'made', 'ines', 'Q3 2026', $2, $3, now()) RETURNING id`,
    [report.id, Buffer.from('%PDF-1.3 x'), JSON.stringify(mailed)],
  )
  resultId = result.id
})

const stands = (): Promise<{ mailed: Mailed[]; isDue: boolean; tries: number }> =>
  one(null, 'SELECT mailed, mail_due IS NOT NULL AS "isDue", mail_tries AS tries FROM report_results WHERE id = $1', [
    resultId,
  ])
const dueAgain = (): Promise<number> =>
  execute(null, 'UPDATE report_results SET mail_due = now() WHERE mail_due IS NOT NULL')

it('is tried again where it cannot be sent, sent once to each, and given up in the end', async () => {
  expect(await reportsAreDue()).toBe(true)
  expect(await mailNext()).toBe(true)
  expect(await stands()).toMatchObject({
    isDue: true,
    tries: 1,
    mailed: [{ at: null, fault: expect.stringContaining('There is no mail server') }, {}],
  })
  // Not at once: whoever cannot be reached now cannot be in a second.
  expect(await mailNext()).toBe(false)
  await addMailServer(
    ADMIN,
    mailServerSchema.parse({
      name: 'harbour',
      host: '127.0.0.1',
      port: await mailbox.start(0),
      from: 'bugle@marram.example',
    }),
  )
  await execute(
    null,
    `UPDATE report_results SET mailed = jsonb_set(mailed, '{1,at}', '"2026-12-01T00:00:00Z"') WHERE id = $1`,
    [resultId],
  )
  await dueAgain()
  expect(await mailNext()).toBe(true)
  expect(mailbox.mails).toMatchObject([
    {
      to: ['office@marram.example'],
      subject: 'Worth: Q3 2026',
      text: expect.stringContaining(`/reports/results/${resultId}`),
      attachments: [{ name: `worth-${resultId}.pdf`, type: 'application/pdf', bytes: Buffer.from('%PDF-1.3 x') }],
    },
  ])
  expect(await stands()).toMatchObject({
    isDue: false,
    tries: 2,
    mailed: [{ fault: null }, { at: '2026-12-01T00:00:00Z' }],
  })
  expect(await reportsAreDue()).toBe(false)
  // A mailbox that nobody has: after some tries it stays at that, and says so.
  await execute(
    null,
    `UPDATE report_results SET mail_due = now(), mail_tries = 0, mailed = '[{"to": "x@marram.example", "at": null, "fault": null}]' WHERE id = $1`,
    [resultId],
  )
  mailbox.mood = 'failing'
  for (let i = 0; i < 4; i++) {
    await dueAgain()
    expect(await mailNext()).toBe(true)
  }
  expect(await stands()).toMatchObject({
    isDue: false,
    tries: 4,
    mailed: [{ at: null, fault: expect.stringContaining('No mailbox') }],
  })
})
