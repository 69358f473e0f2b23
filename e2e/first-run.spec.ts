import { spawn, type ChildProcess } from 'node:child_process'
import { mkdtempSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { expect, signInAs, test } from './helpers'

let agent: ChildProcess | undefined
test.afterAll(() => {
  if (agent?.pid) process.kill(-agent.pid, 'SIGKILL')
})

test.describe.configure({ mode: 'serial' })

test('an agent is enrolled with one pasted command and appears by itself', async ({ page }) => {
  await signInAs(page, 'Ines Aldaya')
  await page.getByRole('link', { name: 'Fleet' }).click()
  await page.getByRole('button', { name: 'Enrol an agent' }).click()
  await page.getByRole('checkbox', { name: 'lab' }).click({ force: true })
  await page.getByRole('button', { name: 'Make the command' }).click()
  const command = (await page.getByLabel('The command to paste').textContent()) ?? ''
  expect(command).toMatch(/^curl .* sha256sum -c .* node bugle-agent\.cjs enrol .* --run$/)
  const folder = mkdtempSync(join(tmpdir(), 'bugle-e2e-agent-'))
  agent = spawn('sh', ['-c', `${command} --host e2e-machine --state ${folder}/state`], {
    cwd: folder,
    stdio: 'ignore',
    detached: true,
  })
  await expect(page.getByText('is connected.')).toBeVisible({ timeout: 20_000 })
  await page.getByRole('listitem').getByRole('link', { name: 'e2e-machine' }).click()
  await expect(page.getByRole('heading', { name: 'e2e-machine' })).toBeVisible()
  await expect(page.getByText('enrolled', { exact: true }).first()).toBeVisible()
})

test('a job is written, started, seen to fail, understood, mended and run again, without a mouse', async ({ page }) => {
  await signInAs(page, 'Moira Calder')
  await page.keyboard.press('Control+k')
  await page.keyboard.type('new job')
  await page.keyboard.press('Enter')
  await page.waitForURL('**/work/jobs/new')
  await page.getByLabel('Title').focus()
  await page.keyboard.type('Count the gulls')
  // Saving too early says what is missing, at its place.
  await page.getByRole('button', { name: 'Save' }).focus()
  await page.keyboard.press('Enter')
  await expect(page.getByText('Write what is to be done.')).toBeVisible()
  await page.getByRole('textbox', { name: 'Command line' }).focus()
  await page.keyboard.type('echo "gulls on ${quay}: 41"; echo "no tide table" >&2; exit 3')
  await page.getByRole('button', { name: 'Choose a pool' }).focus()
  await page.keyboard.press('Enter')
  await page.keyboard.type('lab')
  await page.keyboard.press('Enter')
  await expect(page.getByText('1 agent fits: e2e-machine')).toBeVisible()
  await page.getByRole('button', { name: 'Add an input' }).focus()
  await page.keyboard.press('Enter')
  await page.getByLabel('name', { exact: true }).focus()
  await page.keyboard.press('Control+a')
  await page.keyboard.type('quay')
  await page.getByRole('button', { name: 'Save' }).focus()
  await page.keyboard.press('Enter')
  await page.waitForURL(/\/work\/jobs\/\d+$/)

  await page.getByRole('button', { name: 'Start Count the gulls' }).focus()
  await page.keyboard.press('Enter')
  await page.getByRole('textbox', { name: 'quay' }).focus()
  await page.keyboard.type("it's; $(reboot)")
  await page.keyboard.press('Enter')
  await page.waitForURL(/\/runs\/\d+$/)
  await expect(page.getByText('failed', { exact: true })).toBeVisible()
  await expect(page.getByText('Exit code 3; success is 0.').first()).toBeVisible()
  await expect(page.getByText("gulls on it's; $(reboot): 41")).toBeVisible()
  await expect(page.getByText('no tide table')).toBeVisible()

  await page.getByRole('tab', { name: 'Output' }).focus()
  await page.keyboard.press('ArrowRight')
  await expect(page.getByText('to repeat it by hand on e2e-machine')).toBeVisible()
  await page.getByRole('button', { name: 'The job' }).focus()
  await page.keyboard.press('Enter')
  await page.getByRole('textbox', { name: 'Command line' }).focus()
  await page.keyboard.press('Control+a')
  await page.keyboard.type('echo "gulls on ${quay}: 41"')
  await page.getByRole('button', { name: 'Save' }).focus()
  await page.keyboard.press('Enter')
  await expect(page.getByText('version 2, saved by you')).toBeVisible()

  await page.keyboard.press('Control+k')
  await page.keyboard.type('failed runs')
  await page.keyboard.press('Enter')
  await page.waitForURL('**/runs?state=**')
  await page.getByRole('row', { name: /Count the gulls/ }).focus()
  await page.keyboard.press('Enter')
  await page.getByRole('button', { name: 'Run again', exact: true }).focus()
  await page.keyboard.press('Enter')
  await expect(page.getByText('succeeded', { exact: true })).toBeVisible()
  await expect(page.getByText('again of #')).toBeVisible()
})

test('output arrives while it runs, is searched on the server, and a stop ends it', async ({ page }) => {
  await signInAs(page, 'Moira Calder')
  await page.goto('/work/jobs/new')
  await page.getByLabel('Title').fill('Ring the bell')
  await page
    .getByRole('textbox', { name: 'Command line' })
    .fill('seq 1 5000; for i in $(seq 1 600); do echo "bell $i"; sleep 0.1; done')
  await page.getByRole('button', { name: 'Choose a pool' }).click()
  await page.getByRole('option', { name: 'lab' }).click()
  await page.getByRole('button', { name: 'Save' }).click()
  await page.waitForURL(/\/work\/jobs\/\d+$/)
  await page.getByRole('button', { name: 'Start Ring the bell' }).click()
  await page.getByRole('button', { name: 'Start now' }).click()
  await page.waitForURL(/\/runs\/\d+$/)
  await expect(page.getByText('bell 12')).toBeVisible({ timeout: 15_000 })
  await page.getByLabel('Find in the output').fill('2718')
  await expect(page.getByText('1 of 1')).toBeVisible()
  await expect(page.locator('mark', { hasText: '2718' })).toBeVisible()
  await page.getByRole('button', { name: 'Stop' }).click()
  await page.getByRole('button', { name: 'Stop it' }).click()
  await expect(page.getByText('cancelled', { exact: true })).toBeVisible({ timeout: 15_000 })
  await expect(page.getByText('Stopped by a person.').first()).toBeVisible()
})
