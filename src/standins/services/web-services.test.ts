import { Mailbox } from './mailbox'
import { WebServices } from './web-services'

let web: WebServices
let base: string
const mailbox = new Mailbox()
beforeEach(async () => {
  mailbox.mood = 'well'
  web = new WebServices(mailbox.mails, { 'mail server': mailbox })
  base = `http://127.0.0.1:${await web.start(0)}`
})
afterEach(() => web.stop())
const page = async (path: string): Promise<string> => (await fetch(base + path)).text()

it('shows what came, as text and never as code', async () => {
  mailbox.mails.unshift({
    at: '2027-03-09',
    from: 'a@b',
    to: ['c@d'],
    subject: '<script>x</script>',
    text: 'line <b>',
    attachments: [],
  })
  await fetch(`${base}/tickets`, {
    method: 'POST',
    body: JSON.stringify({ title: '<img src=x>', text: 't', urgency: 'low' }),
  })
  expect(await page('/mailbox')).toContain('&lt;script&gt;x&lt;/script&gt;')
  expect(await page('/tickets')).toContain('T-1001 &lt;img src=x&gt;')
  expect((await fetch(`${base}/tickets`, { method: 'POST', body: '{}' })).status).toBe(422)
  expect((await fetch(`${base}/nothing`)).status).toBe(404)
})

it('gives what came along with a mail, as a file and nothing else', async () => {
  const mail = { at: '2027-03-09', from: 'a@b', to: ['c@d'], subject: 's', text: 't' }
  mailbox.mails.splice(0)
  mailbox.mails.unshift({
    ...mail,
    attachments: [{ name: 'worth".pdf', type: 'application/pdf', bytes: Buffer.from('%PDF') }],
  })
  mailbox.mails.unshift({
    ...mail,
    attachments: [{ name: 'x.html', type: 'text/html', bytes: Buffer.from('<script>') }],
  })
  expect(await page('/mailbox')).toContain('<a href="/mailbox/0/0">worth&quot;.pdf</a>')
  const pdf = await fetch(`${base}/mailbox/0/0`)
  expect([pdf.headers.get('content-type'), pdf.headers.get('content-disposition'), await pdf.text()]).toEqual([
    'application/pdf',
    'attachment; filename="worth_.pdf"',
    '%PDF',
  ])
  expect((await fetch(`${base}/mailbox/1/0`)).headers.get('content-type')).toBe('application/octet-stream')
  expect((await fetch(`${base}/mailbox/7/0`)).status).toBe(404)
})

it('lets each stand-in be told how to behave, from its page', async () => {
  expect(await page('/')).toContain('mail server')
  const tell = (of: string, is: string): Promise<Response> =>
    fetch(`${base}/moods?of=${encodeURIComponent(of)}&is=${is}`, { method: 'POST', redirect: 'manual' })
  expect((await tell('mail server', 'away')).status).toBe(303)
  expect(mailbox.mood).toBe('away')
  await tell('application', 'failing')
  expect((await fetch(`${base}/app/health`)).status).toBe(503)
  await tell('application', 'nonsense')
  expect(web.app.mood).toBe('failing')
  await tell('application', 'away')
  await expect(fetch(`${base}/app/health`)).rejects.toThrow()
  await tell('application', 'well')
  expect(await (await fetch(`${base}/app/health`)).json()).toEqual({ ok: true })
})
