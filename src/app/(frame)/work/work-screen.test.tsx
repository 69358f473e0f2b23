import { fireEvent, screen, waitFor, within } from '@testing-library/react'
import { changesOf, No, press, show, type } from '@/ui/screen.test-help'
import { WorkScreen } from './work-screen'

const job = (id: number, title: string, change: object = {}): object => ({
  id,
  title,
  isFlow: false,
  steps: 0,
  area: 'Fares',
  areaId: 4,
  kind: 'command',
  target: { pool: 'quay' },
  usualMs: 61_000,
  active: true,
  lastRun: null,
  ...change,
})
const SERVER = {
  'GET /areas': [
    {
      id: 4,
      title: 'Fares',
      path: 'Fares',
      notes: 'Every night',
      jobs: 2,
      parentId: null,
      closed: false,
      may: 'design',
    },
    { id: 5, title: 'Sailing', path: 'Sailing', notes: '', jobs: 1, parentId: null, closed: false, may: 'manage' },
    { id: 7, title: 'Refunds', path: 'Sailing / Refunds', notes: '', jobs: 1, parentId: 5, closed: true, may: 'see' },
  ],
  'GET /jobs': [
    job(1, 'Till file'),
    job(2, 'Reconcile', { active: false, lastRun: { id: 70, state: 'failed', at: new Date().toISOString() } }),
    job(3, 'Manifest', { area: 'Sailing', areaId: 5, target: { labels: { os: 'linux' } }, kind: 'wait' }),
    job(5, 'Pay out', { area: 'Sailing / Refunds', areaId: 7 }),
    job(4, 'Close of day', { isFlow: true, steps: 8, kind: null, target: null }),
  ],
  'GET /drifts': [{ jobId: 3, change: 0.38, days: 56, count: 50 }],
  'POST /areas': { id: 6 },
}
const titles = async (): Promise<(string | undefined)[]> => {
  const body = (await screen.findByRole('table', { name: 'Jobs and flows' })).querySelector('tbody') as HTMLElement
  return (await within(body).findAllByRole('row')).map((row) => row.querySelector('b')?.textContent)
}

describe('work', () => {
  it('lists jobs by area, with what became of them last', async () => {
    show(<WorkScreen />, SERVER)
    expect(await titles()).toEqual(['Till file', 'Reconcile', 'Manifest', 'Pay out', 'Close of day'])
    const line = screen.getByRole('link', { name: 'Reconcile' }).closest('tr') as HTMLElement
    expect(line.dataset.dim).toBe('true')
    expect(line.textContent).toMatch(/pool quay1:01failed.*off/)
    const flow = screen.getByRole('link', { name: 'Close of day' })
    expect(flow.getAttribute('href')).toBe('/work/flows/4')
    expect(flow.closest('tr')?.textContent).toContain('flow of 8 steps')
    show(<WorkScreen />, SERVER, { at: '/work?area=5' })
    // What lies in an area within it lies in it, too.
    await waitFor(async () => expect(await titles()).toEqual(['Manifest', 'Pay out']))
    expect(screen.getByRole('heading', { name: 'Sailing' })).toBeTruthy()
  })

  it('shows areas in one another, which are closed, and makes nothing where the person may only look', async () => {
    show(<WorkScreen />, SERVER, { at: '/work?area=7' })
    const shelf = await screen.findByRole('navigation', { name: 'Areas of work' })
    await within(shelf).findByRole('link', { name: /Refunds/ })
    expect(
      within(shelf)
        .getAllByRole('link')
        .map((link) => link.textContent),
    ).toEqual(['All work5', 'Fares2', 'Sailing2', 'Refunds1', 'Queues', 'Shared values'])
    expect(within(shelf).getByRole('link', { name: /Refunds closed/ })).toBeTruthy()
    await press('New job')
    expect(window.location.pathname).toBe('/work')
  })

  it('moves an area by dragging, once it is seen what that changes; only where both are managed', async () => {
    const harbour = { id: 9, title: 'Harbour', path: 'Harbour', notes: '', jobs: 0, parentId: null, closed: false }
    const asked = show(
      <WorkScreen />,
      {
        ...SERVER,
        'GET /areas': [...SERVER['GET /areas'], { ...harbour, may: 'manage' }],
        'GET /areas/9': { ...harbour, may: 'manage', version: 2, members: [] },
        'GET /people': [],
        'GET /groups': [],
        'POST /areas/9/preview': { changes: [], more: 0 },
        'PUT /areas/9': { version: 3 },
      },
      { role: 'designer' },
    )
    const shelf = await screen.findByRole('navigation', { name: 'Areas of work' })
    const link = (name: RegExp): HTMLElement => within(shelf).getByRole('link', { name })
    const drag = async (what: RegExp, onto: RegExp): Promise<boolean> => {
      await within(shelf).findByRole('link', { name: what })
      const dataTransfer = { effectAllowed: '', setData: () => undefined }
      fireEvent.dragStart(link(what), { dataTransfer })
      // It says that it takes it by taking the event.
      const takes = !fireEvent.dragOver(link(onto), { dataTransfer })
      fireEvent.drop(link(onto), { dataTransfer })
      fireEvent.dragEnd(link(what), { dataTransfer })
      return takes
    }
    expect(await drag(/Harbour/, /Fares/)).toBe(false)
    expect(await drag(/Fares/, /Harbour/)).toBe(false)
    expect(await drag(/Sailing/, /Refunds/)).toBe(false)
    // Where it lies already; and to the outermost, which takes an administrator.
    expect(await drag(/Harbour/, /All work/)).toBe(false)
    expect(screen.queryByRole('dialog')).toBeNull()
    expect(await drag(/Harbour/, /Sailing/)).toBe(true)
    const dialog = await screen.findByRole('dialog')
    expect(await within(dialog).findByRole('button', { name: /It lies/ })).toHaveProperty(
      'textContent',
      expect.stringContaining('Sailing'),
    )
    expect(changesOf(asked).map(({ what }) => what)).not.toContain('PUT /areas/9')
    await press('Save')
    await waitFor(() => expect(screen.queryByRole('dialog')).toBeNull())
    expect(changesOf(asked).find(({ what }) => what === 'PUT /areas/9')).toMatchObject({
      body: { parentId: 5, version: 2 },
    })
  })

  it('draws of ten thousand areas only some', async () => {
    const many = Array.from({ length: 10_000 }, (_, i) => ({
      ...SERVER['GET /areas'][0],
      id: 100 + i,
      title: `Area ${i}`,
    }))
    show(<WorkScreen />, { ...SERVER, 'GET /areas': many })
    const shelf = await screen.findByRole('navigation', { name: 'Areas of work' })
    await within(shelf).findByRole('link', { name: /^Area 0/ })
    expect(within(shelf).getAllByRole('link').length).toBeLessThan(200)
  })

  it('marks what has become slower', async () => {
    show(<WorkScreen />, SERVER)
    expect((await screen.findByText('slower: +38 % in 56 days')).closest('tr')?.textContent).toContain('Manifest')
  })

  it('finds a job by title, area or place', async () => {
    show(<WorkScreen />, SERVER)
    await titles()
    const box = screen.getByRole('searchbox', { name: 'Find a job or flow' })
    fireEvent.change(box, { target: { value: 'os=linux' } })
    await waitFor(async () => expect(await titles()).toEqual(['Manifest']))
    fireEvent.change(box, { target: { value: 'xyz' } })
    expect(await screen.findByText('Nothing is called that')).toBeTruthy()
  })

  it('does not offer to start a job that is off', async () => {
    const asked = show(<WorkScreen />, SERVER, { role: 'operator' })
    await titles()
    await press('Start Reconcile')
    expect(screen.queryByRole('dialog')).toBeNull()
    expect(changesOf(asked)).toEqual([])
  })

  it('makes an area and goes there, or says why not', async () => {
    let isTaken = true
    show(<WorkScreen />, {
      ...SERVER,
      'POST /areas': () =>
        isTaken
          ? new No(400, {
              detail: 'There is an area Fares.',
              errors: [{ path: 'title', message: 'There is an area Fares.' }],
            })
          : { id: 6 },
    })
    await press('New')
    await screen.findByRole('dialog')
    type('Title', 'Fares')
    await press('Add')
    expect(await screen.findByText('There is an area Fares.')).toBeTruthy()
    isTaken = false
    type('Title', 'Freight')
    await press('Add')
    await waitFor(() => expect(window.location.search).toBe('?area=6'))
  })

  it('begins with a job where there is no area yet: one is made on the way', async () => {
    show(<WorkScreen />, { ...SERVER, 'GET /areas': [], 'GET /jobs': [] })
    expect(await screen.findByText('Begin with a job')).toBeTruthy()
  })
})
