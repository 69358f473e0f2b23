import { spawn, type ChildProcess } from 'node:child_process'
import { chromium, type Locator, type Page } from '@playwright/test'
import { flowDefinitionSchema } from '@/core/work/flow'
import { jobDefinitionSchema } from '@/core/work/job'
import { COMMAND_LINE } from '@/service/base/actor'
import { addFlow } from '@/service/work/flows'
import { insertPerson } from '@/service/people/people'
import { startRun, startSchema } from '@/service/runs/start'
import { addArea } from '@/service/work/areas'
import { addJob } from '@/service/work/work'
import { closeDb, execute, one, transaction } from '@/store/db'
import { migrate } from '@/store/migrate'
import { scriptsOf } from './route-scripts'
import { makeAgents, pause, untilConnected } from './shared'

const JOBS = 40
const CHAIN = 20
const EDITED_STEPS = 500
const RUN_STEPS = 1000
const TIMES = 12
const base = `http://localhost:${process.env.BUGLE_WEB_PORT}`

/** Chains of steps of many lengths side by side, every fifth chain hanging on the one before it. */
function chains(count: number): object[] {
  return Array.from({ length: count }, (_, i) => {
    const chain = Math.floor(i / CHAIN)
    const after = [
      ...(i % CHAIN === 0 ? [] : [{ step: `s${i - 1}` }]),
      ...(i % CHAIN === 10 && chain % 5 === 4 ? [{ step: `s${i - CHAIN - 3}` }] : []),
    ]
    return { id: `s${i}`, job: `job-${i % JOBS}`, expect: `PT${1 + ((i * 7) % 9)}M`, after }
  })
}

async function makeWork(): Promise<{ edited: number; started: number }> {
  const { id: areaId } = await addArea(COMMAND_LINE, { title: 'Bench', notes: '' })
  const common = { notes: '', areaId, active: true }
  const definition = jobDefinitionSchema.parse({
    action: { kind: 'command', command: 'true' },
    target: { pool: 'pool-0' },
  })
  for (let i = 0; i < JOBS; i++) await addJob(COMMAND_LINE, { ...common, title: `Job ${i}`, definition })
  const add = async (title: string, steps: number): Promise<number> =>
    (
      await addFlow(COMMAND_LINE, {
        ...common,
        title,
        definition: flowDefinitionSchema.parse({ steps: chains(steps) }),
      })
    ).id
  return { edited: await add('Edited', EDITED_STEPS), started: await add('Started', RUN_STEPS) }
}

/** A flow run that has gone all its way on simulated agents. */
async function ranThrough(jobId: number): Promise<number> {
  const { id } = await startRun(COMMAND_LINE, startSchema.parse({ jobId }))
  for (;;) {
    const row = await one<{ isOver: boolean }>(
      null,
      'SELECT ended_at IS NOT NULL AS "isOver" FROM runs WHERE id = $1',
      [id],
    )
    if (row.isOver) break
    await pause(100)
  }
  // Every step began and ended at once; for the picture they took their time, one after another.
  await execute(
    null,
    `UPDATE runs r SET started_at = f.started_at + make_interval(mins => (r.step % $2) * 5), ended_at = f.started_at + make_interval(mins => (r.step % $2) * 5 + 4)
       FROM runs f WHERE f.id = $1 AND r.flow_run_id = f.id`,
    [id, CHAIN],
  )
  return id
}

/** From the address to a picture with steps in it, milliseconds of the page's own clock. */
async function opening(page: Page, path: string): Promise<number> {
  await page.goto('about:blank')
  await page.goto(base + path, { waitUntil: 'commit' })
  await page.locator('svg .step').first().waitFor()
  return page.evaluate(() => performance.now())
}

/**
 * How long a person waits from a key or click until the screen shows what came of it: the longest event of each action, as the browser itself measures it
 * (Event Timing, W3C; in steps of 8 ms, and what is quicker than 16 ms is not told).
 */
async function action(page: Page, times: number, work: (i: number) => Promise<void>): Promise<Record<string, number>> {
  const waits: number[] = []
  for (let i = 0; i < times; i++) waits.push(await waitOf(page, () => work(i)))
  return spread(waits)
}

/** Of one action. */
async function waitOf(page: Page, work: () => Promise<void>): Promise<number> {
  await page.evaluate(() => {
    const seen = window as unknown as { longest: number; watcher?: PerformanceObserver }
    seen.longest = 0
    seen.watcher ??= new PerformanceObserver((list) => {
      for (const entry of list.getEntries())
        if ((entry as PerformanceEventTiming & { interactionId: number }).interactionId > 0)
          seen.longest = Math.max(seen.longest, entry.duration)
    })
    seen.watcher.observe({ type: 'event', durationThreshold: 16 } as PerformanceObserverInit)
  })
  await work()
  await pause(400)
  return page.evaluate(() => (window as unknown as { longest: number }).longest)
}

function spread(values: readonly number[]): Record<string, number> {
  const sorted = [...values].sort((a, b) => a - b)
  const at = (share: number): number =>
    Math.round(sorted[Math.min(sorted.length - 1, Math.floor(sorted.length * share))] ?? 0)
  return { p50: at(0.5), max: at(1) }
}

/** With nothing of the test’s own at work in the page after the click: looking for a role there takes longer than what is measured. */
async function clickOn(page: Page, target: Locator): Promise<void> {
  const box = await target.boundingBox()
  if (!box) throw new Error('What is to be clicked is not in sight.')
  await page.mouse.click(box.x + Math.min(box.width, 20) / 2, box.y + box.height / 2)
}

async function editing(page: Page, flowId: number): Promise<Record<string, object>> {
  await opening(page, `/work/flows/${flowId}`)
  const picture = page.getByRole('application')
  await picture.focus()
  const steps = page.locator('svg .step')
  const out: Record<string, object> = {}
  out.chooseByClick = await action(page, TIMES, async (i) => clickOn(page, steps.nth(3 + i * 2)))
  await picture.focus()
  out.travelByKey = await action(page, TIMES, () => page.keyboard.press('ArrowRight'))
  out.zoom = await action(page, 4, (i) => page.keyboard.press(i < 2 ? '+' : '-'))
  await steps.nth(5).click({ force: true })
  const title = page.getByRole('textbox', { name: 'shown as' })
  await title.focus()
  out.type = await action(page, TIMES, (i) => page.keyboard.type(String.fromCharCode(97 + i)))
  const [lists, rows]: [number[], number[]] = [[], []]
  for (let i = 0; i < 5; i++) {
    lists.push(await waitOf(page, () => clickOn(page, page.getByRole('button', { name: 'Add a step', exact: true }))))
    rows.push(await waitOf(page, () => clickOn(page, page.getByRole('dialog').locator('tbody tr').nth(1))))
    if ((await page.getByRole('dialog').count()) > 0) throw new Error('No step was added.')
  }
  out.openListOfWork = { first: lists[0] as number, ...spread(lists.slice(1)) }
  out.addStep = spread(rows)
  out.undo = await action(page, 3, () => clickOn(page, page.getByRole('button', { name: 'Undo' })))
  return out
}

const children: ChildProcess[] = []

async function main(): Promise<void> {
  await migrate()
  await transaction((tx) =>
    insertPerson(tx, COMMAND_LINE, {
      email: 'bench@marram.example',
      name: 'Bench',
      role: 'designer',
      passwordHash: null,
      isDemo: true,
    }),
  )
  const env = { ...process.env, BUGLE_LOG: 'error', BUGLE_DEMO: '1' }
  const start = (...args: string[]): void => {
    children.push(spawn(process.execPath, args, { env, stdio: ['ignore', 'ignore', 'inherit'] }))
  }
  start('dist/engine.cjs')
  start('dist/web.cjs')
  const machines = await makeAgents(20, 0)
  await untilConnected(20)
  const { edited, started } = await makeWork()
  const run = await ranThrough(started)
  const browser = await chromium.launch({
    executablePath: '/usr/bin/chromium',
    args: ['--no-sandbox', '--disable-gpu', '--disable-background-networking', '--disable-dev-shm-usage'],
  })
  const context = await browser.newContext({ viewport: { width: 1280, height: 800 }, reducedMotion: 'reduce' })
  const page = await context.newPage()
  await page.goto(`${base}/sign-in`)
  await page.getByRole('button', { name: 'Bench' }).click()
  await page.waitForURL('**/watch')
  const empty: number[] = []
  const opened: number[] = []
  for (let i = 0; i < 6; i++) {
    await page.goto('about:blank')
    await page.goto(`${base}/work`, { waitUntil: 'commit' })
    await page.getByRole('link', { name: 'Job 0', exact: true }).waitFor()
    empty.push(await page.evaluate(() => performance.now()))
    opened.push(await opening(page, `/runs/${run}`))
  }
  const actions = await editing(page, edited)
  const routes: Record<string, number> = {}
  const job = await one<{ id: number }>(null, 'SELECT id FROM jobs WHERE NOT is_flow ORDER BY id LIMIT 1')
  const paths = {
    ...Object.fromEntries(['watch', 'runs', 'work', 'fleet', 'timing', 'settings'].map((name) => [name, `/${name}`])),
    run: `/runs/${run}`,
    job: `/work/jobs/${job.id}`,
    flow: `/work/flows/${edited}`,
    trigger: '/timing/triggers/new',
    calendar: '/timing/calendars/new',
  }
  for (const [name, path] of Object.entries(paths)) routes[name] = await scriptsOf(browser, base + path, context)
  console.log(
    JSON.stringify(
      {
        openRunMs: { steps: RUN_STEPS, ...spread(opened.slice(1)) },
        openWorkMs: spread(empty.slice(1)),
        editorMs: { steps: EDITED_STEPS, ...actions },
        scriptsKB: routes,
        aims: { openRunMs: 1000, editorMs: 50, scriptsKB: { lists: 250, editors: 350 } },
      },
      null,
      2,
    ),
  )
  await browser.close()
  for (const machine of machines) machine.stop()
  await closeDb()
}

main()
  .catch((error: unknown) => {
    console.error(error)
    process.exitCode = 1
  })
  .finally(async () => {
    const ended = children.map((child) => new Promise((resolve) => child.once('exit', resolve)))
    for (const child of children) child.kill('SIGTERM')
    await Promise.all(ended)
    process.exit()
  })
