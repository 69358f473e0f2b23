// npm run screenshots: one current picture of each main view into docs/screenshots, from the demo, which must be running (npm run demo). With names, only these: … -- settings sign-in.
import { mkdirSync } from 'node:fs'
import { join } from 'node:path'
import { fail, root, say } from './lib/setup.mjs'

const wanted = process.argv.slice(2)
const folder = join(root, 'docs/screenshots')
const base = process.env.BUGLE_URL ?? `http://localhost:${process.env.BUGLE_WEB_PORT ?? 4380}`
const isUp = await fetch(`${base}/api/health`).then(
  (response) => response.ok,
  () => false,
)
if (!isUp)
  fail(
    `No Bugle answers at ${base}. Start the demo in another terminal: npm run demo (BUGLE_URL if it is somewhere else).`,
  )
const { chromium } = await import('@playwright/test')

mkdirSync(folder, { recursive: true })
const browser = await chromium.launch({
  executablePath: '/usr/bin/chromium',
  args: [
    '--no-sandbox',
    '--disable-gpu',
    '--disable-quic',
    '--no-first-run',
    '--disable-background-networking',
    '--disable-component-update',
    '--disable-sync',
    '--disable-dev-shm-usage',
  ],
})

/** A signed-in page by day or by night. */
async function pageOf(person, colorScheme) {
  const context = await browser.newContext({
    viewport: { width: 1280, height: 800 },
    colorScheme,
    reducedMotion: 'reduce',
  })
  const page = await context.newPage()
  await page.goto(`${base}/sign-in`)
  await page.getByRole('button', { name: person }).click()
  await page.waitForURL('**/watch')
  return page
}

const day = await pageOf('Ines Aldaya', 'light')
const night = await pageOf('Ines Aldaya', 'dark')
const get = async (path) => (await day.request.get(`${base}/api/v1${path}`)).json()

/** `page` shows `path`; `ready` is in sight; `before` does what the picture needs. */
async function shoot(name, page, path, ready, before = async () => {}) {
  if (wanted.length > 0 && !wanted.includes(name)) return
  await page.goto(base + path)
  await page.getByText(ready).first().waitFor()
  await before(page)
  await page.waitForLoadState('networkidle').catch(() => {})
  await page.mouse.move(0, 0)
  await page.waitForTimeout(1200)
  await page.screenshot({ path: join(folder, `${name}.png`) })
  say(`docs/screenshots/${name}.png`)
}

const byTitle = (rows, title) => rows.find((row) => row.title === title) ?? fail(`The demo has no ${title}.`)
const { rows: failed } = await get('/runs?state=failed&limit=50')
const run = failed.find(({ kind }) => kind !== 'flow') ?? failed[0]
const { rows: flowRuns } = await get('/runs?state=failed&text=Sailing+manifests&limit=1')
const flowRun = flowRuns[0] ?? fail('The demo has no failed run of Sailing manifests.')
const { rows: checks } = await get('/runs?state=succeeded&text=Configuration+check&limit=1')
const checked = checks[0] ?? fail('The demo has no run of Configuration check.')
const [shared] = (await get('/views?list=runs')).views
const jobs = await get('/jobs')
const { rows: triggers } = await get('/triggers?text=freight')
const calendars = await get('/calendars')
const list = (answer, key) => (Array.isArray(answer) ? answer : (answer.rows ?? answer[key]))
const [queue] = await get('/queues')
const [rejected] = (await get(`/queues/${queue.id}/items?state=rejected,done&limit=1`)).rows
const job = byTitle(list(jobs, 'jobs'), 'Reconcile fares')
const flow = byTitle(list(jobs, 'jobs'), 'Sailing manifests')
const trigger = byTitle(triggers, 'Freight invoicing')
const calendarCalled = (title) => byTitle(list(calendars, 'calendars'), title)
const monthEnd = calendarCalled('Month-end close')
// The next year in which a month's end is moved by the dry dock, and such a day.
const year = new Date().getFullYear() + 1
const asked = `${year}-04-30`

await shoot('watch', day, '/watch', 'Now on the machines')
await shoot('run', day, `/runs/${run.id}`, 'Output')
await shoot('runs', day, `/runs?view=${shared.id}`, 'Beside a run', (page) =>
  page.getByRole('table', { name: 'Runs' }).getByRole('row').nth(1).click(),
)
await shoot('compare', day, `/runs/compare?start=${checked.id}`, 'What is different from the most')
await shoot('job', day, `/work/jobs/${job.id}`, 'Reconcile fares')
await shoot('triggers', day, '/timing', 'Timing')
await shoot('trigger', day, `/timing/triggers/${trigger.id}`, 'The next 20 starts')
await shoot('flow-run', day, `/runs/${flowRun.id}`, 'failed at')
await shoot('flow', night, `/work/flows/${flow.id}?step=transfer&tab=rehearse`, 'The flow would end', async (page) => {
  await page.getByRole('button', { name: /What becomes of transfer/ }).click()
  await page.getByRole('option', { name: /^fails/ }).click()
})
await shoot('calendar', day, `/timing/calendars/${monthEnd.id}?year=${year}&day=${asked}`, 'Which days', (page) =>
  page.getByText('is not in it').or(page.getByText('is in it')).first().scrollIntoViewIfNeeded(),
)
const sampled = (page) => page.getByText('200 samples').waitFor({ timeout: 60_000 })
await shoot('tuning', day, '/tuning', 'Night of', sampled)
await shoot('deadlines', day, '/tuning?tab=deadlines', 'Would help most', async (page) => {
  await sampled(page)
  await page.getByRole('row', { name: /Sailing manifests/ }).click()
})
await shoot('proposals-night', night, '/tuning?tab=proposals', 'proposed', async (page) => {
  await sampled(page)
  await page.getByText(/^best possible|^searched \d+ s$/).waitFor({ timeout: 90_000 })
  await page.waitForTimeout(8000)
})
const reports = await get('/reports')
await shoot('report', day, `/reports/${byTitle(reports, 'Worth of this quarter').id}`, 'Worth by week')
await shoot('robots-night', night, '/fleet?tab=robots', 'desk1')
await shoot(
  'queue',
  day,
  `/work/queues/${queue.id}?state=waiting,taken,rejected,failed&item=${rejected.id}`,
  'Its story',
)
await shoot('night-log', night, '/watch/log', 'Hand over')
const system = byTitle(list(await get('/systems'), 'systems'), 'Booking database')
await shoot('system', day, `/fleet/systems/${system.id}`, 'Booking database')
const measured = byTitle(list(jobs, 'jobs'), 'Log clean-up')
await shoot('measures', day, `/work/jobs/${measured.id}/measures`, 'How long it took')
await browser.close()
