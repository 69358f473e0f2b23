import { readFileSync } from 'node:fs'
import { expect, open, signInAs, test } from './helpers'

test('a report is kept, made, leads to exactly its rows, and is taken away as PDF and CSV', async ({ page }) => {
  await signInAs(page, 'Ines Aldaya')
  await open(page, '/reports?new=1')
  const dialog = page.getByRole('dialog', { name: 'New report' })
  await dialog.getByRole('textbox', { name: 'Title' }).fill('Two days that are over')
  await dialog.getByRole('button', { name: /Period/ }).click()
  await page.getByRole('option', { name: 'from a day to a day …' }).click()
  // Days on which nothing goes on any more: what a figure says is still there when its rows are counted.
  for (const [field, daysAgo] of [
    ['From', 4],
    ['To', 3],
  ] as const) {
    const day = new Date(Date.now() - daysAgo * 86_400_000).toISOString().slice(0, 10).split('-')
    const segments = dialog.getByRole('group', { name: field, exact: true }).getByRole('spinbutton')
    for (const [i, digits] of day.entries()) {
      await segments.nth(i).click()
      await page.keyboard.type(digits)
    }
  }
  await dialog.getByRole('button', { name: 'Keep it' }).click()
  await page.waitForURL(/\/reports\/\d+$/)
  await page.getByRole('button', { name: 'Make it now' }).first().click()
  await expect(page.getByRole('heading', { name: 'By day', exact: true }).first()).toBeVisible({ timeout: 60_000 })
  const address = page.url()

  // Every figure that leads to runs: as many are there as it says.
  const links = await page.locator('a[href^="/runs?"]').evaluateAll((all) =>
    all.map((link) => ({
      href: link.getAttribute('href') ?? '',
      says: Number((link.textContent ?? '').replaceAll(',', '')),
    })),
  )
  expect(links.length).toBeGreaterThan(20)
  const wrong: string[] = []
  for (const { href, says } of links) {
    const query = href.slice('/runs?'.length)
    const file = await page.request.get(`/api/v1/exports?list=runs&format=jsonl&columns=number&${query}`)
    const rows = (await file.text()).split('\n').filter(Boolean).length
    if (rows !== says) wrong.push(`${href} says ${says} and shows ${rows}`)
  }
  expect(wrong).toEqual([])
  // And the screen shows what the file has.
  const few = links.find(({ says }) => says > 0 && says <= 50)
  if (!few) throw new Error('No figure of the report is small enough to be counted on the screen.')
  await open(page, few.href)
  await expect(page.getByRole('table', { name: 'Runs' }).getByRole('row')).toHaveCount(few.says + 1)
  await page.getByRole('button', { name: 'Export' }).click()
  await page.getByRole('button', { name: /As$/ }).click()
  await page.getByRole('option', { name: 'CSV (RFC 4180)' }).click()
  const exported = page.waitForEvent('download')
  await page.getByRole('button', { name: 'Write the file' }).click()
  const csv = readFileSync(await (await exported).path(), 'utf8')
  expect(csv.split('\r\n').filter((line) => /^\d+,/.test(line))).toHaveLength(few.says)

  await open(page, address)
  const download = page.waitForEvent('download')
  await page.getByRole('link', { name: 'PDF' }).click()
  expect(
    readFileSync(await (await download).path())
      .subarray(0, 5)
      .toString(),
  ).toBe('%PDF-')
  await page.getByRole('button', { name: 'Remove' }).click()
  await page.getByRole('dialog').getByRole('button', { name: 'Remove' }).click()
  await page.waitForURL(/\/reports$/)
  await expect(page.getByText('Two days that are over')).toHaveCount(0)
})
