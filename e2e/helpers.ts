import { expect, test as base, type Page } from '@playwright/test'

/** Every test fails on an error in the browser’s console: a policy violation, a missing file, a crash. */
export const test = base.extend<{ page: Page }>({
  page: async ({ page }, run) => {
    const errors: string[] = []
    page.on('console', (message) => {
      if (message.type() === 'error' && !message.text().includes('status of 4')) errors.push(message.text())
    })
    page.on('pageerror', (error) => errors.push(String(error)))
    await run(page)
    expect(errors).toEqual([])
  },
})

/** The page listens to keys: times appear with its first breath in the browser, what the server rendered has none. */
export async function isAwake(page: Page): Promise<void> {
  await expect(page.getByTitle(/^Times are shown in/)).toBeVisible()
}

export async function signInAs(page: Page, name: string): Promise<void> {
  await page.goto('/sign-in')
  await page.getByRole('button', { name }).click()
  await page.waitForURL('**/watch')
  await expect(page.getByRole('heading', { name: 'Now on the machines' })).toBeVisible()
  await isAwake(page)
}

export { expect }
