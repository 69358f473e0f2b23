import type { Page } from '@playwright/test'
import { expect, open, signInAs, test } from './helpers'

const NIGHT = '/tuning?from=2027-03-09T18:00:00Z&hours=15'
/** More stops than this has no screen of Tuning. */
const MOST_STOPS = 120

/** What a person hears of the place that has the focus. */
const focused = (page: Page): Promise<string> =>
  page.evaluate(() => {
    const at = document.activeElement
    if (at === document.body) return 'nothing'
    const by = (at?.getAttribute('aria-labelledby') ?? '')
      .split(' ')
      .map((id) => document.getElementById(id)?.textContent)
    return at?.getAttribute('aria-label') ?? at?.closest('label')?.textContent ?? `${at?.textContent}${by.join(' ')}`
  })

/** Goes from stop to stop by Tab until the one that is called so. */
async function tabTo(page: Page, name: RegExp, key: 'Tab' | 'Shift+Tab' = 'Tab'): Promise<void> {
  const passed: string[] = []
  for (let i = 0; i < MOST_STOPS; i++) {
    await page.keyboard.press(key)
    const here = await focused(page)
    if (name.test(here)) return
    passed.push(here)
  }
  throw new Error(`No stop is called ${name}: ${passed.join(' | ')}`)
}
const goTo = async (page: Page, tab: RegExp): Promise<void> => {
  await tabTo(page, tab, 'Shift+Tab')
  await page.keyboard.press('Enter')
}

test('the night is looked at, tried and evened out by keyboard alone', async ({ page }) => {
  test.setTimeout(180_000)
  await signInAs(page, 'Moira Calder')
  await open(page, NIGHT)
  await expect(page.getByText(/\d runs forecast · 200 samples/)).toBeVisible({ timeout: 30_000 })

  // Load: a start is moved within its window, and everything follows.
  await tabTo(page, /^data: at most \d+ of 2 slots/)
  await page.keyboard.press('Enter')
  await tabTo(page, /^Start of Backup of the bookings/)
  await page.keyboard.press('PageUp')
  await page.keyboard.press('ArrowLeft')
  const start = page.getByRole('slider', { name: 'Start of Backup of the bookings' })
  await expect(start).toHaveAttribute('aria-valuetext', /^01:25 \(−35 min\), was 02:00$/)
  await expect(page.getByText('slots in demand above what there is').locator('..')).toContainText('now')
  await page.keyboard.press('Home')
  await expect(start).toHaveAttribute('aria-valuetext', '02:00, was 02:00')

  // Deadlines: the chain that decides one is opened from its row.
  await goTo(page, /^Deadlines$/)
  const deadlines = page.getByRole('table', { name: /^Deadlines/ })
  await expect(deadlines).toBeVisible()
  await tabTo(page, /\d\d:\d\d.*%/)
  await page.keyboard.press('Enter')
  await expect(page).toHaveURL(/deadline=/)

  // Proposals: what is left out is not made; what is made can be undone.
  await goTo(page, /^Proposals$/)
  const take = page.getByRole('button', { name: /^Take over \d+ chosen moves?$/ })
  await expect(page.getByText(/^(best possible, after|searched) \d+ s$/)).toBeVisible({ timeout: 60_000 })
  const proposed = Number(/\d+/.exec((await take.textContent()) ?? '')?.[0])
  expect(proposed).toBeGreaterThan(0)
  await tabTo(page, /^Take over/)
  await page.keyboard.press('Enter')
  const kept = page.getByRole('table', { name: 'Proposals that were taken over' })
  await expect(kept.getByText('Moira Calder')).toBeVisible()
  await tabTo(page, /^Undo$/, 'Shift+Tab')
  await page.keyboard.press('Enter')
  await expect(kept.getByText(/^undone by Moira Calder/)).toBeVisible()

  // What if: a change in words, played beside what stands.
  await goTo(page, /^What if$/)
  const changes = page.getByRole('complementary', { name: 'Changes' })
  await expect(changes).toBeVisible()
  await tabTo(page, /^Add it$/)
  await page.keyboard.press('Enter')
  await expect(changes.getByRole('button', { name: /^Without: .* 02:30/ })).toBeVisible()
  await expect(page.getByText('runs that move').locator('..')).toContainText(/\d/)
  await tabTo(page, /^Without:/, 'Shift+Tab')
  await page.keyboard.press('Enter')
  await expect(changes.getByText('Add a change: nothing happens to anything that runs.')).toBeVisible()
})
