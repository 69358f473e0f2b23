import { expect, open, signInAs, test } from './helpers'

test('a viewer sees everything and is told why nothing can be changed', async ({ page }) => {
  await signInAs(page, 'Petra Flett')
  await open(page, '/work')
  const start = page.getByRole('button', { name: /^Start / }).first()
  await start.focus()
  await expect(page.getByRole('tooltip')).toContainText(
    'Your role may not start, stop or switch work; it takes an operator.',
  )
  await open(page, '/settings?tab=audit')
  await expect(page.getByRole('tab', { name: 'Audit' })).toHaveCount(0)
  const answer = await page.request.post('/api/v1/areas', { data: { title: 'x' } })
  expect(answer.status()).toBe(403)
})

test('wrong passwords are told, and the demo’s people have none', async ({ page }) => {
  await page.goto('/sign-in')
  await page.getByLabel('E-mail').fill('ines.aldaya@marram.example')
  await page.getByLabel('Password').fill('whatever it is')
  await page.getByRole('button', { name: 'Sign in' }).click()
  await expect(page.getByRole('alert').getByText('E-mail or password is wrong')).toBeVisible()
})

test('a page asked for before signing in is shown after it, and only a page of ours', async ({ page }) => {
  await page.goto('/sign-in?to=//elsewhere.example/')
  await page.getByRole('button', { name: 'Sunniva Dahl' }).click()
  await page.waitForURL('**/watch')
})

test('an access token is shown once and ends when revoked', async ({ page, request }) => {
  await signInAs(page, 'Sunniva Dahl')
  await open(page, '/settings')
  await page.getByLabel('What it is for').fill('nightly report')
  await page.getByRole('button', { name: 'Make' }).click()
  const token = (await page.getByText(/^bgt_/).textContent()) ?? ''
  const headers = { authorization: `Bearer ${token}` }
  expect((await request.get('/api/v1/me', { headers })).status()).toBe(200)
  await page
    .getByRole('row', { name: /nightly report/ })
    .getByRole('button', { name: 'Revoke' })
    .click()
  await expect(page.getByRole('row', { name: /nightly report/ }).getByText('revoked')).toBeVisible()
  expect((await request.get('/api/v1/me', { headers })).status()).toBe(401)
})

test('two people save one job: the second is told and shown both', async ({ page, browser }) => {
  await signInAs(page, 'Moira Calder')
  await open(page, '/work?text=crew')
  await page.getByRole('link', { name: 'Crew rosters', exact: true }).click()
  await expect(page.getByLabel('Notes')).toBeVisible()
  const other = await (await browser.newContext()).newPage()
  await signInAs(other, 'Torvald Brekke')
  await other.goto(page.url())
  await other.getByLabel('Notes').fill('Rest times are checked since May.')
  await other.getByRole('button', { name: 'Save' }).click()
  await expect(other.getByText('version 2, saved by you')).toBeVisible()
  await page.getByLabel('Notes').fill('Ask the purser.')
  await page.getByRole('button', { name: 'Save' }).click()
  await expect(page.getByText('Torvald Brekke saved this job while you were changing it')).toBeVisible()
  await expect(page.getByText('Rest times are checked since May.')).toBeVisible()
  await page.getByRole('button', { name: 'Save mine over it' }).click()
  await expect(page.getByText('version 3, saved by you')).toBeVisible()
  await other.context().close()
})

test('unsaved changes are asked about before leaving', async ({ page }) => {
  await signInAs(page, 'Moira Calder')
  await open(page, '/work?text=tide')
  await page.getByRole('link', { name: 'Tide tables', exact: true }).click()
  await page.getByLabel('Notes').fill('not saved')
  // The browser's own Back cannot be asked about: what was written is kept.
  await page.goBack()
  await page.getByRole('link', { name: 'Tide tables', exact: true }).click()
  await expect(page.getByText('What you had written is back.')).toBeVisible()
  await expect(page.getByLabel('Notes')).toHaveValue('not saved')
  await page.getByRole('button', { name: 'Go back to what is saved' }).click()
  await expect(page.getByLabel('Notes')).not.toHaveValue('not saved')
  await page.getByLabel('Notes').fill('not saved')
  page.once('dialog', (dialog) => void dialog.dismiss())
  await page.getByRole('link', { name: 'Runs', exact: true }).click()
  await expect(page.getByLabel('Notes')).toHaveValue('not saved')
  page.once('dialog', (dialog) => void dialog.accept())
  await page.getByRole('link', { name: 'Runs', exact: true }).click()
  await page.waitForURL('**/runs')
})

test('somebody comes in by the harbour office’s own sign-in, and signs out there, too', async ({ page }) => {
  await page.goto('/sign-in?to=/runs')
  await page.getByRole('link', { name: 'Sign in with the harbour office' }).click()
  await page.getByRole('button', { name: 'Una Sinclair' }).click()
  await page.waitForURL('**/runs')
  const menu = page.getByRole('button', { name: 'Una Sinclair, menu' })
  await expect(menu).toBeVisible()
  // Her group there is the Night desk here, which operates the closed Refund desk.
  const me = (await (await page.request.get('/api/v1/me')).json()) as { role: string; areas: { granted: string } }
  expect([me.role, me.areas.granted]).toEqual(['viewer', 'operate'])
  await menu.click()
  await page.getByRole('menuitem', { name: 'Sign out' }).click()
  await page.getByRole('button', { name: 'Sign out' }).click()
  await page.waitForURL('**/sign-in')
  // What was good once is good no more.
  await page.goto('/api/sign-in/back?state=bgo_made-up&code=x')
  await expect(page.getByText('That sign-in is over, or was begun in another browser.')).toBeVisible()
})
