import { fireEvent, screen, waitFor, within } from '@testing-library/react'
import { changesOf, choose, No, press, show, type } from '@/ui/screen.test-help'
import { BundleCard } from './bundle-card'
import { CrontabIn, CrontabOut } from './crontab-cards'

const give = (text: string, name = 'night.json'): void => {
  const input = document.querySelector('input[type=file]') as HTMLInputElement
  const file = new File([text], name)
  // jsdom's files have no text().
  Object.defineProperty(file, 'text', { value: () => Promise.resolve(text) })
  fireEvent.change(input, { target: { files: [file] } })
}

describe('a bundle', () => {
  const lines = [
    { kind: 'calendar', id: 'ebb-days', what: 'added' },
    { kind: 'trigger', id: 'till-files', what: 'changed' },
    { kind: 'job', id: 'till', what: 'same' },
  ]
  it('shows what it would change, and does it only then', async () => {
    const asked = show(<BundleCard />, { 'POST /bundle': { lines } })
    give('{"format":"bugle-bundle/1"}')
    expect(await screen.findByText('night.json would change 2 definitions; 1 other is as here.')).toBeTruthy()
    const table = screen.getByRole('table', { name: 'What the bundle would change' })
    expect(within(table).queryByText('till')).toBeNull()
    expect(asked.findLast(({ what }) => what === 'POST /bundle')?.query).toEqual({ dryRun: 'yes' })
    await press('Take it over')
    expect(await screen.findByText('2 definitions of night.json taken over.')).toBeTruthy()
    expect(asked.findLast(({ what }) => what === 'POST /bundle')?.query).toEqual({})
  })

  it('has nothing to take over when all is as here', async () => {
    show(<BundleCard />, { 'POST /bundle': { lines: [lines[2]] } })
    give('{}')
    expect(await screen.findByText('Nothing in night.json differs from what is here.')).toBeTruthy()
    expect(screen.getByRole('button', { name: 'Take it over' }).hasAttribute('disabled')).toBe(true)
  })

  it.each([
    ['a file that is not JSON', '{', /night\.json is not JSON/],
    ['a fault in the file', '{}', /weekdays\[0\]/],
  ])('says what is wrong with %s', async (_, text, message) => {
    show(<BundleCard />, {
      'POST /bundle': new No(400, {
        detail: 'No.',
        errors: [{ path: 'calendars[0].days.weekdays[0]', message: 'Expected a weekday.' }],
      }),
    })
    give(text)
    expect(await screen.findByText(message)).toBeTruthy()
    expect(screen.getByRole('alert').textContent).toContain('nothing was taken over')
  })
})

describe('a crontab', () => {
  const report = {
    triggers: [{ line: 2 }],
    jobs: [{}],
    says: ['at 02:30 on weekdays'],
    lines: [
      { line: 1, text: '# the night', kind: 'comment', says: 'A comment.' },
      { line: 2, text: '30 2 * * 1-5 close-day', kind: 'trigger', says: 'Starts close-day.' },
      { line: 3, text: '@reboot warm-up', kind: 'not carried', says: 'Bugle starts nothing at a machine’s start.' },
    ],
  }
  const server = {
    'GET /areas': [{ id: 4, title: 'Night', path: 'Night', may: 'design' }],
    'GET /pools': [{ id: 1, name: 'lab', title: 'Lab' }],
    'POST /crontab/read': report,
    'POST /crontab': { triggerIds: [1] },
  }
  it('is read line by line, and made into triggers that are off', async () => {
    const asked = show(<CrontabIn />, server)
    type('Its lines', '# the night')
    await press('Read it, line by line')
    const table = await screen.findByRole('table', { name: 'The crontab, line by line' })
    expect(
      within(table)
        .getAllByRole('row')
        .map((row) => row.textContent),
    ).toEqual([
      'LineTextBecomes',
      '1# the nightA comment.',
      '230 2 * * 1-5 close-dayStarts close-day at 02:30 on weekdays',
      '3@reboot warm-upBugle starts nothing at a machine’s start.',
    ])
    expect(screen.getByText(/1 trigger and 1 job; 1 line cannot be carried over\./)).toBeTruthy()
    expect(screen.getByRole('button', { name: 'Make them' }).hasAttribute('disabled')).toBe(true)
    await choose(/Jobs go to area/, 'Night')
    await choose(/and run in pool/, 'Lab')
    await press('Make them')
    expect(await screen.findByText(/switched off until you have looked at them/)).toBeTruthy()
    expect(changesOf(asked).at(-1)).toEqual({
      what: 'POST /crontab',
      body: {
        text: '# the night',
        kind: 'user',
        areaId: 4,
        target: { pool: 'lab' },
        zone: 'Europe/London',
        enabled: false,
      },
    })
  })

  it('forgets a report when the text is changed', async () => {
    show(<CrontabIn />, server)
    type('Its lines', 'x')
    await press('Read it, line by line')
    await screen.findByRole('table')
    type('Its lines', 'y')
    expect(screen.queryByRole('table')).toBeNull()
  })

  it('says what could not be written out, and why', async () => {
    URL.createObjectURL = () => 'blob:'
    URL.revokeObjectURL = () => undefined
    jest.spyOn(HTMLAnchorElement.prototype, 'click').mockImplementation(() => undefined)
    show(<CrontabOut />, {
      'GET /crontab': {
        text: '0 1 * * * x',
        notCarried: [{ title: 'Month-end', why: 'A crontab has no working days.' }],
      },
    })
    await press('Save as a crontab')
    await waitFor(() =>
      expect(screen.getByRole('status').textContent).toContain('Month-end A crontab has no working days.'),
    )
  })
})
