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
  await other.goto('/watch')
  await expect(other).toHaveURL(/sign-in/)
  await page.getByRole('button', { name: 'Switch Little Brack Chandlery on' }).click()
  await expect(row).not.toContainText('switched off')
  await other.goto('/watch')
  await expect(other.getByRole('heading', { name: 'Now on the machines' })).toBeVisible()
})
