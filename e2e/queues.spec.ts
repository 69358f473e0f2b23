import { userInfo } from 'node:os'
import type { ChildProcess } from 'node:child_process'
import { enrolAgent, expect, open, signInAs, test } from './helpers'

let agent: ChildProcess | undefined
test.afterAll(() => {
  if (agent?.pid) process.kill(-agent.pid, 'SIGKILL')
})

test('from a pasted command to a robot that works an item of a queue off', async ({ page }) => {
  agent = await enrolAgent(page, 'desk-nine')
  await page.getByRole('link', { name: 'Register a robot on it' }).click()
  const robot = page.getByRole('dialog', { name: 'Register a robot' })
  await robot.getByRole('textbox', { name: 'Name', exact: true }).fill('desk9')
  await expect(robot.getByRole('button', { name: /desk-nine/ })).toBeVisible()
  await robot.getByRole('textbox', { name: 'User name on that machine' }).fill(userInfo().username)
  await robot.getByRole('button', { name: 'Register it' }).click()
  await page.waitForURL(/\/fleet\/robots\/\d+$/)
  // Each step looks whether it is right: the sign-in is tried on that machine.
  await expect(page.getByText(/^works,/)).toBeVisible({ timeout: 20_000 })
  await expect(page.getByText('ready', { exact: true })).toBeVisible()

  await open(page, '/work/queues?new=1')
  const queue = page.getByRole('dialog', { name: 'New queue' })
  await queue.getByRole('textbox', { name: 'Title' }).fill('Lost keys')
  await queue.getByRole('button', { name: /Area/ }).click()
  await page.getByRole('option', { name: 'Housekeeping' }).click()
  await queue
    .getByRole('textbox', { name: /JSON Schema/ })
    .fill('{"type": "object", "required": ["ship"], "properties": {"ship": {"type": "string", "minLength": 3}}}')
  await queue.getByRole('button', { name: 'Make it' }).click()
  await expect(page.getByRole('heading', { name: 'Lost keys' })).toBeVisible()
  const address = page.url()
  const add = async (ship: string): Promise<void> => {
    await page.getByRole('button', { name: 'Add an item' }).click()
    const dialog = page.getByRole('dialog', { name: 'Add an item to Lost keys' })
    await dialog.getByRole('textbox', { name: 'Key' }).fill('K-1')
    await dialog.getByRole('textbox', { name: 'ship' }).fill('T')
    await dialog.getByRole('button', { name: 'Add it' }).click()
    await expect(dialog.getByText(/must NOT have fewer than 3 characters/)).toBeVisible()
    await dialog.getByRole('textbox', { name: 'ship' }).fill(ship)
    await dialog.getByRole('button', { name: 'Add it' }).click()
    await expect(dialog).toHaveCount(0)
  }
  await add('Tern')
  await expect(page.getByRole('row', { name: /K-1.*waiting.*Tern/ })).toBeVisible()

  await open(page, '/work/jobs/new?robot=desk9')
  await page.getByLabel('Title').fill('Look for keys')
  await page
    .getByRole('textbox', { name: 'Command line' })
    .fill(
      'got=$("$BUGLE_AGENT" item take lost-keys) && echo "$got" && "$BUGLE_AGENT" item reject $(echo "$got" | tr -dc 0-9, | cut -d, -f1) --why "none aboard"',
    )
  await page.getByRole('button', { name: /in area/ }).click()
  await page.getByRole('option', { name: 'Housekeeping' }).click()
  await page
    .getByRole('region', { name: 'Work queues' })
    .getByRole('checkbox', { name: 'Lost keys' })
    .first()
    .click({ force: true })
  await expect(page.getByText('1 robot fits: desk9')).toBeVisible()
  await page.getByRole('button', { name: 'Save' }).click()
  await page.waitForURL(/\/work\/jobs\/\d+$/)
  await page.getByRole('button', { name: 'Start Look for keys' }).click()
  await page.getByRole('button', { name: 'Start now' }).click()
  await expect(page.getByText('desk9').first()).toBeVisible()

  await open(page, address)
  const row = page.getByRole('row', { name: /K-1.*rejected/ })
  await expect(row).toBeVisible({ timeout: 20_000 })
  await row.getByText('K-1').click()
  const item = page.getByRole('region', { name: 'The item' })
  await expect(item.getByText('“none aboard”')).toBeVisible()
  await expect(item.getByText(/taken by desk9: none aboard/)).toBeVisible()
  await item.getByRole('button', { name: 'Mend and put back' }).click()
  await item.getByRole('textbox', { name: 'ship' }).fill('Petrel')
  await item.getByRole('button', { name: 'Put back' }).click()
  await expect(page.getByRole('row', { name: /K-1.*waiting.*Petrel/ })).toBeVisible()
})

test('a queue in a closed area is not there for whoever is no member', async ({ page }) => {
  await signInAs(page, 'Petra Flett')
  await open(page, '/work/queues')
  await expect(page.getByRole('heading', { name: 'Queues' })).toBeVisible()
  await expect(page.getByText('No work queue yet').or(page.getByRole('row').nth(1)).first()).toBeVisible()
  await expect(page.getByRole('link', { name: 'Refunds', exact: true })).toHaveCount(0)
  await open(page, '/work/queues/1')
  await expect(page.getByText('There is no queue 1.')).toBeVisible()
})
