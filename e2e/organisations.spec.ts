import { spawnSync } from 'node:child_process'
import { expect, isAwake, open, signInAs, test } from './helpers'

test('somebody of two organisations goes over and back, and finds of each only its own', async ({ page }) => {
  await signInAs(page, 'Torvald Brekke')
  const menu = page.getByRole('button', { name: /^Torvald Brekke.*menu$/ })
  await expect(menu).toContainText('Marram Sound Ferries')
  await expect(page.getByText('kelda-app1').first()).toBeVisible()
  await menu.click()
  await page.getByRole('menuitem', { name: 'Go over to Stavin Yard' }).click()
  await expect(menu).toContainText('Stavin Yard')
  await isAwake(page)
  await open(page, '/work')
  await expect(page.getByRole('link', { name: 'Water in the dock', exact: true })).toBeVisible()
  await expect(page.getByText('Till file')).toHaveCount(0)
  await page.keyboard.press('Control+k')
  await page.getByRole('combobox', { name: 'What to find or do' }).fill('Till')
  await expect(page.getByRole('option', { name: /Till file/ })).toHaveCount(0)
  await page.keyboard.press('Escape')
  // A job of the ferries by its number is not there.
  expect((await page.request.get('/api/v1/jobs/30')).status()).toBe(404)
  await menu.click()
  await page.getByRole('menuitem', { name: 'Go over to Marram Sound Ferries' }).click()
  await expect(menu).toContainText('Marram Sound Ferries')
})

test('whoever looks after the server makes an organisation, whose first administrator begins with nothing', async ({
  page,
  browser,
}) => {
  await signInAs(page, 'Ines Aldaya')
  await open(page, '/settings?tab=organisations')
  await page.getByRole('button', { name: 'New organisation' }).click()
  await page.getByLabel('Name', { exact: true }).fill('stavin yard')
  await page.getByRole('button', { name: 'Make it' }).click()
  await expect(page.getByText('There is an organisation of this name already.')).toBeVisible()
  await page.getByLabel('Name', { exact: true }).fill('Little Brack Chandlery')
  await page.getByRole('button', { name: 'Make it' }).click()
  const address = (await page.getByText(/\/sign-in#first\d+_/).textContent()) ?? ''
  const row = page.getByRole('row', { name: /^Little Brack Chandlery/ })
  await expect(row).toContainText('nobody yet')

  const other = await (await browser.newContext()).newPage()
  await other.goto(address)
  await expect(other.getByText('Be the first administrator of a new organisation')).toBeVisible()
  await other.getByLabel('Your name').fill('Una Marwick')
  await other.getByLabel('E-mail').fill('una@chandlery.example')
  await other.getByLabel('Password').fill('rope and tallow and tar')
  await other.getByRole('button', { name: 'Begin' }).click()
  await expect(other.getByRole('heading', { name: 'First steps' })).toBeVisible()
  await open(other, '/fleet')
  await expect(other.getByText('kelda-app1')).toHaveCount(0)
  await open(other, '/settings')
  await expect(other.getByRole('tab', { name: 'Organisations' })).toHaveCount(0)

  // Switched off, its people are signed out; on again, they come back.
  await page.getByRole('button', { name: 'Switch Little Brack Chandlery off' }).click()
  await page.getByRole('button', { name: 'Switch it off' }).click()
  await expect(row).toContainText('switched off')
  // In a page of its own: one that is open leaves by itself once it is told, and two ways at once are none.
  const away = await other.context().newPage()
  await other.close()
  await away.goto('/watch')
  await expect(away).toHaveURL(/sign-in/)
  await page.getByRole('button', { name: 'Switch Little Brack Chandlery on' }).click()
  await expect(row).not.toContainText('switched off')
  const back = await away.context().newPage()
  await back.goto('/watch')
  await expect(back.getByRole('heading', { name: 'Now on the machines' })).toBeVisible()
})

/** A command on the server’s own machine. */
function bugle(args: readonly string[], input = ''): { status: number | null; said: unknown; error: string } {
  const done = spawnSync(process.execPath, ['dist/bugle.cjs', ...args], { input, encoding: 'utf8' })
  return { status: done.status, said: done.status === 0 ? JSON.parse(done.stdout) : null, error: done.stderr }
}

test('commands on the server make an organisation, and work for the one that they name', async ({ page }) => {
  const name = 'Tarn Head Pilots'
  const made = bugle(['organisation', 'make', '--name', name])
  expect(made.said).toMatchObject({ code: expect.stringMatching(/^first\d+_/) as unknown })
  expect(bugle(['organisation', 'make', '--name', name])).toMatchObject({ status: 2 })
  expect(bugle(['organisations']).said).toEqual(
    expect.arrayContaining([expect.objectContaining({ title: name, people: 0 })]),
  )
  const who = ['--email', 'signe@pilots.example', '--organisation', 'tarn head pilots']
  expect(bugle(['admin', 'create', '--name', 'Signe Moe', ...who], 'a lantern on the headland\n').status).toBe(0)
  expect(bugle(['setup-code', '--organisation', name]).said).toEqual({ code: null })
  expect(bugle(['enrolment-key', '--organisation', name]).said).toMatchObject({
    key: expect.stringMatching(/^bgk\d+_/) as unknown,
  })
  expect(bugle(['server-administrator', ...who]).status).toBe(0)
  const nobody = bugle(['password', '--email', 'signe@pilots.example'], 'x\n')
  expect([nobody.status, nobody.error]).toEqual([2, 'There is nobody with the address signe@pilots.example.\n'])
  expect(bugle(['setup-code', '--organisation', 'Nowhere'])).toMatchObject({
    status: 2,
    error: expect.stringContaining('There is no organisation Nowhere on this server') as unknown,
  })
  await page.goto('/sign-in')
  await page.getByLabel('E-mail').fill('signe@pilots.example')
  await page.getByLabel('Password').fill('a lantern on the headland')
  await page.getByRole('button', { name: 'Sign in', exact: true }).click()
  await isAwake(page)
  await open(page, '/settings?tab=organisations')
  await expect(page.getByRole('row', { name: /^Tarn Head Pilots/ })).toContainText('yours')
})
