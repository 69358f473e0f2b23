import { generate } from 'otplib'
import type { Page } from '@playwright/test'
import { expect, isAwake, open, signInAs, test } from './helpers'

const PASSWORD = 'gulls over the pier'
/** The code of a step of time beside the present one: each is good once. */
const codeOf = (secret: string, steps: number): Promise<string> =>
  generate({ secret, epoch: Math.floor(Date.now() / 1000) + 30 * steps })

/** Somebody who signs in with a password: the demo’s people have none. */
async function added(page: Page, email: string, role: string): Promise<void> {
  await signInAs(page, 'Ines Aldaya')
  const answer = await page.request.post('/api/v1/people', {
    data: { email, name: 'Hallam Reid', role, password: PASSWORD },
  })
  expect(answer.status()).toBe(201)
}

async function writePassword(page: Page, email: string): Promise<void> {
  await page.context().clearCookies()
  await page.goto('/sign-in')
  await page.getByLabel('E-mail').fill(email)
  await page.getByLabel('Password').fill(PASSWORD)
  await page.getByRole('button', { name: 'Sign in', exact: true }).click()
}

test('codes of an app let somebody in beside the password, and codes on paper when it is lost', async ({ page }) => {
  await added(page, 'hallam@marram.example', 'viewer')
  await writePassword(page, 'hallam@marram.example')
  await isAwake(page)
  await open(page, '/settings')
  await page.getByRole('button', { name: 'Add one' }).click()
  const dialog = page.getByRole('dialog', { name: 'Add a second factor' })
  await expect(dialog.getByRole('img', { name: 'The secret, for the app’s camera' })).toBeVisible()
  const secret = (await dialog.getByText(/^[A-Z2-7]{32}$/).textContent()) ?? ''
  await dialog.getByLabel('The code that it shows now').fill('000000')
  await dialog.getByRole('button', { name: 'Take it' }).click()
  await expect(dialog.getByText('That is not the code that the app shows now')).toBeVisible()
  await dialog.getByLabel('The code that it shows now').fill(await codeOf(secret, -1))
  await dialog.getByRole('button', { name: 'Take it' }).click()
  const paper = page.getByRole('dialog', { name: 'Codes on paper' })
  const onPaper = (await paper.getByRole('listitem').first().textContent()) ?? ''
  await paper.getByRole('button', { name: 'I have kept them' }).click()
  await expect(page.getByRole('row', { name: /Phone codes from an app/ })).toBeVisible()

  await writePassword(page, 'hallam@marram.example')
  await page.getByLabel('Code from your app').fill(await codeOf(secret, 0))
  await page.getByRole('button', { name: 'Go on' }).click()
  await isAwake(page)

  await writePassword(page, 'hallam@marram.example')
  await page.getByRole('button', { name: 'Lost your phone? Use a code on paper' }).click()
  await page.getByLabel('One of your codes on paper').fill(onPaper)
  await page.getByRole('button', { name: 'Go on' }).click()
  await isAwake(page)
})

test('a passkey lets somebody in; a role that asks for a second factor has one set up first', async ({ page }) => {
  await added(page, 'una@marram.example', 'designer')
  expect((await page.request.put('/api/v1/second-factor', { data: { roles: ['designer'] } })).status()).toBe(204)
  const cdp = await page.context().newCDPSession(page)
  await cdp.send('WebAuthn.enable')
  await cdp.send('WebAuthn.addVirtualAuthenticator', {
    options: {
      protocol: 'ctap2',
      transport: 'internal',
      hasUserVerification: true,
      isUserVerified: true,
      automaticPresenceSimulation: true,
    },
  })
  await writePassword(page, 'una@marram.example')
  await expect(page.getByText('Your role asks for a second factor beside the password.')).toBeVisible()
  await page.getByRole('button', { name: 'A passkey' }).click()
  await page.getByRole('button', { name: 'Make the passkey' }).click()
  await page.getByRole('button', { name: 'I have kept them' }).click()
  await isAwake(page)
  await open(page, '/settings')
  await expect(page.getByRole('row', { name: /Passkey passkey/ })).toBeVisible()

  await writePassword(page, 'una@marram.example')
  await page.getByRole('button', { name: 'Use a passkey' }).click()
  await isAwake(page)
  // What it has shown is good once: the same again opens nothing.
  await signInAs(page, 'Ines Aldaya')
  await page.request.put('/api/v1/second-factor', { data: { roles: [] } })
})
