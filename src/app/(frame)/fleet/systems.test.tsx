import { fireEvent, screen, waitFor, within } from '@testing-library/react'
import { changesOf, choose, No, press, show, type } from '@/ui/screen.test-help'
import { SystemScreen } from './systems/[id]/system-screen'
import { Systems } from './systems'

const row = (more: object): object => ({
  id: 1,
  slug: 'kelda-db1',
  title: 'kelda-db1',
  kind: 'host',
  host: 'kelda-db1',
  port: null,
  on: [],
  jobs: 2,
  matters: 0,
  lastAt: null,
  nextAt: null,
  state: 'down',
  why: ['It did not answer when it was looked at last.'],
  ...more,
})
const DATABASE = row({
  id: 2,
  slug: 'booking-database',
  title: 'Booking database',
  kind: 'database',
  port: 5432,
  on: [{ id: 1, title: 'kelda-db1' }],
  state: 'well',
  why: [],
})
const LISTS = {
  'GET /systems': [DATABASE, row({})],
  'GET /systems/choices': [
    { id: 1, slug: 'kelda-db1', title: 'kelda-db1', kind: 'host' },
    { id: 2, slug: 'booking-database', title: 'Booking database', kind: 'database' },
  ],
  'GET /accounts': [{ name: 'reader', userName: 'svc-read' }],
  'GET /pools': [{ id: 1, name: 'data', title: 'Data' }],
  'GET /areas': [{ id: 4, path: 'Housekeeping', may: 'design' }],
}
const titles = (): (string | undefined)[] =>
  within(screen.getByRole('table', { name: 'Systems' }))
    .getAllByRole('row')
    .slice(1)
    .map((each) => within(each).getAllByRole('link')[0]?.textContent ?? undefined)

describe('systems', () => {
  it('are told with how they stand and why, and found by what they are called, are, and how they stand', async () => {
    show(<Systems />, LISTS, { role: 'viewer' })
    await screen.findByRole('table', { name: 'Systems' })
    expect(titles()).toEqual(['Booking database', 'kelda-db1'])
    expect(screen.getByText('It did not answer when it was looked at last.')).toBeTruthy()
    fireEvent.change(screen.getByRole('searchbox'), { target: { value: '5432' } })
    expect(screen.getByText('No system fits')).toBeTruthy()
    fireEvent.change(screen.getByRole('searchbox'), { target: { value: 'BOOK' } })
    await waitFor(() => expect(titles()).toEqual(['Booking database']))
    fireEvent.change(screen.getByRole('searchbox'), { target: { value: '' } })
    await choose(/State/, 'does not answer')
    await waitFor(() => expect(titles()).toEqual(['kelda-db1']))
  })

  it('are added with what each says; what is wrong is told at its field', async () => {
    let times = 0
    const asked = show(
      <Systems />,
      {
        ...LISTS,
        'POST /systems': () =>
          times++ === 0
            ? new No(400, {
                title: 'Invalid',
                detail: 'No.',
                errors: [{ path: 'port', message: 'A port is a number.' }],
              })
            : { id: 9 },
      },
      { role: 'administrator' },
    )
    await press('New system')
    await screen.findByRole('dialog')
    type('Title', 'Ledger database')
    await choose(/^application Kind|Kind/, 'database')
    type('Host', 'kelda-db1')
    type('Port', 'x')
    type('Database', 'ledger')
    await choose(/Signed in to as/, 'reader (svc-read)')
    await choose(/Reached by/, 'Data')
    fireEvent.click(screen.getByRole('checkbox', { name: /^kelda-db1/ }))
    await press('Add')
    expect(await screen.findByText('A port is a number.')).toBeTruthy()
    type('Port', '5432')
    await press('Add')
    await waitFor(() => expect(changesOf(asked)).toHaveLength(2))
    expect(changesOf(asked)[1]?.body).toEqual({
      title: 'Ledger database',
      notes: '',
      kind: 'database',
      host: 'kelda-db1',
      port: 5432,
      database: 'ledger',
      hostKey: null,
      tls: false,
      account: 'reader',
      pool: 'data',
      on: ['kelda-db1'],
    })
  })

  it('are made of what jobs reach: those that are ticked, called as one likes', async () => {
    const found = (name: string, jobs: number[]): object => ({
      ...{ name, title: name, kind: 'database', host: 'h', port: 5432, database: 'd', tls: false },
      ...{ hostKey: null, account: 'reader', pool: null, jobs: jobs.map((id) => ({ id, title: `J${id}` })) },
    })
    const asked = show(
      <Systems />,
      {
        ...LISTS,
        'GET /systems/of-jobs': [found('one', [1, 2]), found('two', [3])],
        'POST /systems/of-jobs': { systems: 1, jobs: 2 },
      },
      { role: 'administrator' },
    )
    await press('Make systems of what jobs reach')
    expect(await screen.findByText(/J1, J2/)).toBeTruthy()
    fireEvent.click(screen.getByRole('checkbox', { name: 'Make two' }))
    fireEvent.change(screen.getAllByRole('textbox', { name: 'database' })[0] as HTMLElement, {
      target: { value: 'Fares' },
    })
    await press('Make 1 system')
    expect(await screen.findByText('1 system made; 2 jobs are done on them.')).toBeTruthy()
    expect(changesOf(asked)[0]?.body).toMatchObject({ systems: [{ name: 'one', title: 'Fares', jobs: [1, 2] }] })
  })
})

const PAGE = {
  ...DATABASE,
  ...{ notes: '', database: 'bookings', tls: true, hostKey: null, account: null, pool: 'data', version: 3 },
  ...{ savedBy: 'Ines Aldaya', savedAt: '2027-03-08T12:00:00Z', on: ['kelda-db1'] },
  tree: [
    { id: 2, title: 'Booking database', kind: 'database', state: 'well', why: [], depth: 0 },
    { id: 1, title: 'kelda-db1', kind: 'host', state: 'down', why: [], depth: 1 },
  ],
  jobs: [
    {
      ...{ id: 30, title: 'Largest tables', kind: 'sql', area: 'Housekeeping', active: true, nextAt: null },
      last: { id: 70, state: 'failed', at: '2027-03-08T12:00:00Z', durationMs: 5000, says: '', outputs: { rows: '3' } },
    },
  ],
  matters: [
    {
      id: 1,
      runId: 70,
      title: 'Largest tables',
      evidence: 'no answer',
      openedAt: '2027-03-08T12:00:00Z',
      takenBy: null,
    },
  ],
}

describe('a system', () => {
  it('shows what runs on what, its jobs with what they said, and its matters', async () => {
    show(<SystemScreen id={2} />, { ...LISTS, 'GET /systems/2': PAGE }, { role: 'viewer' })
    expect(await screen.findByText('bookings on kelda-db1:5432')).toBeTruthy()
    const tree = within(screen.getByRole('list', { name: 'What runs on what' })).getAllByRole('listitem')
    expect(tree.map((each) => each.textContent)).toEqual([
      'Booking databasedatabaseas it should be',
      '└kelda-db1hostdoes not answer',
    ])
    const jobs = within(screen.getByRole('table', { name: 'Jobs done on it' }))
    expect(jobs.getByText('rows 3')).toBeTruthy()
    expect(jobs.getByRole('link', { name: /#70 failed/ }).getAttribute('href')).toBe('/runs/70')
    expect(within(screen.getByRole('table', { name: 'Open matters' })).getByText('no answer')).toBeTruthy()
  })

  it('is looked at by a check that is made for it, at once and from then on', async () => {
    const asked = show(
      <SystemScreen id={2} />,
      {
        ...LISTS,
        'GET /systems/2': PAGE,
        'POST /systems/2/checks': { jobId: 31, triggerId: 7 },
        'POST /runs': { id: 71 },
      },
      { role: 'designer' },
    )
    await press('Look whether it answers')
    await screen.findByRole('dialog')
    await choose(/The check lies in/, 'Housekeeping')
    await press('Look now')
    await waitFor(() => expect(changesOf(asked)).toHaveLength(2))
    expect(changesOf(asked)).toEqual([
      { what: 'POST /systems/2/checks', body: { areaId: 4, by: 'tcp', everyMinutes: 10 } },
      { what: 'POST /runs', body: { jobId: 31 } },
    ])
  })

  it('says how many jobs changed with it', async () => {
    const asked = show(
      <SystemScreen id={2} />,
      { ...LISTS, 'GET /systems/2': PAGE, 'PUT /systems/2': { version: 4, jobs: 1 } },
      { role: 'administrator' },
    )
    await press('Change')
    expect(await screen.findByText(/1 job is done on it/)).toBeTruthy()
    type('Host', 'kelda-db2')
    await press('Save')
    expect(await screen.findByText('Booking database is saved, and 1 job with it.')).toBeTruthy()
    expect(changesOf(asked)[0]?.body).toMatchObject({ host: 'kelda-db2', version: 3, on: ['kelda-db1'] })
  })
})
