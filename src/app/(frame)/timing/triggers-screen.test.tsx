import { fireEvent, screen, waitFor, within } from '@testing-library/react'
import type { TriggerRow } from '@/service/timing/trigger-list'
import { go } from '@/ui/navigation.test-help'
import { changesOf, choose, No, press, show, type, type Asked } from '@/ui/screen.test-help'
import { TriggersScreen } from './triggers-screen'

const now = Date.now()
// How soon something comes does not depend on how long a busy machine takes to draw.
jest.spyOn(Date, 'now').mockReturnValue(now)
const soon = (minutes: number): string => new Date(now + minutes * 60_000).toISOString()
const row = (change: Partial<TriggerRow>): TriggerRow => ({
  id: 1,
  slug: 'freight-invoicing',
  title: 'Freight invoicing',
  enabled: true,
  version: 3,
  jobId: 9,
  jobTitle: 'Freight invoicing',
  jobActive: true,
  area: 'Freight',
  target: { pool: 'office' },
  machines: 3,
  spread: 'one',
  says: 'weekdays at 17:00',
  kind: 'time',
  time: { at: ['17:00'] },
  zone: 'Europe/London',
  priority: 'normal',
  finishBy: null,
  gapSeconds: 86_400,
  firesPerDay: 0.71,
  load: 0.71,
  nextAt: soon(12),
  lastRun: { id: 77, state: 'succeeded', at: soon(-60) },
  isTooOften: false,
  ...change,
})
const ROWS = [
  row({}),
  row({
    id: 2,
    title: 'Machine pulse',
    jobTitle: 'Pulse',
    spread: 'each',
    machines: 12,
    says: 'every 15 minutes',
    load: 1152,
    isTooOften: true,
    target: { labels: { os: 'linux' } },
  }),
  row({ id: 3, title: 'Lab restart', enabled: false, nextAt: null, lastRun: null }),
  row({ id: 4, title: 'Regatta 2026', nextAt: null, priority: 'high', target: { agent: 'kelda-lab' }, machines: 1 }),
  row({ id: 5, title: 'Old timetable', jobActive: false }),
]
const SERVER = {
  'GET /triggers': { rows: ROWS, next: null, total: ROWS.length },
  'GET /calendars': [{ id: 1, slug: 'office-holidays', title: 'Office holidays' }],
  'GET /pools': [{ id: 1, name: 'office' }],
  'PATCH /triggers': { changed: 1 },
}
const lineOf = async (title: string): Promise<HTMLElement> =>
  (await screen.findByRole('link', { name: title })).closest('tr') as HTMLElement
const text = (element: HTMLElement): string => element.textContent?.replace(/\s+/g, ' ') ?? ''

describe('the list of triggers', () => {
  it('says of each what it starts, where, how often, and when next', async () => {
    show(<TriggersScreen />, SERVER)
    expect(text(await lineOf('Freight invoicing'))).toMatch(/pool office 1 of 3.*weekdays at 17:00.*0\.7.*in 12 min/)
    const pulse = text(await lineOf('Machine pulse'))
    expect(pulse).toContain('os=linux × 12')
    expect(pulse).toContain('too often on too many')
    expect(pulse).toContain('1,152')
    expect(text(await lineOf('Regatta 2026'))).toMatch(/kelda-lab .*never again.*high/)
    expect(text(await lineOf('Old timetable'))).toContain('its job is off')
    expect(screen.getByText('5 triggers')).toBeTruthy()
  })

  it('keeps what is off, dimmed', async () => {
    show(<TriggersScreen />, SERVER)
    expect((await lineOf('Lab restart')).dataset.dim).toBe('true')
    expect(text(await lineOf('Lab restart'))).toMatch(/not yet.*off/)
    expect((await lineOf('Old timetable')).dataset.dim).toBe('true')
    expect((await lineOf('Freight invoicing')).dataset.dim).toBe('false')
  })

  it('switches one off from its line', async () => {
    const asked = show(<TriggersScreen />, SERVER)
    fireEvent.click(within(await lineOf('Freight invoicing')).getByRole('switch'))
    expect(await screen.findByText('Freight invoicing is switched off.')).toBeTruthy()
    expect(changesOf(asked)).toEqual([{ what: 'PATCH /triggers', body: { ids: [1], change: { enabled: false } } }])
  })

  it('changes many at once, and asks before it removes them', async () => {
    const asked = show(<TriggersScreen />, SERVER)
    for (const title of ['Freight invoicing', 'Machine pulse'])
      fireEvent.click(within(await lineOf(title)).getByRole('checkbox'))
    expect(screen.getByText('2 are chosen')).toBeTruthy()
    await choose(/Priority of those chosen/, 'high')
    expect(await screen.findByText('Priority of 2 triggers is high.')).toBeTruthy()
    expect(screen.queryByText('2 are chosen')).toBeNull()
    fireEvent.click(within(await lineOf('Machine pulse')).getByRole('checkbox'))
    await press('Remove')
    const dialog = await screen.findByRole('dialog')
    expect(dialog.textContent).toContain('Remove one trigger?')
    expect(changesOf(asked)).toHaveLength(1)
    fireEvent.click(within(dialog).getByRole('button', { name: 'Remove' }))
    await screen.findByText('one trigger removed.')
    expect(changesOf(asked).at(-1)).toEqual({ what: 'PATCH /triggers', body: { ids: [2], change: { remove: true } } })
  })

  it('asks the server for what is filtered and sorted by, and keeps it in the address', async () => {
    const asked = show(<TriggersScreen />, SERVER, { at: '/timing?cadence=daily&flag=too-often' })
    await lineOf('Freight invoicing')
    const last = (): Asked['query'] | undefined => asked.findLast(({ what }) => what === 'GET /triggers')?.query
    expect(last()).toEqual({ cadence: 'daily', flag: 'too-often' })
    await press('Runs a day')
    await waitFor(() => expect(last()).toEqual({ cadence: 'daily', flag: 'too-often', sort: 'load', dir: 'desc' }))
    expect(window.location.search).toContain('sort=load')
    fireEvent.change(screen.getByRole('searchbox', { name: 'Filter by words' }), { target: { value: 'freight' } })
    await waitFor(() => expect(last()?.text).toBe('freight'))
  })

  it('forgets the words when all filters are cleared', async () => {
    show(<TriggersScreen />, SERVER)
    await lineOf('Freight invoicing')
    const box = screen.getByRole<HTMLInputElement>('searchbox', { name: 'Filter by words' })
    fireEvent.change(box, { target: { value: 'freight' } })
    await waitFor(() => expect(window.location.search).toBe('?text=freight'))
    go('/timing')
    await waitFor(() => expect(box.value).toBe(''))
    await new Promise((resolve) => setTimeout(resolve, 350))
    expect(window.location.search).toBe('')
  })

  it('says what to do when nothing fits, and when there is nothing', async () => {
    const none = { ...SERVER, 'GET /triggers': { rows: [], next: null, total: 0 } }
    show(<TriggersScreen />, none, { at: '/timing?state=off' })
    expect(await screen.findByText('No schedule fits')).toBeTruthy()
    show(<TriggersScreen />, none)
    expect(await screen.findByText('Nothing starts by itself yet')).toBeTruthy()
  })

  it('tells a viewer why nothing can be changed', async () => {
    const asked = show(<TriggersScreen />, SERVER, { role: 'viewer' })
    const line = await lineOf('Freight invoicing')
    fireEvent.click(within(line).getByRole('switch', { name: /it takes an operator/ }))
    expect(asked.filter(({ what }) => what.startsWith('PATCH'))).toEqual([])
    expect(within(line).queryByRole('button', { name: /^Change when/ })).toBeNull()
  })

  it('says what went wrong when a change is refused', async () => {
    show(<TriggersScreen />, {
      ...SERVER,
      'PATCH /triggers': new No(409, { title: 'Changed', detail: 'Somebody has just removed it.' }),
    })
    fireEvent.click(within(await lineOf('Freight invoicing')).getByRole('switch'))
    expect(await screen.findByText('Somebody has just removed it.')).toBeTruthy()
  })
})

describe('a cadence changed in place', () => {
  const definition = {
    time: { at: ['17:00'] },
    on: { weekdays: ['MO'] },
    zone: 'Europe/London',
    with: {},
    overlap: 'skip',
  }
  const full = { id: 1, title: 'Freight invoicing', notes: 'n', jobId: 9, enabled: true, version: 3, definition }
  const preview = {
    says: 'Mondays at 12:00',
    next: [],
    changes: {
      added: ['2027-03-15T12:00:00.000Z'],
      dropped: ['2027-03-09T17:00:00.000Z', '2027-03-10T17:00:00.000Z'],
      moved: [{ from: '2027-03-08T17:00:00.000Z', to: '2027-03-08T12:00:00.000Z' }],
    },
    facts: { warnings: ['Two others start then.'] },
    clockDates: [],
    load: null,
    faults: [],
  }
  const server = {
    ...SERVER,
    'GET /triggers/1': full,
    'POST /triggers/preview': preview,
    'PUT /triggers/1': { version: 4 },
  }
  const open = async (more: object = {}): Promise<Asked[]> => {
    const asked = show(<TriggersScreen />, { ...server, ...more })
    await press('Change when Freight invoicing fires')
    await screen.findByRole('textbox', { name: 'Fires' })
    return asked
  }

  it('shows which coming starts change, before it is saved', async () => {
    const asked = await open()
    type('Fires', 'Mondays at 12:00')
    const dialog = await screen.findByRole('dialog')
    await within(dialog).findByText('Mondays at 12:00')
    const marks = within(dialog)
      .getAllByRole('listitem')
      .map((item) => item.dataset.what)
    expect(marks).toEqual(['moved', 'dropped', 'dropped', 'added'])
    expect(dialog.textContent).toContain('Two others start then.')
    expect(asked.some(({ what }) => what === 'PUT /triggers/1')).toBe(false)
    await press('Save')
    await screen.findByText('Freight invoicing now fires Mondays at 12:00.')
    // The days of the rule before are gone, what else it had stays.
    expect(changesOf(asked).at(-1)).toEqual({
      what: 'PUT /triggers/1',
      body: {
        title: 'Freight invoicing',
        notes: 'n',
        jobId: 9,
        enabled: true,
        version: 3,
        sure: false,
        definition: {
          time: { at: ['12:00'] },
          on: { weekdays: ['MO'] },
          zone: 'Europe/London',
          with: {},
          overlap: 'skip',
        },
      },
    })
  })

  it('says where a phrase is not understood, and does not save it', async () => {
    const asked = await open()
    type('Fires', 'Moondays at 12:00')
    expect(await screen.findByText(/Moondays/)).toBeTruthy()
    expect(screen.getByRole('button', { name: 'Save' }).hasAttribute('disabled')).toBe(true)
    expect(changesOf(asked)).toEqual([])
  })

  it('asks once more where the server asks first', async () => {
    let isAsked = false
    const asked = await open({
      'PUT /triggers/1': () => {
        if (isAsked) return { version: 4 }
        isAsked = true
        return new No(409, { type: 'urn:bugle:problem:ask-first', title: 'Sure?', detail: '17,280 runs on one day.' })
      },
    })
    type('Fires', 'every 5 seconds')
    await waitFor(() => expect(screen.getByRole('button', { name: 'Save' }).hasAttribute('disabled')).toBe(false))
    await press('Save')
    await press('Save it all the same')
    await screen.findByText(/now fires every 5 seconds/)
    expect(
      changesOf(asked)
        .filter(({ what }) => what.startsWith('PUT'))
        .map(({ body }) => (body as { sure: boolean }).sure),
    ).toEqual([false, true])
  })
})
