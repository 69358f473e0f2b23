import type { Browser, Page } from '@playwright/test'

/** What the browser fetched of one route, kB (1,000 bytes) of JavaScript as it travels, opened in an empty cache and left alone for two seconds. */
export async function scriptsOf(
  browser: Browser,
  url: string,
  signIn: (page: Page) => Promise<void>,
): Promise<{ readonly kB: number; readonly files: readonly (readonly [string, number])[] }> {
  const signedIn = await browser.newContext()
  await signIn(await signedIn.newPage())
  const context = await browser.newContext({
    storageState: await signedIn.storageState(),
    viewport: { width: 1280, height: 800 },
  })
  await signedIn.close()
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
  const files = [...sizes]
    .map(([name, size]) => [name.split('/').at(-1) as string, size] as const)
    .sort((a, b) => b[1] - a[1])
  return { kB: Math.round(files.reduce((sum, [, size]) => sum + size, 0) / 1000), files }
}
