// node .shot2.mjs PERSON light|dark 'path=>name=>Button;;Button' ...
import { chromium } from '@playwright/test'
const [person, scheme, ...what] = process.argv.slice(2)
const base = 'http://localhost:4380'
const browser = await chromium.launch({ executablePath: '/usr/bin/chromium', args: ['--no-sandbox', '--disable-gpu', '--disable-dev-shm-usage'] })
const context = await browser.newContext({ viewport: { width: Number(process.env.W ?? 1280), height: Number(process.env.H ?? 800) }, colorScheme: scheme, reducedMotion: 'reduce', acceptDownloads: true })
const page = await context.newPage()
page.on('pageerror', (e) => console.log('PAGEERROR', e.message))
page.on('console', (m) => m.type() === 'error' && console.log('CONSOLE', m.text().slice(0, 300)))
await page.goto(`${base}/sign-in`)
await page.getByRole('button', { name: person }).click()
await page.waitForURL('**/watch')
for (const one of what) {
  const [path, name, steps = ''] = one.split('=>')
  await page.goto(base + path)
  await page.waitForLoadState('networkidle', { timeout: 8000 }).catch(() => {})
  await page.waitForTimeout(900)
  for (const step of steps.split(';;').filter(Boolean)) {
    if (step.startsWith('wait ')) { await page.waitForTimeout(Number(step.slice(5))); continue }
    if (step.startsWith('text ')) { await page.getByText(step.slice(5)).first().click(); continue }
    if (step.startsWith('fill ')) { const [label, value] = step.slice(5).split('='); await page.getByRole('textbox', { name: label }).first().fill(value); continue }
    if (step.startsWith('opt ')) { await page.getByRole('option', { name: step.slice(4) }).first().click(); await page.waitForTimeout(300); continue }
    if (step.startsWith('row ')) { await page.getByRole('row', { name: step.slice(4) }).first().click(); await page.waitForTimeout(500); continue }
    if (step.startsWith('link ')) { await page.getByRole('link', { name: step.slice(5) }).first().click(); await page.waitForTimeout(900); continue }
    if (step.startsWith('tab ')) { await page.getByRole('tab', { name: step.slice(4) }).first().click(); await page.waitForTimeout(600); continue }
    await page.getByRole('button', { name: step }).first().click({ timeout: 8000 })
    await page.waitForTimeout(500)
  }
  await page.waitForTimeout(400)
  await page.screenshot({ path: `/tmp/keep/${name}.png` })
  console.log(name, page.url())
}
await browser.close()
