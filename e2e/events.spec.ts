import { chooseByKeys, expect, open, signInAs, test } from './helpers'

test('a trigger is made that a program calls; the call starts a run that says so, and the same call nothing more', async ({
  page,
}) => {
  await signInAs(page, 'Ines Aldaya')
  await open(page, '/timing/triggers/new')
  await chooseByKeys(page, page.getByRole('button', { name: /^Choose a job/ }), 'Vessel log')
  await chooseByKeys(page, page.getByRole('button', { name: /What makes it start/ }), 'a program')
  await page.getByRole('textbox', { name: 'Title' }).fill('Called from the mast')
  await page.getByRole('textbox', { name: 'Only calls in which' }).fill('/type = seen')
  await chooseByKeys(page, page.getByRole('button', { name: /Where Vessel comes from/ }), 'lies')
  await page.getByRole('textbox', { name: 'Vessel' }).fill('/data/vessel')

  // Tried before it is saved.
  const made = page.getByRole('textbox', { name: 'Sent, as JSON' })
  await made.fill('{"type": "seen", "data": {"vessel": "Nobody"}}')
  await page.getByRole('button', { name: 'Try it' }).click()
  await expect(page.getByText(/Vessel is none of/)).toBeVisible()
  await made.fill('{"type": "seen", "data": {"vessel": "Tern"}}')
  await page.getByRole('button', { name: 'Try it' }).click()
  await expect(page.getByText('One run would start.')).toBeVisible()

  await page.getByRole('button', { name: 'Save' }).click()
  await page.waitForURL(/\/timing\/triggers\/\d+$/)
  await page.getByRole('button', { name: 'Make its address' }).click()
  const address = (await page.getByText(/\/call\/call_/).textContent()) ?? ''
  const call = async (type: string): Promise<{ status: number; run: number | null }> => {
    const data = { type, data: { vessel: 'Tern' } }
    const response = await page.request.post(address, { data, headers: { 'webhook-id': `mast-${type}` } })
    return { status: response.status(), run: ((await response.json()) as { run: number | null }).run }
  }
  expect(await call('lost')).toEqual({ status: 200, run: null })
  const first = await call('seen')
  expect(first).toEqual({ status: 202, run: expect.any(Number) })
  expect(await call('seen')).toEqual(first)

  await open(page, `/runs/${first.run}`)
  await expect(page.getByRole('link', { name: 'trigger Called from the mast' })).toBeVisible()
  await expect(page.getByText('a call', { exact: true })).toBeVisible()
  await page.getByRole('link', { name: 'trigger Called from the mast' }).click()
  await page.getByRole('tab', { name: 'History' }).click()
  await expect(page.getByRole('link', { name: `#${first.run}` })).toBeVisible()
})
