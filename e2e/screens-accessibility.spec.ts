import AxeBuilder from '@axe-core/playwright'
import type { Page } from '@playwright/test'
import { expect, open, signInAs, test } from './helpers'

const SCREENS: Readonly<Record<string, readonly (readonly [path: string, heading: string])[]>> = {
  'watch, runs and work': [
    ['/watch', 'Now on the machines'],
    ['/watch/log', 'Night log'],
    ['/watch/changes', 'What changed'],
    ['/start', 'Opened last'],
    ['/runs', 'Runs'],
    ['/runs?state=failed&sort=duration&beside=job', 'Runs'],
    ['/runs/compare?a=1&b=2', 'Compare'],
    ['/work', 'All work'],
    ['/work/shared', 'Shared values'],
    ['/work?area=2', 'Sailing'],
    ['/work/jobs/new', 'New job'],
    ['/work/flows/new', 'New flow'],
    ['/work/queues', 'Queues'],
    ['/work/queues/1?item=1', 'Its story'],
  ],
  'the fleet': [
    ['/fleet', 'Fleet'],
    ['/fleet?tab=robots', 'Fleet'],
    ['/fleet/robots/1', 'desk1'],
    ['/fleet?tab=systems', 'Fleet'],
    ['/fleet/systems/2', 'Booking database'],
    ['/watch?by=system', 'Now on the systems'],
    ['/fleet?tab=pools', 'Fleet'],
    ['/fleet?tab=accounts', 'Fleet'],
    ['/fleet?tab=locks', 'Fleet'],
    ['/fleet?tab=connections', 'Fleet'],
    ['/fleet?tab=allowances', 'Fleet'],
    ['/fleet?tab=kinds', 'Fleet'],
    ['/fleet?enrol=1', 'Enrol an agent'],
  ],
  'reports and settings': [
    ['/reports/measures', 'Measures'],
    ['/reports', 'Reports'],
    ['/reports/8', 'Worth of this quarter'],
    ['/reports/worth', 'What work spares'],
    ['/settings', 'Settings'],
    ['/settings?tab=timing', 'Starts by triggers are on'],
    ['/settings?tab=notices', 'Notices'],
    ['/settings?tab=people', 'Settings'],
    ['/settings?tab=engines', 'Settings'],
    ['/settings?tab=audit', 'Settings'],
    ['/settings?tab=organisations', 'Who looks after the server'],
  ],
  tuning: ['load', 'deadlines', 'proposals', 'what-if', 'schedules', 'right'].map((tab) => [
    `/tuning?from=2027-03-09T18:00:00Z&hours=15&tab=${tab}`,
    'Night of Tue 9 Mar',
  ]),
  timing: [
    ['/timing', 'Timing'],
    ['/timing/triggers/new', 'New trigger'],
    ['/timing/triggers/1', 'The next 20 starts'],
    ['/timing/triggers/1?tab=history', 'Fare cache'],
    ['/timing/triggers/37', 'Memory runs short'],
    ['/timing/triggers/1?tab=machines', 'Fare cache'],
    ['/timing/calendars', 'Which days'],
    ['/timing/calendars/4?day=2027-04-30&year=2027', 'Month-end close'],
    ['/timing/calendars/4?with=year', 'Month-end close'],
    ['/timing/calendars/new', 'New calendar'],
    ['/timing/not-started', 'Timing'],
    ['/timing/since-back-up', 'Timing'],
    ['/timing/exchange', 'A crontab in'],
  ],
}

/** The months of a year are made alike: of the 365 days of each, looking at a third tells as much in half the time. */
const LATER_MONTHS = '[role=group][aria-label^="The year"] > :nth-child(n + 5)'
const TAGS = ['wcag2a', 'wcag2aa', 'wcag21a', 'wcag21aa', 'wcag22aa']

/** Looks at screens as assistive technology does, the one by day and the next by night, for what they are made of is the same; and whether the frame stands still. */
function looking(page: Page): { look: (where: string) => Promise<void>; found: string[] } {
  const found: string[] = []
  let colorScheme: 'light' | 'dark' = 'dark'
  let hasFrame = false
  const look = async (where: string): Promise<void> => {
    colorScheme = colorScheme === 'dark' ? 'light' : 'dark'
    await page.emulateMedia({ colorScheme, reducedMotion: 'reduce' })
    // Of what is right nothing is told.
    const axe = new AxeBuilder({ page }).options({ resultTypes: ['violations'] }).exclude(LATER_MONTHS)
    // The frame around each screen is the same: it is looked at once.
    if (hasFrame) axe.include('#main').include('[role=dialog]')
    hasFrame = new URL(page.url()).pathname !== '/sign-in'
    const { violations } = await axe.withTags(TAGS).analyze()
    for (const v of violations) {
      if (v.impact === 'serious' || v.impact === 'critical')
        found.push(
          `${where}, ${colorScheme}: ${v.id}: ${v.nodes
            .map((n) => `${n.target.join(' ')} ${n.any[0]?.message ?? ''}`)
            .slice(0, 3)
            .join(' | ')}`,
        )
    }
    const below = await page.evaluate(() => document.documentElement.scrollHeight - window.innerHeight)
    if (below > 0) found.push(`${where}: the whole frame can be scrolled by ${below} pixels`)
  }
  return { look, found }
}

/** What can be neither seen nor scrolled to; runs in the page. */
function besideTheWindow(): string[] {
  // What can be scrolled to within its own panel is not lost.
  const isScrolled = (element: Element): boolean => {
    for (let around = element.parentElement; around; around = around.parentElement)
      if (/auto|scroll/.test(getComputedStyle(around).overflowX) && around.scrollWidth > around.clientWidth) return true
    return false
  }
  return [...document.querySelectorAll('button, a, input, select, textarea, [role=tab], h1, h2')]
    .filter((element) => {
      const { right, width: wide, height: high } = element.getBoundingClientRect()
      return wide > 1 && high > 1 && right > innerWidth + 1 && !isScrolled(element)
    })
    .map((element) => (element.textContent || element.getAttribute('aria-label') || element.tagName).slice(0, 40))
}

/** What lies beside a smaller window, and one in which everything is magnified to twice its size. */
async function besideAt(page: Page, path: string): Promise<string[]> {
  const beside: string[] = []
  for (const [width, height] of [
    [1024, 768],
    [640, 400],
  ] as const) {
    await page.setViewportSize({ width, height })
    // What is laid out by its width follows the window a breath later.
    let found: string[] = []
    const look = async (): Promise<string[]> => (found = await page.evaluate(besideTheWindow))
    await expect
      .poll(look, { timeout: 3000 })
      .toEqual([])
      .catch(() => beside.push(`${path}, ${width} wide: beside the window lies ${found.slice(0, 3).join(', ')}`))
  }
  await page.setViewportSize({ width: 1280, height: 800 })
  return beside
}

test.describe('no serious fault of accessibility, by day or by night, and nothing beside a small window', () => {
  // Two dozen screens, each looked at as a whole: minutes on a machine that is busy with the other tests.
  test.setTimeout(600_000)
  for (const [part, screens] of Object.entries(SCREENS))
    test(`on the screens of ${part}`, async ({ page }) => {
      const { look, found } = looking(page)
      await signInAs(page, 'Ines Aldaya')
      for (const [path, heading] of screens) {
        await open(page, path)
        await expect(page.getByRole('heading', { name: heading, exact: true }).first()).toBeVisible()
        // Only once the night has been played is there what to look at.
        if (path.startsWith('/tuning')) await expect(page.getByText(/ runs? forecast/)).toBeVisible()
        await page.waitForLoadState('load')
        await page.waitForTimeout(400)
        await look(path)
        found.push(...(await besideAt(page, path)))
      }
      expect(found).toEqual([])
    })

  test('on signing in, an agent, and Find or do', async ({ page }) => {
    const { look, found } = looking(page)
    await page.goto('/sign-in')
    await look('/sign-in')
    await signInAs(page, 'Ines Aldaya')
    await open(page, '/fleet')
    await page.getByRole('link', { name: 'kelda-app1' }).click()
    await expect(page.getByRole('heading', { name: 'How busy' })).toBeVisible()
    await look('an agent')
    await page.keyboard.press('Control+k')
    await page.waitForTimeout(300)
    await look('Find or do')
    expect(found).toEqual([])
  })

  test('on a run and a flow', async ({ page }) => {
    const { look, found } = looking(page)
    await signInAs(page, 'Ines Aldaya')
    await open(page, '/runs?state=succeeded&text=Machine+pulse')
    await page.getByRole('row').nth(1).getByRole('link').first().click()
    await expect(page.getByRole('tab', { name: 'Output' })).toBeVisible()
    for (const tab of ['What ran', 'Inputs', 'Tries', 'Earlier runs', 'Output']) {
      await page.getByRole('tab', { name: new RegExp(`^${tab}`) }).click()
      await page.waitForTimeout(300)
      await look(`a run, ${tab}`)
    }
    await open(page, '/work?text=sailing+manifests')
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
})
