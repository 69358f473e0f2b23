import type { APIRequestContext, Page } from '@playwright/test'
import { expect, open, signInAs, test } from './helpers'

/** Pages whose figures lead to lists, and how many of them each has at least. */
const PAGES: readonly (readonly [path: string, atLeast: number])[] = [
  ['/watch', 12],
  ['/fleet', 10],
  ['/fleet?tab=connections', 0],
  ['/fleet?tab=kinds', 4],
  ['/fleet?tab=locks', 1],
  ['/fleet?tab=allowances', 0],
  ['/work/queues', 2],
  ['/work/queues/1', 4],
  ['/timing/calendars/1', 0],
]

interface Figure {
  readonly href: string
  readonly says: number
  /** Slots in use are told, not runs: a run may take several, and one of a robot none. */
  readonly inSlots: boolean
}

/** The lists that figures lead to, as files have them. */
const LISTS: readonly (readonly [begins: RegExp, list: string])[] = [
  [/^\/runs\?/, 'runs'],
  [/^\/work\/queues\/\d+\?/, 'items'],
  [/^\/work\?/, 'work'],
  [/^\/timing\?/, 'triggers'],
]

async function figuresOf(page: Page): Promise<Figure[]> {
  const links = await page
    .locator('a[href*="?"]')
    .evaluateAll((all) => all.map((a) => ({ href: a.getAttribute('href') ?? '', text: a.textContent ?? '' })))
  return links.flatMap(({ href, text }) => {
    const number = /^(?:All )?([\d,]+)(?:$|[ /])/.exec(text.trim())?.[1]
    if (number === undefined || !LISTS.some(([begins]) => begins.test(href))) return []
    return [
      {
        href,
        says: Number(number.replaceAll(',', '')),
        inSlots: /^\d+\/\d+$/.test(text.trim()) || href.includes('took=slots'),
      },
    ]
  })
}

/** How many rows the list has that an address shows; of runs also how many slots they take. */
async function rowsOf(request: APIRequestContext, { href, inSlots }: Figure): Promise<number> {
  const [path = '', query = ''] = href.split('?')
  const values = new URLSearchParams(query)
  if (values.get('ended') === 'last-8-hours') {
    values.delete('ended')
    values.set('endedFrom', new Date(Date.now() - 8 * 3_600_000).toISOString())
  }
  values.set('list', LISTS.find(([begins]) => begins.test(href))?.[1] ?? '')
  values.set('format', 'jsonl')
  const queue = /^\/work\/queues\/(\d+)$/.exec(path)?.[1]
  if (queue) values.set('of', queue)
  const file = await request.get(`/api/v1/exports?${values.toString()}`)
  expect([href, file.status()]).toEqual([href, 200])
  const rows = (await file.text()).split('\n').filter(Boolean)
  return inSlots
    ? rows.reduce((sum, row) => sum + Number((JSON.parse(row) as { slots: number }).slots), 0)
    : rows.length
}

for (const [path, atLeast] of PAGES)
  test(`each figure of ${path} leads to as many rows as it says`, async ({ page }) => {
    await signInAs(page, 'Ines Aldaya')
    await open(page, path)
    await expect.poll(async () => (await figuresOf(page)).length).toBeGreaterThanOrEqual(atLeast)
    const seen = new Set<string>()
    for (const { href } of await figuresOf(page)) {
      if (seen.has(href)) continue
      seen.add(href)
      // Work goes on meanwhile: a figure and its rows are of one moment once it says the same before and after they are counted.
      let tries = 0
      await expect(async () => {
        // What a page asks for every few seconds only is asked for anew.
        if (tries++ > 0) {
          await open(page, path)
          await expect.poll(async () => (await figuresOf(page)).length).toBeGreaterThanOrEqual(Math.max(1, atLeast))
        }
        const now = async (): Promise<Figure | undefined> => (await figuresOf(page)).find((one) => one.href === href)
        const before = await now()
        if (!before) return
        const rows = await rowsOf(page.request, before)
        expect([href, rows]).toEqual([href, (await now())?.says ?? rows])
      }).toPass({ timeout: 45_000 })
    }
  })

test('a bar of how busy a machine was, and of a queue’s tide, leads to what it counts', async ({ page }) => {
  await signInAs(page, 'Ines Aldaya')
  await open(page, '/fleet/agents/1')
  const bars = page.locator('.recharts-bar-rectangle path')
  await expect(bars.first()).toBeVisible()
  await bars.last().click({ force: true })
  await page.waitForURL(/\/runs\?/)
  const asked = new URL(page.url()).searchParams
  expect([asked.get('agent'), asked.get('steps')]).toEqual(['1', 'yes'])
  expect(Date.parse(asked.get('ranTo') ?? '') - Date.parse(asked.get('ranFrom') ?? '')).toBeGreaterThan(0)
  await expect(page.getByText('running from').first()).toBeVisible()

  // Buckets that are over change no more.
  const tide = (await (await page.request.get('/api/v1/queues/1/tide?over=week')).json()) as {
    seconds: number
    buckets: { at: string; came: number; done: number }[]
  }
  const over = tide.buckets.filter(({ at }) => Date.parse(at) + tide.seconds * 1000 < Date.now())
  expect(over.some(({ came }) => came > 0)).toBe(true)
  for (const { at, came, done } of over.filter((one) => one.came + one.done > 0).slice(-12)) {
    const to = new Date(Date.parse(at) + tide.seconds * 1000).toISOString()
    const count = (query: string): Promise<number> =>
      rowsOf(page.request, { href: `/work/queues/1?${query}`, says: 0, inSlots: false })
    expect([at, await count(`cameFrom=${at}&cameTo=${to}`)]).toEqual([at, came])
    expect([at, await count(`endedFrom=${at}&endedTo=${to}&state=done`)]).toEqual([at, done])
  }
})
