import { spawn, type ChildProcess } from 'node:child_process'
import { mkdtempSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { expect, test as base, type Locator, type Page } from '@playwright/test'

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

/** Loads a page of the frame, and waits until it listens: a key pressed on what the server rendered goes nowhere. */
export async function open(page: Page, path: string): Promise<void> {
  await page.goto(path)
  await isAwake(page)
}

export async function signInAs(page: Page, name: string): Promise<void> {
  await page.goto('/sign-in')
  // Somebody may be of two organisations: the first is meant.
  await page.getByRole('button', { name }).first().click()
  await page.waitForURL('**/watch')
  await expect(page.getByRole('heading', { name: 'Now on the machines' })).toBeVisible()
  await isAwake(page)
}

/** Chooses from a list by keys. Whoever types waits until the list has the focus: before that keys go to the button. */
export async function chooseByKeys(page: Page, button: Locator, word: string): Promise<void> {
  await button.focus()
  await page.keyboard.press('Enter')
  await expect(page.locator('[role=listbox]:focus-within')).toBeVisible()
  await page.keyboard.type(word)
  await page.keyboard.press('Enter')
}

/** Enrols a real agent of this machine with the one pasted command, as an administrator does. End its whole process group. */
export async function enrolAgent(page: Page, host: string): Promise<ChildProcess> {
  await signInAs(page, 'Ines Aldaya')
  await page.getByRole('link', { name: 'Fleet' }).click()
  await page.getByRole('button', { name: 'Enrol an agent' }).click()
  await page.getByRole('checkbox', { name: 'lab' }).click({ force: true })
  await page.getByRole('button', { name: 'Make the command' }).click()
  const command = (await page.getByLabel('The command to paste').textContent()) ?? ''
  expect(command).toMatch(/^curl .* sha256sum -c .* node bugle-agent\.cjs enrol .* --run$/)
  const folder = mkdtempSync(join(tmpdir(), 'bugle-e2e-agent-'))
  const agent = spawn('sh', ['-c', `${command} --host ${host} --state ${folder}/state`], {
    cwd: folder,
    stdio: 'ignore',
    detached: true,
  })
  await expect(page.getByText('is connected.')).toBeVisible({ timeout: 20_000 })
  return agent
}

export { expect }
