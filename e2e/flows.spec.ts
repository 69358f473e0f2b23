import type { ChildProcess } from 'node:child_process'
import { chooseByKeys, enrolAgent, expect, open, signInAs, test } from './helpers'

let agent: ChildProcess | undefined
test.afterAll(() => {
  if (agent?.pid) process.kill(-agent.pid, 'SIGKILL')
})

test.describe.configure({ mode: 'serial' })

/** The origin that a change through the page's own session names. */
const origin = (baseURL: string | undefined): Record<string, string> => ({ origin: baseURL ?? '' })

test('a flow is built by keyboard, rehearsed, started, fails, and is run again from the step that failed', async ({
  page,
  browser,
  baseURL,
}) => {
  test.setTimeout(300_000)
  const admin = await browser.newContext()
  agent = await enrolAgent(await admin.newPage(), 'flow-machine')
  await admin.close()
  await signInAs(page, 'Moira Calder')
  const headers = origin(baseURL)
  const areas = (await (await page.request.get('/api/v1/areas')).json()) as { id: number }[]
  const makeJob = async (title: string, command: string): Promise<number> => {
    const response = await page.request.post('/api/v1/jobs', {
      headers,
      data: {
        title,
        areaId: areas[0]?.id,
        definition: { action: { kind: 'command', command }, target: { agent: 'flow-machine' }, inputs: [] },
      },
    })
    expect(response.status(), await response.text()).toBe(201)
    return ((await response.json()) as { id: number }).id
  }
  await makeJob('Draw the tides', 'echo tide drawn')
  const printing = await makeJob('Print the tides', 'echo "no paper" >&2; exit 4')
  await makeJob('Post the tides', 'echo posted')

  await page.keyboard.press('Control+k')
  await page.keyboard.type('new flow')
  await page.keyboard.press('Enter')
  await page.waitForURL('**/work/flows/new**')
  await page.getByRole('textbox', { name: 'Title' }).focus()
  await page.keyboard.type('Tides on paper')
  for (const title of ['Draw the tides', 'Print the tides', 'Post the tides']) {
    await page.getByRole('button', { name: 'Add a step' }).focus()
    await page.keyboard.press('Enter')
    const dialog = page.getByRole('dialog')
    await dialog.getByRole('searchbox').focus()
    await page.keyboard.type(title)
    await expect(dialog.getByRole('row')).toHaveCount(2)
    await dialog.getByRole('row').nth(1).focus()
    await page.keyboard.press('Enter')
    await expect(dialog).toBeHidden()
  }
  const picture = page.getByRole('application')
  await expect(picture.getByRole('img', { name: /^Post the tides/ })).toBeVisible()

  await page.getByRole('tab', { name: 'Rehearse' }).click()
  await picture.focus()
  await page.keyboard.press('Home')
  await page.keyboard.press('ArrowRight')
  await chooseByKeys(page, page.getByRole('button', { name: /What becomes of print-the-tides/ }), 'fails')
  await expect(page.getByText('The flow would end')).toBeVisible()
  await expect(page.getByRole('img', { name: /^Post the tides, skipped/ })).toBeVisible()

  await page.getByRole('button', { name: 'Save', exact: true }).focus()
  await page.keyboard.press('Enter')
  await page.waitForURL(/\/work\/flows\/\d+/)
  await page.getByRole('button', { name: 'Start Tides on paper' }).focus()
  await page.keyboard.press('Enter')
  await page.getByRole('button', { name: 'Start now' }).focus()
  await page.keyboard.press('Enter')
  await page.waitForURL(/\/runs\/\d+/)
  await expect(page.getByText('failed at Print the tides')).toBeVisible({ timeout: 30_000 })
  await expect(page.getByText('no paper').first()).toBeVisible()
  await expect(page.getByRole('img', { name: /^Post the tides, skipped, passed over/ })).toBeVisible()

  const job = (await (await page.request.get(`/api/v1/jobs/${printing}`)).json()) as {
    version: number
    title: string
    areaId: number
    definition: { action: object }
  }
  const mended = await page.request.put(`/api/v1/jobs/${printing}`, {
    headers,
    data: {
      title: job.title,
      areaId: job.areaId,
      version: job.version,
      definition: { ...job.definition, action: { kind: 'command', command: 'echo printed' } },
    },
  })
  expect(mended.status(), await mended.text()).toBe(200)
  await page.getByRole('button', { name: 'Run again from Print the tides' }).focus()
  await page.keyboard.press('Enter')
  await expect(page.getByText('2 steps decided again')).toBeVisible()
  await expect(page.getByText('one step kept').or(page.getByText('1 step kept'))).toBeVisible()
  await page.getByRole('dialog').getByRole('button', { name: 'Run again' }).focus()
  await page.keyboard.press('Enter')
  await expect(page.getByRole('img', { name: /^Post the tides, succeeded/ })).toBeVisible({ timeout: 30_000 })
  await expect(page.getByRole('img', { name: /^Draw the tides, succeeded/ })).toBeVisible()
  await page.getByRole('tab', { name: 'Story' }).click()
  await expect(page.getByRole('table', { name: 'Story' }).getByText('Moira Calder')).toBeVisible()
})

test('steps are added, linked, routed, grouped and gated by dragging; a circle is refused', async ({ page }) => {
  await signInAs(page, 'Moira Calder')
  await open(page, '/work')
  await page.getByRole('link', { name: 'Overnight housekeeping', exact: true }).click()
  const bar = (name: RegExp): ReturnType<typeof page.getByRole> => page.getByRole('img', { name })
  await expect(bar(/^Log clean-up/)).toBeVisible()
  const drag = async (from: RegExp, to: RegExp): Promise<void> => {
    const middle = async (name: RegExp): Promise<[number, number]> => {
      const box = await bar(name).locator('rect').first().boundingBox()
      if (!box) throw new Error('A step is not in sight.')
      return [box.x + box.width / 2, box.y + box.height / 2]
    }
    const [start, end] = [await middle(from), await middle(to)]
    await page.mouse.move(...start)
    await page.mouse.down()
    await page.mouse.move(...end, { steps: 5 })
    await page.mouse.up()
  }
  const list = page.getByRole('list', { name: 'Steps' })
  await drag(/^Log clean-up/, /^Index care/)
  await expect(list.getByText('Index care · after backup, logs')).toBeVisible()
  await drag(/^Configuration check/, /^Log clean-up/)
  await expect(page.getByText(/a link back would go in a circle/)).toBeVisible()
  await page.getByRole('button', { name: 'Undo' }).click()
  await expect(list.getByText('Index care · after backup', { exact: true })).toBeVisible()
  await page.keyboard.down('Shift')
  await drag(/^Log clean-up/, /^Index care/)
  await page.keyboard.up('Shift')
  await list.getByText('Log clean-up').click()
  await expect(page.getByRole('button', { name: 'indexes Step that a failure leads to' })).toBeVisible()

  await page.getByRole('button', { name: 'Add a step' }).click()
  const adding = page.getByRole('dialog', { name: 'Add a step' })
  await adding.getByRole('searchbox').fill('machine pulse')
  await adding
    .getByRole('row', { name: /^Machine pulse/ })
    .dragTo(bar(/^Index care/), { targetPosition: { x: 30, y: 10 } })
  await expect(list.getByText(/^Machine pulse · after backup/)).toBeVisible()
  await expect(list.getByText('Index care · after machine-pulse', { exact: true })).toBeVisible()
  await page.keyboard.press('Escape')
  await expect(adding).toBeHidden()

  await page.keyboard.down('Control')
  await drag(/^Log clean-up/, /^Index care/)
  await page.keyboard.up('Control')
  await expect(page.getByText('logs is in the group group, with indexes.')).toBeVisible()
  await list.getByText('Log clean-up').click()
  await expect(page.getByRole('textbox', { name: 'Group', exact: true })).toHaveValue('group')
  await page.getByRole('button', { name: 'Set a gate' }).click()
  const gating = page.getByRole('dialog', { name: 'Set a gate' })
  await gating.getByRole('row', { name: /^Year end/ }).dragTo(bar(/^Index care/))
  await expect(page.getByRole('textbox', { name: 'Days, in words' })).toHaveValue(/Year end/)
  await expect(page.getByRole('textbox', { name: 'Step', exact: true })).toHaveValue('indexes')
  await gating.getByRole('row', { name: /^Always/ }).focus()
  await page.keyboard.press('Enter')
  await expect(page.getByRole('textbox', { name: 'Days, in words' })).toBeHidden()
  await expect(gating).toBeHidden()
})

test('what the page of a flow run or a flow asks for first comes while its scripts do, and once', async ({ page }) => {
  await signInAs(page, 'Moira Calder')
  const { rows } = (await (await page.request.get('/api/v1/runs?limit=200')).json()) as {
    rows: { id: number; jobId: number; kind: string; state: string }[]
  }
  const run = rows.find(({ kind, state }) => kind === 'flow' && state === 'succeeded')
  // Nothing arrives by itself meanwhile.
  await page.addInitScript(() => {
    window.EventSource = class extends EventTarget {
      close(): void {}
    } as unknown as typeof EventSource
  })
  for (const [path, wanted] of [
    [`/runs/${run?.id}`, [`/runs/${run?.id}`, `/runs/${run?.id}/steps`]],
    [`/work/flows/${run?.jobId}`, [`/flows/${run?.jobId}`, '/flows/material']],
  ] as const) {
    await page.goto(path)
    await expect(page.getByRole('application').getByRole('img').first()).toBeVisible()
    const asked = await page.evaluate(() =>
      performance
        .getEntriesByType('resource')
        .filter(({ name }) => name.includes('/api/v1/'))
        .map((entry) => [new URL(entry.name).pathname, (entry as PerformanceResourceTiming).initiatorType]),
    )
    for (const each of [...wanted, '/matters', '/day'])
      expect(asked.filter(([name]) => name === `/api/v1${each}`)).toEqual([[`/api/v1${each}`, 'link']])
  }
})
