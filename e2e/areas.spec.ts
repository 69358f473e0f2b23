import { expect, open, signInAs, test } from './helpers'

test('an area is made within another, given members and closed; whoever is no member sees nothing of it', async ({
  page,
}) => {
  await signInAs(page, 'Ines Aldaya')
  await open(page, '/work')
  const shelf = page.getByRole('navigation', { name: 'Areas of work' })
  await shelf.getByRole('link', { name: /^Sailing/ }).click()
  await shelf.getByRole('button', { name: 'New' }).click()
  await page.getByRole('textbox', { name: 'Title' }).fill('Winter moorings')
  await page.getByRole('dialog').getByRole('button', { name: 'Add' }).click()
  await expect(page.getByRole('heading', { name: 'Sailing / Winter moorings' })).toBeVisible()
  await page.getByRole('button', { name: 'New job' }).first().click()
  await page.getByLabel('Title').fill('Count the buoys')
  await page.getByRole('textbox', { name: 'Command line' }).fill('true')
  await page.getByRole('button', { name: 'Choose a pool' }).click()
  await page.getByRole('option', { name: 'lab' }).click()
  await page.getByRole('button', { name: 'Save' }).click()
  await page.waitForURL(/\/work\/jobs\/\d+$/)
  const job = new URL(page.url()).pathname
  await open(page, '/work')
  await shelf.getByRole('link', { name: /Winter moorings/ }).click()
  await page.getByRole('button', { name: 'Area', exact: true }).click()
  const dialog = page.getByRole('dialog')
  await dialog.getByRole('button', { name: /Add a member/ }).click()
  await page.getByRole('option', { name: 'Night desk (group)' }).click()
  await dialog.getByText('open: roles and members').click()
  const told = dialog.getByRole('status', { name: 'What changes for whom' })
  await expect(told.getByText('Petra Flett: see → none on Sailing / Winter moorings')).toBeVisible()
  await expect(told.getByText('Sunniva Dahl: operate → see')).toBeVisible()
  await dialog.getByRole('button', { name: 'Save' }).click()
  await expect(dialog).toHaveCount(0)
  await page.getByRole('button', { name: 'Who may …?' }).click()
  await expect(
    page.getByRole('dialog').getByText('group Night desk on Sailing / Winter moorings').first(),
  ).toBeVisible()

  await signInAs(page, 'Petra Flett')
  await open(page, '/work')
  await expect(shelf.getByRole('link', { name: /^Sailing/ })).toBeVisible()
  await expect(shelf.getByRole('link', { name: /Winter moorings/ })).toHaveCount(0)
  await open(page, job)
  await expect(page.getByText(/There is no job \d+/)).toBeVisible()

  await signInAs(page, 'Sunniva Dahl')
  await open(page, job)
  await expect(page.getByText('You may see here; it takes design.')).toBeVisible()
})

test('somebody without a role sees the areas that they are a member of, and nothing else', async ({ page }) => {
  await signInAs(page, 'Wren Halloran')
  await open(page, '/work')
  const shelf = page.getByRole('navigation', { name: 'Areas of work' })
  await expect(shelf.getByRole('link')).toHaveText([/^All work/, /^Refund desk/])
  await expect(page.getByRole('link', { name: 'Fleet' })).toHaveCount(0)
  await open(page, '/runs')
  const rows = page.getByRole('table', { name: 'Runs' }).getByRole('row')
  await expect(rows.nth(1)).toContainText('Refund desk')
  const titles = await rows.allTextContents()
  expect(titles.length).toBeGreaterThan(3)
  expect(titles.slice(1).every((row) => row.includes('Refund desk'))).toBe(true)
})
