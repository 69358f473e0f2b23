import { fireEvent, screen, within } from '@testing-library/react'
import { show } from '@/ui/screen.test-help'
import { WatchScreen } from './watch-screen'

const now = Date.now()
// A run that goes on is as long as the clock says: here it stands, however long a busy machine takes to draw.
jest.spyOn(Date, 'now').mockReturnValue(now)
const ago = (minutes: number): string => new Date(now - minutes * 60_000).toISOString()
const bar = (change: object): object => ({
  runId: 1,
  title: 'Gate counts',
  state: 'succeeded',
  startedAt: ago(40),
  endedAt: ago(25),
  usualMs: null,
  robotId: null,
  ...change,
})
const SERVER = {
  'GET /runs/counts': { running: 3, waiting: 1, failed: 4, succeeded: 581 },
  'GET /lanes': [
    {
      systemId: null,
      agentId: 7,
      agent: 'orrin-ops1',
      slots: 2,
      used: 1,
      away: false,
      bars: [
        bar({}),
        bar({ runId: 2, title: 'Vessel log', startedAt: ago(30), endedAt: ago(29) }),
        bar({
          runId: 3,
          title: 'Booking mirror',
          state: 'running',
          startedAt: ago(12),
          endedAt: null,
          usualMs: 1_800_000,
        }),
        bar({ runId: 4, title: 'Refund', startedAt: ago(20), endedAt: ago(18), robotId: 5 }),
      ],
      robots: [{ id: 5, name: 'desk1' }],
    },
    { systemId: null, agentId: 8, agent: 'tarn-ops1', slots: 2, used: 0, away: true, bars: [], robots: [] },
  ],
  'GET /next-starts': [
    { triggerId: 5, title: 'Close of day', at: ago(-10), says: 'at 00:45 every day', goesTo: 'harbours', dueAt: null },
    { triggerId: 6, title: 'Late one', at: ago(1), says: 'every minute', goesTo: 'lab', dueAt: ago(-5) },
  ],
  'GET /ended': [
    {
      id: 9,
      title: 'Name check',
      state: 'failed',
      agent: 'kelda-app1',
      durationMs: 61_000,
      usualMs: 30_000,
      endedAt: ago(2),
    },
  ],
}

describe('watch', () => {
  it('has a lane for each machine, with a title where it fits, and all of it for those who listen', async () => {
    show(<WatchScreen />, SERVER)
    const lane = await screen.findByRole('listbox', { name: 'Runs on orrin-ops1' })
    const bars = within(lane).getAllByRole('option')
    expect(bars.map((one) => one.getAttribute('aria-label'))).toEqual([
      'Gate counts #1, succeeded, 15:00',
      'Vessel log #2, succeeded, 1:00',
      'Booking mirror #3, running, 12:00',
    ])
    expect(bars[0]?.textContent).toBe('Gate counts')
    // A minute is a few pixels wide.
    expect(bars[1]?.textContent).toBe('')
    expect(screen.getByText('1/2')).toBeTruthy()
    expect(screen.getByText('out of reach')).toBeTruthy()
    // What a robot of the machine did stands in a lane of its own.
    const robot = screen.getByRole('listbox', { name: 'Runs of desk1 on orrin-ops1' })
    expect(
      within(robot)
        .getAllByRole('option')
        .map((one) => one.getAttribute('aria-label')),
    ).toEqual(['Refund #4, succeeded, 2:00'])
    expect(screen.getByRole('link', { name: 'desk1' }).getAttribute('href')).toBe('/fleet/robots/5')
  })

  it('has lanes by system, too, which say what does not answer', async () => {
    const lane = { agentId: 0, systemId: 3, agent: 'Booking database', slots: 0, used: 1, away: true, robots: [] }
    show(<WatchScreen />, { ...SERVER, 'GET /lanes': [{ ...lane, bars: [bar({})] }] }, { at: '/watch?by=system' })
    const track = await screen.findByRole('listbox', { name: 'Runs on Booking database' })
    expect(within(track).getByRole('option').textContent).toBe('Gate counts')
    expect(screen.getByText('does not answer')).toBeTruthy()
    expect(screen.getByRole('link', { name: 'Booking database' }).getAttribute('href')).toBe('/fleet/systems/3')
    expect(screen.getByRole('link', { name: 'by machine' }).getAttribute('href')).toBe('/watch')
  })

  it('names what has just begun beside its bar, which is too short for it yet', async () => {
    const begun = bar({ runId: 4, title: 'Till file', state: 'running', startedAt: ago(0.2), endedAt: null })
    const lane = {
      systemId: null,
      agentId: 7,
      agent: 'orrin-ops1',
      slots: 2,
      used: 1,
      away: false,
      bars: [begun],
      robots: [],
    }
    show(<WatchScreen />, { ...SERVER, 'GET /lanes': [lane] })
    const track = await screen.findByRole('listbox', { name: 'Runs on orrin-ops1' })
    expect(within(track).getByRole('option').textContent).toBe('')
    expect(within(track).getByText('Till file')).toBeTruthy()
  })

  it('is gone through lane by lane with arrows; Enter opens the run', async () => {
    show(<WatchScreen />, SERVER)
    const lane = await screen.findByRole('listbox', { name: 'Runs on orrin-ops1' })
    const chosen = (): string | null | undefined =>
      within(lane)
        .getAllByRole('option')
        .find((one) => one.getAttribute('aria-selected') === 'true')
        ?.getAttribute('aria-label')
    fireEvent.focus(lane)
    expect(chosen()).toMatch(/^Booking mirror/)
    fireEvent.keyDown(lane, { key: 'ArrowLeft' })
    expect(chosen()).toMatch(/^Vessel log/)
    fireEvent.keyDown(lane, { key: 'Home' })
    fireEvent.keyDown(lane, { key: 'ArrowLeft' })
    expect(chosen()).toMatch(/^Gate counts/)
    fireEvent.keyDown(lane, { key: 'Enter' })
    expect(window.location.pathname).toBe('/runs/1')
  })

  it('names the next starts and what just ended', async () => {
    show(<WatchScreen />, SERVER)
    const next = within(await screen.findByRole('table', { name: 'Next starts' })).getAllByRole('row')
    expect(next[1]?.textContent).toMatch(/^Close of day10 minat 00:45 every dayharbours$/)
    expect(next[2]?.textContent).toMatch(/^Late onenow/)
    const ended = await screen.findByRole('table', { name: 'Just ended' })
    expect(within(ended).getAllByRole('row')[1]?.textContent).toMatch(/^Name checkkelda-app1failed1:010:302 min ago$/)
  })

  it('counts, and each count leads to its runs', async () => {
    show(<WatchScreen />, SERVER)
    expect((await screen.findByRole('link', { name: /3 running/ })).getAttribute('href')).toBe('/runs?state=running')
    expect(screen.getByRole('link', { name: /4 failed/ }).getAttribute('href')).toContain('state=failed,lost')
  })

  it('says how to begin where no machine is enrolled', async () => {
    show(<WatchScreen />, { ...SERVER, 'GET /lanes': [], 'GET /next-starts': [], 'GET /ended': [] })
    expect(await screen.findByText('No machine is enrolled yet')).toBeTruthy()
    expect(await screen.findByText('No trigger is switched on.')).toBeTruthy()
  })
})
