import { spawnSync } from 'node:child_process'
import { mkdtempSync, readFileSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { expect, open, signInAs, test } from './helpers'

const folder = mkdtempSync(join(tmpdir(), 'bugle-e2e-timing-'))

test('a trigger is made of a phrase, with its form in step and its starts before it is saved', async ({ page }) => {
  await signInAs(page, 'Moira Calder')
  await open(page, '/timing')
  await page.getByRole('button', { name: 'New trigger' }).click()
  await page.waitForURL('**/timing/triggers/new')
  // Saving too early says what is missing, at its place.
  await page.getByRole('button', { name: 'Save' }).click()
  await expect(page.getByText('Choose a job.')).toBeVisible()
  await page.getByRole('button', { name: 'Choose a job' }).click()
  await page.getByRole('option', { name: /^Lab greeting/ }).click()
  await page.getByRole('textbox', { name: 'Title', exact: true }).fill('Greeting on the last working day')

  const phrase = page.getByRole('textbox', { name: 'In words' })
  await phrase.fill('wekdays at 17:00')
  await expect(page.getByText('Did you mean “weekdays”?')).toBeVisible()
  await page.getByRole('button', { name: 'Save' }).click()
  await expect(page.getByText('The phrase is not understood yet; nothing is saved.', { exact: true })).toBeVisible()
  await phrase.fill('weekdays at 17:00 except Dark days')
  await expect(page.getByRole('group', { name: /^Days: weekdays/ })).toBeVisible()
  await expect(page.getByRole('button', { name: 'Dark days' })).toBeVisible()
  await expect(page.getByRole('textbox', { name: 'Times of day' })).toHaveValue('17:00')
  // Changed in the form, it shows in the phrase.
  await page.getByRole('textbox', { name: 'Times of day' }).fill('5:30 pm')
  await page.getByRole('button', { name: 'Fri', exact: true }).click()
  await expect(phrase).toHaveValue('at 17:30 on Mondays, Tuesdays, Wednesdays and Thursdays, never on “Dark days”')
  const side = page.getByRole('complementary', { name: 'What it will do' })
  await expect(side.getByRole('heading', { name: 'The next 20 starts' })).toBeVisible()
  await expect(side.getByRole('row')).toHaveCount(21)
  await page.getByRole('button', { name: 'Save' }).click()
  await page.waitForURL(/\/timing\/triggers\/\d+$/)
  await expect(page.getByRole('heading', { name: 'Greeting on the last working day' })).toBeVisible()

  // Started by hand, the run names it.
  await page.getByRole('button', { name: 'Start now' }).click()
  await page.getByRole('dialog').getByRole('button', { name: 'Start now' }).click()
  await page.waitForURL(/\/runs\/\d+$/)
  await expect(page.getByRole('link', { name: 'Greeting on the last working day' })).toBeVisible()
  await page.goBack()
  await page.getByRole('tab', { name: 'History' }).click()
  await expect(page.getByRole('table', { name: 'History' }).getByText('Moira Calder')).toBeVisible()
})

test('a rule that never comes or comes too often is asked about', async ({ page }) => {
  await signInAs(page, 'Moira Calder')
  await open(page, '/timing/triggers/new')
  await page.getByRole('button', { name: 'Choose a job' }).click()
  await page.getByRole('option', { name: /^Lab greeting/ }).click()
  await page.getByRole('textbox', { name: 'Title', exact: true }).fill('Long past')
  await page.getByRole('textbox', { name: 'In words' }).fill('at 06:00 on 2001-01-01')
  await expect(page.getByText('This rule has no occurrence in the next 20 years.')).toBeVisible()
  await page.getByRole('textbox', { name: 'In words' }).fill('every 5 seconds')
  await expect(page.getByText('This would start 17,280 runs on one day.')).toBeVisible()
  await page.getByRole('button', { name: 'Save' }).click()
  await expect(page.getByText('17,280 runs on one day. Save it all the same?')).toBeVisible()
  await page.getByRole('switch').click({ force: true })
  await page.getByRole('button', { name: 'Save' }).click()
  await page.getByRole('button', { name: 'Save it all the same' }).click()
  await page.waitForURL(/\/timing\/triggers\/\d+$/)
  await page.getByRole('button', { name: 'Remove' }).click()
  await page.getByRole('dialog').getByRole('button', { name: 'Remove it' }).click()
  await page.waitForURL('**/timing')
})

test('a cadence is changed in place, its effect shown first; off stays in the list, dimmed', async ({ page }) => {
  await signInAs(page, 'Moira Calder')
  await open(page, '/timing')
  await page.getByRole('searchbox', { name: 'Filter by words' }).fill('fuel report')
  await page.waitForURL(/text=fuel/)
  const row = page.getByRole('row').filter({ hasText: 'Fuel report' })
  await expect(page.getByRole('row')).toHaveCount(2)
  await row.getByRole('button', { name: 'Change when Fuel report fires' }).click()
  const box = page.getByRole('dialog', { name: 'When Fuel report fires' })
  await box.getByRole('textbox', { name: 'Fires' }).fill('Mondays at 12:00')
  await expect(box.getByText(/more among the next 20/)).toBeVisible()
  await expect(box.getByText('dropped').first()).toBeVisible()
  await box.getByRole('button', { name: 'Save' }).click()
  await expect(row.getByText('at 12:00 on Monday')).toBeVisible()
  await row.getByRole('switch', { name: 'Fuel report is on' }).click({ force: true })
  await expect(row).toHaveAttribute('data-dim', 'true')
  await page.getByRole('checkbox', { name: 'Choose Fuel report' }).click({ force: true })
  await page.getByRole('button', { name: 'Switch on' }).click()
  await expect(row).toHaveAttribute('data-dim', 'false')
})

test('a calendar’s rule is changed by sentences; the year, the counts and the triggers on it follow', async ({
  page,
}) => {
  await signInAs(page, 'Moira Calder')
  await open(page, '/timing/calendars')
  await page.getByRole('link', { name: /^Working days/ }).click()
  await expect(page.getByRole('heading', { name: 'Working days' })).toBeVisible()
  const year = page.getByRole('group', { name: /^The year/ })
  await expect(year).toBeVisible()
  await page
    .getByRole('button', { name: /^The year 20/ })
    .last()
    .click()
  await page.waitForURL(/year=\d+/)
  const shown = new URL(page.url()).searchParams.get('year') as string
  await year
    .getByRole('button', { name: new RegExp(`^Mon .* Jan ${shown}`) })
    .first()
    .click()
  await expect(page.getByText(/is (not )?in it/).first()).toBeVisible()
  // Without a mouse: arrows go from day to day, Enter asks about one.
  await page.keyboard.press('ArrowDown')
  await page.keyboard.press('Enter')
  await expect(page).toHaveURL(new RegExp(`day=${shown}-01`))

  await page.getByRole('button', { name: 'Take days away' }).last().click()
  await page.getByRole('textbox', { name: 'Say which days' }).fill('weekdays')
  await page.getByRole('button', { name: 'Take these' }).click()
  await expect(page.getByText(`0 days in ${shown}`)).toBeVisible()
  const effect = page.getByRole('status', { name: 'What saving would change' })
  await expect(effect.getByText(/dropped/).first()).toBeVisible()
  page.once('dialog', (dialog) => void dialog.accept())
  await page.getByRole('link', { name: /^Dark days/ }).click()
  await expect(page.getByRole('heading', { name: 'Dark days' })).toBeVisible()

  await page.getByRole('button', { name: /compare with/ }).click()
  await page.getByRole('option', { name: 'Working days' }).click()
  await expect(page.getByText('in both: 0')).toBeVisible()
})

test('somebody saved the calendar first: both are shown', async ({ page, browser }) => {
  const context = await browser.newContext()
  const other = await context.newPage()
  for (const each of [page, other]) await signInAs(each, each === page ? 'Moira Calder' : 'Ines Aldaya')
  for (const each of [page, other]) {
    await each.goto('/timing/calendars')
    await each.getByRole('link', { name: /^Year end/ }).click()
    // The first calendar of all may be open until this one is.
    await expect(each.getByRole('heading', { name: 'Year end' })).toBeVisible()
    await each
      .getByRole('textbox', { name: 'Notes' })
      .fill(each === page ? 'The books close.' : 'Closed for stocktaking.')
  }
  await other.getByRole('button', { name: 'Save' }).click()
  await expect(other.getByText('Year end is saved.', { exact: true })).toBeVisible()
  await page.getByRole('button', { name: 'Save' }).click()
  await expect(page.getByText('Ines Aldaya saved this calendar while you were changing it').first()).toBeVisible()
  await expect(page.getByText('Closed for stocktaking.')).toBeVisible()
  await page.getByRole('button', { name: 'Save mine over it' }).click()
  await expect(page.getByText('Year end is saved.', { exact: true })).toBeVisible()
  await context.close()
})

test('an iCalendar file becomes a calendar; what it cannot carry is listed', async ({ page, request }) => {
  const file = join(folder, 'regatta.ics')
  writeFileSync(
    file,
    [
      'BEGIN:VCALENDAR',
      'VERSION:2.0',
      'PRODID:-//Marram Sound//Harbour office//EN',
      'X-WR-CALNAME:Regatta days',
      'BEGIN:VEVENT',
      'UID:1@marram.example',
      'DTSTAMP:20261101T000000Z',
      'SUMMARY:Regatta',
      'DTSTART;VALUE=DATE:20270710',
      'DTEND;VALUE=DATE:20270712',
      'END:VEVENT',
      'BEGIN:VEVENT',
      'UID:2@marram.example',
      'DTSTAMP:20261101T000000Z',
      'SUMMARY:Skippers meet',
      'DTSTART:20270709T180000Z',
      'DTEND:20270709T190000Z',
      'END:VEVENT',
      'END:VCALENDAR',
      '',
    ].join('\r\n'),
  )
  await signInAs(page, 'Moira Calder')
  await open(page, '/timing/calendars')
  await page.locator('input[type=file]').setInputFiles(file)
  const dialog = page.getByRole('dialog', { name: 'regatta.ics becomes a calendar' })
  await expect(dialog.getByText('1 thing cannot be carried over:')).toBeVisible()
  await expect(dialog.getByText('Skippers meet')).toBeVisible()
  await dialog.getByRole('button', { name: 'Look at it' }).click()
  await expect(page.getByRole('textbox', { name: 'Title' })).toHaveValue('Regatta days')
  await page.getByRole('button', { name: 'Save' }).click()
  await page.waitForURL(/\/calendars\/\d+$/)
  await page.getByRole('button', { name: 'Address to subscribe' }).click()
  const address = await page.getByText(/\/calendars\/bgc_.*\.ics/).textContent()
  // Whoever has the address reads it, without signing in.
  const feed = await request.get(address as string)
  expect(feed.headers()['content-type']).toContain('text/calendar')
  expect(await feed.text()).toContain('DTSTART;VALUE=DATE:20270710')
})

test('a bundle is tried before it is taken over, on screen and by command; a crontab is read line by line', async ({
  page,
}) => {
  const bundle = {
    format: 'bugle-bundle/1',
    calendars: [{ id: 'ebb-days', title: 'Ebb days', days: { weekdays: ['TU'] } }],
    triggers: [],
  }
  const good = join(folder, 'good.json')
  const bad = join(folder, 'bad.json')
  writeFileSync(good, JSON.stringify(bundle))
  writeFileSync(bad, JSON.stringify({ ...bundle, calendars: [{ id: 'ebb-days', days: { weekdays: ['XX'] } }] }))
  await signInAs(page, 'Moira Calder')
  await open(page, '/timing/exchange')
  const files = page.locator('input[type=file]')
  await files.first().setInputFiles(bad)
  await expect(page.getByText('calendars[0].days.weekdays[0]')).toBeVisible()
  await files.first().setInputFiles(good)
  await expect(page.getByText('good.json would change 1 definition', { exact: false })).toBeVisible()
  await page.getByRole('button', { name: 'Take it over' }).click()
  await expect(page.getByText('1 definition of good.json taken over.', { exact: true })).toBeVisible()

  await page.getByRole('textbox', { name: 'Its lines' }).fill('30 2 * * 1-5 close-day\n@reboot warm-up\n')
  await page.getByRole('button', { name: 'Read it, line by line' }).click()
  const report = page.getByRole('table', { name: 'The crontab, line by line' })
  await expect(report.getByText(/at 02:30 on weekdays/)).toBeVisible()
  await expect(page.getByText('1 line cannot be carried over.')).toBeVisible()
  await page.getByRole('button', { name: 'Jobs go to area' }).click()
  await page.getByRole('option').first().click()
  await page.getByRole('button', { name: 'and run in pool' }).click()
  await page.getByRole('option', { name: 'Lab' }).click()
  await page.getByRole('button', { name: 'Make them' }).click()
  await expect(
    page.getByText('1 trigger made, switched off until you have looked at them', { exact: false }),
  ).toBeVisible()

  const made = await page.request.post('/api/v1/me/tokens', { data: { name: 'carrying', days: 1 } })
  const { token } = (await made.json()) as { token: string }
  const bugle = (...args: string[]): { code: number | null; out: string; err: string } => {
    const done = spawnSync(process.execPath, ['dist/bugle.cjs', ...args], {
      env: { ...process.env, BUGLE_SERVER: new URL(page.url()).origin, BUGLE_TOKEN: token },
      encoding: 'utf8',
    })
    return { code: done.status, out: done.stdout, err: done.stderr }
  }
  const out = join(folder, 'out.json')
  expect(bugle('export', '--out', out).code).toBe(0)
  const exported = JSON.parse(readFileSync(out, 'utf8')) as { calendars: { id: string }[]; triggers: unknown[] }
  expect(exported.calendars.map(({ id }) => id)).toContain('ebb-days')
  expect(exported.triggers.length).toBeGreaterThan(40)
  // What a server gave is taken back without a change.
  const again = JSON.parse(bugle('import', '--dry-run', out).out) as { lines: { what: string }[] }
  expect(again.lines.filter(({ what }) => what !== 'same')).toEqual([])
  const refused = bugle('import', bad)
  expect(refused.code).toBe(2)
  expect(refused.err).toContain('calendars[0].days.weekdays[0]')
})

test('starts by triggers are switched off and on again, and every screen says so', async ({ page }) => {
  await signInAs(page, 'Callum Eads')
  await open(page, '/settings?tab=timing')
  await page.getByRole('textbox', { name: 'Why (shown to everybody)' }).fill('Storage is being moved')
  await page.getByRole('button', { name: 'Switch starts off' }).click()
  await expect(page.getByRole('heading', { name: 'Starts by triggers are off' })).toBeVisible()
  await open(page, '/watch')
  await expect(
    page.getByText(/Starts by triggers are off.*Callum Eads.*Storage is being moved.*Runs go on/),
  ).toBeVisible()
  await page.getByRole('link', { name: 'Switch them on again' }).click()
  await page.getByRole('button', { name: 'Switch starts on' }).click()
  await expect(page.getByRole('heading', { name: 'Starts by triggers are on' })).toBeVisible()
  await expect(page.getByText(/Starts by triggers are off/)).toHaveCount(0)
})
