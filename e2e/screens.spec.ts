import AxeBuilder from '@axe-core/playwright'
import type { Page } from '@playwright/test'
import { expect, isAwake, signInAs, test } from './helpers'

const SCREENS: readonly [string, string][] = [
  ['/watch', 'Now on the machines'],
  ['/runs', 'Runs'],
  ['/runs?state=failed&sort=duration', 'Runs'],
  ['/work', 'All work'],
  ['/work/jobs/new', 'New job'],
  ['/work/flows/new', 'New flow'],
  ['/fleet', 'Fleet'],
  ['/fleet?tab=pools', 'Fleet'],
  ['/fleet?tab=accounts', 'Fleet'],
  ['/fleet?tab=locks', 'Fleet'],
  ['/fleet?enrol=1', 'Enrol an agent'],
  ['/timing', 'Timing'],
  ['/timing/triggers/new', 'New trigger'],
  ['/timing/triggers/1', 'The next 20 starts'],
  ['/timing/triggers/1?tab=history', 'Fare cache'],
  ['/timing/triggers/1?tab=machines', 'Fare cache'],
  ['/timing/calendars', 'Which days'],
  ['/timing/calendars/4?day=2027-04-30&year=2027', 'Month-end close'],
  ['/timing/calendars/4?with=year', 'Month-end close'],
  ['/timing/calendars/new', 'New calendar'],
  ['/timing/not-started', 'Timing'],
  ['/timing/exchange', 'A crontab in'],
  ['/settings', 'Settings'],
  ['/settings?tab=timing', 'Starts by triggers are on'],
  ['/settings?tab=notices', 'Notices'],
  ['/settings?tab=people', 'Settings'],
  ['/settings?tab=engines', 'Settings'],
  ['/settings?tab=audit', 'Settings'],
]

const TAGS = ['wcag2a', 'wcag2aa', 'wcag21a', 'wcag21aa', 'wcag22aa']

/** Looks at screens as assistive technology does; by night only what depends on colours is new. */
function looking(page: Page, theme: 'light' | 'dark'): { look: (where: string) => Promise<void>; found: string[] } {
  const found: string[] = []
  const look = async (where: string): Promise<void> => {
    const axe = new AxeBuilder({ page })
    const { violations } = await (theme === 'light' ? axe.withTags(TAGS) : axe.withRules('color-contrast')).analyze()
    for (const v of violations) {
      if (v.impact === 'serious' || v.impact === 'critical')
        found.push(
          `${where}: ${v.id}: ${v.nodes
            .map((n) => `${n.target.join(' ')} ${n.any[0]?.message ?? ''}`)
            .slice(0, 3)
            .join(' | ')}`,
        )
    }
  }
  return { look, found }
}

for (const theme of ['light', 'dark'] as const) {
  const when = theme === 'light' ? 'day' : 'night'
  test(`no screen has a serious fault of accessibility, by ${when}`, async ({ page }) => {
    test.setTimeout(240_000)
    await page.emulateMedia({ colorScheme: theme, reducedMotion: 'reduce' })
    await page.goto('/sign-in')
    const { look, found } = looking(page, theme)
    await look('/sign-in')
    await signInAs(page, 'Ines Aldaya')
    for (const [path, heading] of SCREENS) {
      await page.goto(path)
      await expect(page.getByRole('heading', { name: heading, exact: true }).first()).toBeVisible()
      await page.waitForLoadState('load')
      await page.waitForTimeout(400)
      await look(path)
    }
    await page.goto('/fleet')
    await page.getByRole('link', { name: 'kelda-app1' }).click()
    await expect(page.getByRole('heading', { name: 'How busy' })).toBeVisible()
    await look('an agent')
    await page.keyboard.press('Control+k')
    await page.waitForTimeout(300)
    await look('Find or do')
    expect(found).toEqual([])
  })

  test(`nor has a run or a flow, by ${when}`, async ({ page }) => {
    test.setTimeout(180_000)
    await page.emulateMedia({ colorScheme: theme, reducedMotion: 'reduce' })
    const { look, found } = looking(page, theme)
    await signInAs(page, 'Ines Aldaya')
    await page.goto('/runs?state=succeeded&text=Machine+pulse')
    await page.getByRole('row').nth(1).getByRole('link').first().click()
    await expect(page.getByRole('tab', { name: 'Output' })).toBeVisible()
    for (const tab of ['What ran', 'Inputs', 'Tries', 'Earlier runs', 'Output']) {
      await page.getByRole('tab', { name: new RegExp(`^${tab}`) }).click()
      await page.waitForTimeout(300)
      await look(`a run, ${tab}`)
    }
    await page.goto('/work?text=sailing+manifests')
    await page.getByRole('link', { name: 'Sailing manifests', exact: true }).click()
    await page.getByRole('button', { name: /^transfer/ }).click()
    await look('a flow, a step of it')
    for (const tab of ['The flow', 'Rehearse', 'Problems']) {
      await page.getByRole('tab', { name: tab }).click()
      await page.waitForTimeout(300)
      await look(`a flow, ${tab}`)
    }
    await page.getByRole('link', { name: 'Its runs' }).click()
    await page.getByRole('row').nth(1).getByRole('link').first().click()
    await expect(page.getByRole('application')).toBeVisible()
    await look('a flow run')
    await page
      .getByRole('button', { name: 'The whole flow' })
      .or(page.getByRole('tab', { name: 'Story' }))
      .first()
      .click()
    await page.getByRole('tab', { name: 'Story' }).click()
    await look('the story of a flow run')
    expect(found).toEqual([])
  })
}

test('runs are filtered by tokens, sorted and paged, and the address says it all', async ({ page }) => {
  await signInAs(page, 'Callum Eads')
  await page.goto('/runs')
  await isAwake(page)
  await page.keyboard.press('/')
  await page.keyboard.type('failed')
  await page.keyboard.press('ArrowDown')
  await page.keyboard.press('Enter')
  await page.waitForURL(/state=failed/)
  await expect(page.getByRole('row').nth(1).getByText('failed')).toBeVisible()
  await page.getByRole('button', { name: /^Took/ }).click()
  await page.waitForURL(/sort=duration/)
  const shared = page.url()
  await page.goto('/watch')
  await page.goto(shared)
  await expect(page.getByText('state', { exact: true })).toBeVisible()
  await page.goto('/runs')
  const table = page.getByRole('table', { name: 'Runs' })
  await expect(table.getByRole('row')).toHaveCount(61)
  await table.getByRole('row').nth(1).focus()
  await page.keyboard.press('End')
  await expect.poll(async () => table.getByRole('row').count()).toBeGreaterThan(100)
  await page.goBack()
  await expect(page).toHaveURL(shared)
})

test('a failure is announced on every screen, once, and reached by a key', async ({ page, request }) => {
  await signInAs(page, 'Moira Calder')
  await page.goto('/settings')
  const areas = (await (await page.request.get('/api/v1/areas')).json()) as { id: number }[]
  const job = await page.request.post('/api/v1/jobs', {
    data: {
      title: 'Sure to fail',
      areaId: areas[0]?.id,
      definition: {
        action: { kind: 'command', command: 'true' },
        target: { agent: 'orrin-ops1' },
        success: { exitCodes: [77] },
      },
    },
  })
  const { id: jobId } = (await job.json()) as { id: number }
  const { id } = (await (await page.request.post('/api/v1/runs', { data: { jobId } })).json()) as { id: number }
  await expect(page.getByText(`Sure to fail #${id} failed`, { exact: true })).toBeVisible({ timeout: 40_000 })
  await expect(page.getByText(`Sure to fail #${id} failed`, { exact: true })).toHaveCount(1)
  await page.keyboard.press('F8')
  await page.waitForURL(`**/runs/${id}`)
  await expect(page.getByText(`Sure to fail #${id} failed`, { exact: true })).toHaveCount(0)
  await page.goto('/watch')
  const card = page.getByRole('listitem').filter({ hasText: 'Sure to fail failed on orrin-ops1' })
  await card.getByRole('button', { name: 'Take' }).click()
  await page.getByLabel('A word for the others').fill('Calling the harbour.')
  await page.getByRole('button', { name: 'Take it' }).click()
  await expect(card.getByText('Taken by Moira Calder')).toBeVisible()
  await card.getByRole('button', { name: 'Close' }).click()
  await expect(card).toHaveCount(0)
  expect((await request.get('/api/v1/matters')).status()).toBe(401)
})

test('colours, keys and the day line', async ({ page }) => {
  await page.emulateMedia({ colorScheme: 'light' })
  await signInAs(page, 'Callum Eads')
  const ground = (): Promise<string> => page.evaluate(() => getComputedStyle(document.body).backgroundColor)
  expect(await ground()).toBe('rgb(246, 243, 236)')
  await page.getByRole('button', { name: 'Callum Eads, menu' }).click()
  await page.getByRole('menuitem', { name: 'Night colours' }).click()
  await expect.poll(ground).toBe('rgb(15, 26, 29)')
  await page.reload()
  await expect.poll(ground).toBe('rgb(15, 26, 29)')
  await isAwake(page)
  await page.keyboard.press('?')
  await expect(page.getByRole('dialog', { name: 'Keys' })).toBeVisible()
  await page.keyboard.press('Escape')
  const line = page.getByLabel(
    'Slots used and failures in the last eight hours; slots that the coming starts will use, and deadlines, in the next sixteen',
  )
  const box = await line.boundingBox()
  if (!box) throw new Error('no day line')
  await page.mouse.move(box.x + 60, box.y + 40)
  await page.mouse.down()
  await page.mouse.move(box.x + 220, box.y + 40, { steps: 5 })
  await page.mouse.up()
  await page.waitForURL(/\/runs\?from=.*&to=/)
  await expect(page.getByText('from', { exact: true })).toBeVisible()
})
