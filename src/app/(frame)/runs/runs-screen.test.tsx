import { fireEvent, screen, waitFor, within } from '@testing-library/react'
import { press, show, type Asked } from '@/ui/screen.test-help'
import { RunsScreen } from './runs-screen'

const at = new Date(Date.now() - 60_000).toISOString()
const run = (id: number, change: object = {}): object => ({
  id,
  jobId: 5,
  title: 'Till file',
  area: 'Close of day',
  state: 'succeeded',
  stopAsked: false,
  cause: 'trigger',
  starter: 'Close of day',
  againOf: null,
  agent: 'orrin-ops1',
  attempts: 1,
  maxAttempts: 3,
  startAfter: null,
  startedAt: at,
  endedAt: at,
  durationMs: 61_000,
  usualMs: 50_000,
  exitCode: 0,
  reason: 'Exit code 0.',
  tellingLine: null,
  ...change,
})
const SERVER = {
  'GET /runs': {
    rows: [
      run(30, { state: 'running', stopAsked: true, endedAt: null, durationMs: null, reason: '' }),
      run(29, {
        state: 'waiting',
        startedAt: null,
        startAfter: new Date(Date.now() + 60_000).toISOString(),
        agent: null,
      }),
      run(28, { cause: 'again', starter: 'Callum Eads', againOf: 20 }),
      run(27, { state: 'cancelled', cause: 'token', starter: 'Ines Aldaya' }),
      run(26, { state: 'failed', reason: 'Exit code 1; success is 0.', tellingLine: 'till of tarn: no file yet' }),
    ],
    next: null,
  },
  'GET /jobs': [],
  'GET /areas': [],
  'GET /agents': [],
  'GET /triggers': { rows: [] },
  'GET /people': [],
}
beforeEach(() => localStorage.clear())
const lineOf = async (id: number): Promise<HTMLElement> =>
  (await screen.findByRole('link', { name: `#${id}` })).closest('tr') as HTMLElement
const heads = (): (string | undefined)[] =>
  screen.getAllByRole('columnheader').map((head) => head.textContent?.replace(/[↑↓]/, ''))
const lastAsked = (asked: Asked[]): Asked['query'] | undefined =>
  asked.findLast(({ what }) => what === 'GET /runs')?.query

describe('the list of runs', () => {
  it('says of each what it is, who started it and what came of it', async () => {
    show(<RunsScreen />, SERVER)
    expect((await lineOf(30)).textContent).toMatch(/#30stoppingTill fileClose of dayorrin-ops1trigger Close of day/)
    expect((await lineOf(29)).textContent).toContain('waits for')
    expect((await lineOf(28)).textContent).toContain('Callum Eads, again of #20')
    expect((await lineOf(27)).textContent).toContain('script of Ines Aldaya')
    expect((await lineOf(27)).dataset.dim).toBe('true')
    expect((await lineOf(26)).textContent).toContain('till of tarn: no file yet')
    expect(screen.getByTitle('Exit code 1; success is 0.')).toBeTruthy()
  })

  it('is gone through by keyboard, and opens a run', async () => {
    show(<RunsScreen />, SERVER)
    const first = await lineOf(30)
    expect(first.tabIndex).toBe(0)
    first.focus()
    for (const key of ['ArrowDown', 'ArrowDown', 'ArrowUp', 'End', 'Home', 'PageDown'])
      fireEvent.keyDown(document.activeElement as HTMLElement, { key })
    expect(document.activeElement).toBe(await lineOf(26))
    fireEvent.keyDown(document.activeElement as HTMLElement, { key: 'Enter' })
    expect(window.location.pathname).toBe('/runs/26')
  })

  it('keeps which columns are wanted', async () => {
    show(<RunsScreen />, SERVER)
    await lineOf(30)
    expect(heads()).not.toContain('Exit')
    await press('Columns')
    fireEvent.click(await screen.findByRole('checkbox', { name: 'Exit' }))
    fireEvent.click(screen.getByRole('checkbox', { name: 'Area' }))
    // What a run is called by always stays.
    expect(screen.queryByRole('checkbox', { name: 'Job' })).toBeNull()
    show(<RunsScreen />, SERVER)
    await lineOf(30)
    expect(heads()).toContain('Exit')
    expect(heads()).not.toContain('Area')
  })

  it('is filtered and sorted at the server, by the address', async () => {
    const asked = show(<RunsScreen />, SERVER, { at: '/runs?state=failed' })
    await lineOf(30)
    expect(lastAsked(asked)).toEqual({ state: 'failed' })
    await press('Took')
    await waitFor(() => expect(lastAsked(asked)).toEqual({ state: 'failed', sort: 'duration', dir: 'desc' }))
    expect(screen.getByRole('columnheader', { name: /Took/ }).getAttribute('aria-sort')).toBe('descending')
    await press(/^Took/)
    await waitFor(() => expect(lastAsked(asked)?.dir).toBe('asc'))
  })

  it('does one thing with several, and says first what will happen', async () => {
    const would = { done: [30, 29], machines: 1, passedOver: [{ id: 28, why: 'It has ended already.' }], made: [] }
    const asked = show(<RunsScreen />, { ...SERVER, 'POST /runs/many': would }, { role: 'operator' })
    fireEvent.click(within(await lineOf(30)).getByRole('checkbox'))
    const line = await lineOf(29)
    line.focus()
    fireEvent.keyDown(line, { key: ' ' })
    fireEvent.keyDown(line, { key: 'ArrowDown', shiftKey: true })
    expect(await screen.findByText('3 runs chosen')).toBeTruthy()
    await press('Stop')
    const dialog = await screen.findByRole('dialog')
    expect(dialog.textContent).toContain('Stops 2 runs, of which some are at work on one machine')
    expect(dialog.textContent).toContain('#28 It has ended already.')
    const sent = (): Asked[] => asked.filter(({ what }) => what === 'POST /runs/many')
    expect(sent().map(({ body }) => body)).toEqual([{ ids: [30, 29, 28], act: 'stop', dry: true }])
    fireEvent.click(within(dialog).getByRole('button', { name: 'Stop' }))
    await waitFor(() => expect(sent()).toHaveLength(2))
    expect(sent()[1]?.body).toMatchObject({ ids: [30, 29, 28], act: 'stop', requestKey: expect.any(String) as string })
    await waitFor(() => expect(screen.queryByText('3 runs chosen')).toBeNull())
  })

  it('says what to do when nothing fits, and where runs come from', async () => {
    const none = { ...SERVER, 'GET /runs': { rows: [], next: null } }
    show(<RunsScreen />, none, { at: '/runs?state=lost' })
    expect(await screen.findByText('No run fits')).toBeTruthy()
    show(<RunsScreen />, none)
    expect(
      within((await screen.findByText('Nothing has run yet')).parentElement as HTMLElement).getByRole('link'),
    ).toBeTruthy()
  })
})

it('“all runs” are all, also for somebody whose list opens with a view', async () => {
  const view = { id: 12, list: 'runs', of: null, title: 'Lost ones', values: { state: 'lost' } }
  show(
    <RunsScreen />,
    { ...SERVER, 'GET /runs': { rows: [], next: null }, 'GET /views': { views: [view], first: 12 } },
    { at: '/runs' },
  )
  await waitFor(() => expect(window.location.search).toBe('?view=12'))
  await press('Show all runs')
  await waitFor(() => expect(window.location.search).toBe('?view=none'))
})
