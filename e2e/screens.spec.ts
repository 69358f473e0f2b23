import type { ChildProcess } from 'node:child_process'
import { enrolAgent, expect, isAwake, open, signInAs, test } from './helpers'

let agent: ChildProcess | undefined
test.afterAll(() => {
  if (agent?.pid) process.kill(-agent.pid, 'SIGKILL')
})

test('runs are filtered by tokens, sorted and paged, and the address says it all', async ({ page }) => {
  await signInAs(page, 'Callum Eads')
  await open(page, '/runs')
  await page.keyboard.press('/')
  await page.keyboard.type('failed')
  await page.keyboard.press('Enter')
  await page.waitForURL(/state=failed/)
  await expect(page.getByRole('row').nth(1).getByText('failed', { exact: true })).toBeVisible()
  await page.getByRole('button', { name: /^Took/ }).click()
  await page.waitForURL(/sort=duration/)
  const shared = page.url()
  await open(page, '/watch')
  await open(page, shared)
  await expect(page.getByText('state', { exact: true })).toBeVisible()
  await open(page, '/runs')
  const table = page.getByRole('table', { name: 'Runs' })
  await expect(table.getByRole('row')).toHaveCount(61)
  await table.getByRole('row').nth(1).focus()
  await page.keyboard.press('End')
  // Of more than are drawn at once, the table says how many there are.
  await expect
    .poll(async () => Number((await table.getAttribute('aria-rowcount')) ?? (await table.getByRole('row').count())))
    .toBeGreaterThan(100)
  await page.goBack()
  await expect(page).toHaveURL(shared)
})

test('an address that leads nowhere is said within the frame; every page has a strict policy', async ({ page }) => {
  await signInAs(page, 'Callum Eads')
  const answer = await page.goto('/nowhere/at/all')
  await expect(page.getByRole('heading', { name: 'There is no such page' })).toBeVisible()
  const policy = answer?.headers()['content-security-policy'] ?? ''
  expect(policy).toContain("default-src 'self'")
  expect(policy).toMatch(/script-src 'self' 'nonce-[^']+' 'strict-dynamic';/)
  expect(policy).toContain("frame-ancestors 'none'")
  await page.getByRole('link', { name: 'To Watch', exact: true }).click()
  await page.waitForURL(/watch/)
  await open(page, '/runs')
  await page.keyboard.press('/')
  await page.keyboard.type('failed last 7 days')
  await page.keyboard.press('Enter')
  await page.waitForURL(/state=failed.*when=last-7-days|when=last-7-days.*state=failed/)
})

test('a failure is announced on every screen, once, and reached by a key', async ({ page, browser, request }) => {
  // A machine of its own: the simulated ones may have all their slots taken for minutes.
  const admin = await browser.newContext()
  agent = await enrolAgent(await admin.newPage(), 'failing-machine')
  await admin.close()
  await signInAs(page, 'Moira Calder')
  await open(page, '/settings')
  // What stood there before the page knew of it is no news.
  await expect(page.getByText(/^(all is well|\d+ needs? a person)$/)).toBeVisible()
  const areas = (await (await page.request.get('/api/v1/areas')).json()) as { id: number }[]
  const job = await page.request.post('/api/v1/jobs', {
    data: {
      title: 'Sure to fail',
      areaId: areas[0]?.id,
      definition: {
        action: { kind: 'command', command: 'exit 3' },
        target: { agent: 'failing-machine' },
      },
    },
  })
  const { id: jobId } = (await job.json()) as { id: number }
  const { id } = (await (await page.request.post('/api/v1/runs', { data: { jobId } })).json()) as { id: number }
  await expect(page.getByText(`Sure to fail #${id} failed`, { exact: true })).toBeVisible({ timeout: 20_000 })
  await expect(page.getByText(`Sure to fail #${id} failed`, { exact: true })).toHaveCount(1)
  await page.keyboard.press('F8')
  await page.waitForURL(`**/runs/${id}`)
  await expect(page.getByText(`Sure to fail #${id} failed`, { exact: true })).toHaveCount(0)
  await open(page, '/watch')
  const card = page.getByRole('listitem').filter({ hasText: 'Sure to fail failed on failing-machine' })
  await card.getByRole('button', { name: 'Take' }).click()
  await page.getByLabel('A word for the others').fill('Calling the harbour.')
  await page.getByRole('button', { name: 'Take it' }).click()
  await expect(card.getByText('Taken by Moira Calder')).toBeVisible()
  await card.getByRole('button', { name: 'Close' }).click()
  await page.getByLabel('What was done').fill('The file came at six.')
  await page.getByRole('button', { name: 'Close it' }).click()
  await expect(card).toHaveCount(0)
  expect((await request.get('/api/v1/matters')).status()).toBe(401)
})

test('colours, keys and the day line', async ({ page }) => {
  await page.emulateMedia({ colorScheme: 'light' })
  await signInAs(page, 'Callum Eads')
  const ground = (): Promise<string> => page.evaluate(() => getComputedStyle(document.body).backgroundColor)
  expect(await ground()).toBe('rgb(246, 243, 236)')
  await page.getByRole('button', { name: 'Callum Eads, menu' }).click()
  // The colours change at once; a page that is opened anew has them once the server does.
  const kept = page.waitForResponse((response) => response.request().method() === 'PATCH' && response.ok())
  await page.getByRole('menuitem', { name: 'Night colours' }).click()
  await expect.poll(ground).toBe('rgb(15, 26, 29)')
  await kept
  await page.reload()
  await expect.poll(ground).toBe('rgb(15, 26, 29)')
  await isAwake(page)
  await page.keyboard.press('?')
  await expect(page.getByRole('dialog', { name: 'Keys' })).toBeVisible()
  await page.keyboard.press('Escape')
  const line = page.getByLabel(/^Slots used and failures in the last eight hours/)
  const box = await line.boundingBox()
  if (!box) throw new Error('no day line')
  await page.mouse.move(box.x + 60, box.y + 40)
  await page.mouse.down()
  await page.mouse.move(box.x + 220, box.y + 40, { steps: 5 })
  await page.mouse.up()
  await page.waitForURL(/\/runs\?from=.*&to=/)
  await expect(page.getByText('from', { exact: true })).toBeVisible()
})
