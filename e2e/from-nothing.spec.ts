import { spawn, type ChildProcess } from 'node:child_process'
import { mkdtempSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { FIRST_PERSON, startEmpty } from './empty'
import { expect, isAwake, open, test } from './helpers'

const MOST_ACTIONS = 12

let agent: ChildProcess | undefined
let bugle: Awaited<ReturnType<typeof startEmpty>> | undefined
test.beforeAll(async () => {
  test.setTimeout(180_000)
  bugle = await startEmpty('from_nothing')
})
test.afterAll(async () => {
  if (agent?.pid) process.kill(-agent.pid, 'SIGKILL')
  await bugle?.stop()
})

test('from nothing to a first run that a schedule started', async ({ page }) => {
  // The minute that the schedule waits for is part of it.
  test.setTimeout(300_000)
  const url = bugle?.url as string
  await page.goto(`${url}/sign-in`)
  await page.getByLabel('E-mail').fill(FIRST_PERSON.email)
  await page.getByLabel('Password').fill(FIRST_PERSON.password)
  await page.getByRole('button', { name: 'Sign in' }).click()
  // A new server begins with what it needs; each step ticks itself.
  await page.waitForURL('**/start')
  const steps = page.getByRole('listitem').filter({ has: page.getByLabel(/^(done|to do)$/) })
  await expect(steps).toHaveCount(7)
  await expect(page.getByLabel('done')).toHaveCount(0)
  await page.getByRole('link', { name: 'Watch' }).first().click()
  await page.waitForURL('**/watch')
  await isAwake(page)

  let actions = 0
  /** A click, a field filled in, a command pasted. */
  const act = async (what: Promise<unknown> | (() => Promise<unknown>)): Promise<void> => {
    actions++
    await (typeof what === 'function' ? what() : what)
  }
  await act(page.getByRole('link', { name: 'Enrol an agent' }).click())
  await act(page.getByRole('button', { name: 'Make the command' }).click())
  await act(async () => {
    const command = (await page.getByLabel('The command to paste').textContent()) ?? ''
    const folder = mkdtempSync(join(tmpdir(), 'bugle-e2e-agent-'))
    agent = spawn('sh', ['-c', `${command} --host first-machine --state ${folder}/state`], {
      cwd: folder,
      stdio: 'ignore',
      detached: true,
    })
    await expect(page.getByText('is connected.')).toBeVisible({ timeout: 20_000 })
  })
  await act(page.getByRole('link', { name: 'Write a job for it' }).click())
  await act(page.getByLabel('Title').fill('Count the gulls'))
  await act(page.getByRole('textbox', { name: 'Command line' }).fill('echo 41 gulls'))
  await act(async () => {
    await page.getByRole('textbox', { name: 'Name of the new area' }).fill('Shore')
    await page.keyboard.press('Enter')
    // It is made on the server; until it is there the job lies nowhere, and is not saved.
    await expect(page.getByRole('button', { name: /^Shore/ })).toBeVisible()
  })
  await expect(page.getByText('1 agent fits: first-machine')).toBeVisible()
  await act(page.getByRole('button', { name: 'Save' }).click())
  await page.waitForURL(/\/work\/jobs\/\d+$/)
  await act(page.getByRole('link', { name: 'Start it by itself' }).click())
  await page.waitForURL(/\/timing\/triggers\/new/)
  await act(page.getByLabel('In words').fill('every minute'))
  await act(page.getByRole('button', { name: 'Save' }).click())
  await page.waitForURL(/\/timing\/triggers\/\d+/)
  expect(actions).toBeLessThanOrEqual(MOST_ACTIONS)

  await open(page, `${url}/runs`)
  await expect(
    page.getByRole('row', { name: /Count the gulls.*succeeded|succeeded.*Count the gulls/ }).first(),
  ).toBeVisible({
    timeout: 90_000,
  })
})
