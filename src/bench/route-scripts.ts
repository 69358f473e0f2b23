import type { Browser, BrowserContext } from '@playwright/test'

/** What the browser fetched of one route, kB (1,000 bytes) of JavaScript as it travels, opened in an empty cache and left alone for two seconds. */
export async function scriptsOf(browser: Browser, url: string, signedIn: BrowserContext): Promise<number> {
  // A context of its own has a cache of its own.
  const context = await browser.newContext({
    storageState: await signedIn.storageState(),
    viewport: { width: 1280, height: 800 },
  })
  const page = await context.newPage()
  const session = await context.newCDPSession(page)
  await session.send('Network.enable')
  const names = new Map<string, string>()
  const sizes = new Map<string, number>()
  session.on('Network.responseReceived', ({ requestId, response }) => {
    if (/\.js(\?|$)/.test(response.url)) names.set(requestId, response.url)
  })
  session.on('Network.loadingFinished', ({ requestId, encodedDataLength }) => {
    const name = names.get(requestId)
    if (name) sizes.set(name, encodedDataLength)
  })
  await page.goto(url, { waitUntil: 'load' })
  await page.waitForTimeout(2000)
  await context.close()
  return Math.round([...sizes.values()].reduce((sum, size) => sum + size, 0) / 1000)
}
