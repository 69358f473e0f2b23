import { act, fireEvent, screen, waitFor, within } from '@testing-library/react'
import { useQueries, useQuery } from '@tanstack/react-query'
import type { ReactNode } from 'react'
import { api } from '../api'
import { changesOf, ME, No, press, show, type Asked } from '../screen.test-help'
import { LiveProvider } from '../hooks/live'
import { Frame } from './frame'

/** The stream of events, in the test's hand. */
class Stream {
  static last: Stream
  onopen: (() => void) | null = null
  onerror: (() => void) | null = null
  onmessage: ((event: { data: string }) => void) | null = null
  constructor() {
    Stream.last = this
  }
  close(): void {}
  tell(change: object): void {
    const nothing = { runs: [], all: false, fleet: false, matters: false, jobs: false, timing: false }
    act(() => this.onmessage?.({ data: JSON.stringify({ ...nothing, ...change }) }))
  }
}
beforeAll(() => Object.assign(globalThis, { EventSource: Stream }))
beforeEach(() => localStorage.clear())

const hours = (n: number): string => new Date(Date.now() + n * 3_600_000).toISOString()
const SERVER = {
  'GET /starts': { on: true },
  'GET /matters': [
    { id: 1, kind: 'run-failed', state: 'open', title: 'Till file', runId: 7, agentId: 2, lastAt: '1', times: 1 },
  ],
  'GET /day': {
    from: hours(-8),
    now: hours(0),
    bucketSeconds: 900,
    capacity: 34,
    used: Array.from({ length: 32 }, (_, i) => i % 5),
    failures: [{ id: 9, title: 'Name check', at: hours(-2) }],
  },
  'GET /day/ahead': {
    madeAt: hours(0),
    from: hours(0),
    bucketSeconds: 900,
    starts: Array.from({ length: 64 }, (_, i) => i % 3),
    load: Array.from({ length: 64 }, (_, i) => i % 7),
    p10: Array.from({ length: 64 }, (_, i) => (i % 7) / 2),
    p90: Array.from({ length: 64 }, (_, i) => (i % 7) + 1),
    waiting: Array.from({ length: 64 }, (_, i) => i % 2),
    deadlines: [{ triggerId: 5, title: 'Freight invoicing', dueAt: hours(5), chance: 0.61, risk: 'amber' }],
  },
  'GET /runs': { total: 3 },
}
function Inside(): ReactNode {
  const { data } = useQuery({ queryKey: ['runs'], queryFn: () => api.get<{ total: number }>('/runs') })
  return (
    <div data-filter>
      <a data-back href="#back" onClick={() => window.history.replaceState(null, '', '/back')}>
        back
      </a>
      <input aria-label="filter" />
      <p>{data?.total} runs</p>
    </div>
  )
}
const frame = (more: object = {}): Asked[] =>
  show(
    <Frame me={{ ...ME, paceSeconds: 0.05 }}>
      <Inside />
    </Frame>,
    { ...SERVER, ...more },
    { at: '/timing/calendars' },
  )
const key = (name: string, on: Element | Window = window, more: object = {}): void =>
  void fireEvent.keyDown(on, { key: name, ...more })

describe('what is around every screen', () => {
  it('says where one is, and how much needs a person, once that is known', async () => {
    let answer: (matters: unknown) => void = () => undefined
    frame({ 'GET /matters': new Promise((resolve) => (answer = resolve)) })
    expect(screen.getByRole('link', { name: 'Timing' }).getAttribute('aria-current')).toBe('page')
    expect(screen.queryByText(/all is well|need/)).toBeNull()
    answer([])
    frame()
    expect(await screen.findByText('1 needs a person')).toBeTruthy()
  })

  it('goes by keys: g and a letter, Ctrl K, ?, / and Esc', async () => {
    frame()
    for (const [letter, path] of [
      ['w', '/watch'],
      ['r', '/runs'],
      ['o', '/work'],
      ['t', '/timing'],
      ['f', '/fleet'],
      ['s', '/settings'],
    ]) {
      key('g')
      key(letter as string)
      expect(window.location.pathname).toBe(path)
    }
    key('/')
    expect(document.activeElement).toBe(screen.getByLabelText('filter'))
    // What is typed into a field is not a command.
    key('g', document.activeElement as Element)
    key('w', document.activeElement as Element)
    expect(window.location.pathname).toBe('/settings')
    ;(document.activeElement as HTMLElement).blur()
    key('Escape')
    expect(window.location.pathname).toBe('/back')
    key('?')
    expect((await screen.findByRole('dialog')).textContent).toContain(
      'go to Watch, Runs, Work, Timing, Fleet, Settings',
    )
    key('Escape', screen.getByRole('dialog'))
    await waitFor(() => expect(screen.queryByRole('dialog')).toBeNull())
    key('k', window, { ctrlKey: true })
    expect(await screen.findByRole('combobox', { name: 'What to find or do' })).toBeTruthy()
  })

  it('asks again for what changed, and only for that', async () => {
    const asked = frame()
    await screen.findByText('3 runs')
    const times = (what: string): number => asked.filter((one) => one.what === what).length
    const before = [times('GET /runs'), times('GET /starts')]
    Stream.last.tell({ runs: [4] })
    await waitFor(() => expect(times('GET /runs')).toBe((before[0] as number) + 1))
    expect(times('GET /starts')).toBe(before[1])
    Stream.last.tell({ timing: true })
    await waitFor(() => expect(times('GET /starts')).toBe((before[1] as number) + 1))
  })

  it('asks for lists that show how runs went when a run changed, not for names, editors and what is chosen from', async () => {
    const KEYS = [
      ['jobs'],
      ['jobs', 'names'],
      ['jobs', 4],
      ['agents'],
      ['agent-names'],
      ['triggers', 'list', {}],
      ['triggers', 4],
      ['triggers', 4, 'history'],
      ['run', 4],
      ['run', 5],
    ] as const
    const asked: string[] = []
    function Queries(): ReactNode {
      useQueries({
        queries: KEYS.map((queryKey) => ({
          queryKey,
          queryFn: () => {
            asked.push(queryKey.slice(0, 3).map(String).join(' '))
            return Promise.resolve(1)
          },
        })),
      })
      return null
    }
    show(
      <LiveProvider paceSeconds={0.01}>
        <Queries />
      </LiveProvider>,
      {},
    )
    await waitFor(() => expect(asked).toHaveLength(KEYS.length))
    const toldOf = async (change: object, count: number): Promise<string[]> => {
      asked.length = 0
      Stream.last.tell(change)
      await waitFor(() => expect(asked).toHaveLength(count))
      await new Promise((resolve) => setTimeout(resolve, 50))
      return [...asked]
    }
    expect(await toldOf({ runs: [4] }, 5)).toEqual([
      'jobs',
      'agents',
      'triggers list [object Object]',
      'triggers 4 history',
      'run 4',
    ])
    expect(await toldOf({ fleet: true }, 2)).toEqual(['agents', 'agent-names'])
    expect(await toldOf({ jobs: true }, 6)).toEqual([
      'jobs',
      'jobs names',
      'jobs 4',
      'triggers list [object Object]',
      'triggers 4',
      'triggers 4 history',
    ])
  })

  it('announces a new failure once, wherever one is', async () => {
    let matters = SERVER['GET /matters']
    frame({ 'GET /matters': () => matters })
    await screen.findByText('1 needs a person')
    expect(screen.queryByText(/failed$/)).toBeNull()
    matters = [...matters, { ...(matters[0] as object), id: 2, title: 'Name check', runId: 8 } as (typeof matters)[0]]
    Stream.last.tell({ matters: true })
    expect(await screen.findByText('Name check #8 failed')).toBeTruthy()
    expect(screen.queryByText('Till file #7 failed')).toBeNull()
    const [first] = matters
    const late = { ...(first as object), id: 3, kind: 'run-late', title: 'Close of day', runId: 9 } as typeof first
    const risky = { ...(late as object), id: 4, kind: 'run-at-risk', title: 'Boards', runId: 10 } as typeof first
    matters = [...matters, late, risky] as typeof matters
    Stream.last.tell({ matters: true })
    expect(await screen.findByText('Close of day #9 is late')).toBeTruthy()
    expect(screen.getByText('Boards #10 is at risk of being late')).toBeTruthy()
  })

  it('holds the live updates, and says that it does', async () => {
    const asked = frame()
    await screen.findByText('3 runs')
    await press('Moira Calder, menu')
    fireEvent.click(await screen.findByRole('menuitem', { name: 'Hold the live updates' }))
    expect(await screen.findByText(/Live updates are on hold/)).toBeTruthy()
    const before = asked.length
    Stream.last.tell({ runs: [4] })
    await new Promise((resolve) => setTimeout(resolve, 150))
    expect(asked.slice(before).filter(({ what }) => what === 'GET /runs')).toEqual([])
  })

  it('asks for everything again after the stream was cut: what happened meanwhile was told to nobody', async () => {
    const asked = frame()
    await screen.findByText('3 runs')
    const times = (): number => asked.filter(({ what }) => what === 'GET /runs').length
    act(() => Stream.last.onopen?.())
    await new Promise((resolve) => setTimeout(resolve, 100))
    expect(times()).toBe(1)
    act(() => Stream.last.onerror?.())
    act(() => Stream.last.onopen?.())
    await waitFor(() => expect(times()).toBe(2))
  })

  it('says that the server is out of reach, and that starts are off and why', async () => {
    frame({ 'GET /starts': { on: false, by: 'Callum Eads', at: hours(-1), note: 'Storage is being moved' } })
    expect((await screen.findByText(/Starts by triggers are off/)).textContent).toMatch(
      /switched off by Callum Eads \(Storage is being moved\)\. Runs go on\./,
    )
    act(() => Stream.last.onerror?.())
    expect(screen.getByText(/The server is out of reach/)).toBeTruthy()
    act(() => Stream.last.onopen?.())
    expect(screen.queryByText(/The server is out of reach/)).toBeNull()
  })

  it('changes the colours at once; a sign-out that did not reach the server is told', async () => {
    const asked = frame({ 'PATCH /me': undefined, 'POST /api/sign-out': new No(503, { detail: 'Not now.' }) })
    await press('Moira Calder, menu')
    fireEvent.click(await screen.findByRole('menuitem', { name: 'Night colours' }))
    expect(document.documentElement.dataset.theme).toBe('dark')
    await waitFor(() => expect(changesOf(asked)).toEqual([{ what: 'PATCH /me', body: { theme: 'dark' } }]))
    await press('Moira Calder, menu')
    fireEvent.click(await screen.findByRole('menuitem', { name: 'Sign out' }))
    expect(await screen.findByText('Not now.')).toBeTruthy()
  })
})

describe('the day line', () => {
  it('shows failures behind and deadlines ahead, each leading to what it is', async () => {
    frame()
    const line = await screen.findByRole('group', { name: /^Slots used and failures/ })
    const links = async (): Promise<(string | null)[]> =>
      (await within(line).findAllByRole('link')).map((link) => link.getAttribute('href'))
    await waitFor(async () => expect((await links()).sort()).toEqual(['/runs/9', '/timing/triggers/5']))
    expect(within(line).getByText('capacity 34 slots')).toBeTruthy()
    expect(within(line).getByText(/^Freight invoicing \d\d:\d\d 61 %$/)).toBeTruthy()
    expect(
      within(line).getByRole('link', { name: /^Freight invoicing: finish by .* 61 % to be in time$/ }),
    ).toBeTruthy()
    expect(within(line).getAllByText(/\d\.\d \(\d\.\d to \d\.\d\) of 34 slots, 1\.0 waiting, /).length).toBeGreaterThan(
      5,
    )
  })

  it('is folded, and stays so', async () => {
    frame()
    await press('fold')
    expect(screen.queryByRole('group', { name: /^Slots used/ })).toBeNull()
    frame()
    await press('day line')
    expect(await screen.findByRole('group', { name: /^Slots used/ })).toBeTruthy()
  })

  it('opens the runs of a stretch that is drawn on it', async () => {
    frame()
    const line = await screen.findByRole('group', { name: /^Slots used/ })
    // 1280 px are 24 hours from eight hours ago; jsdom's events carry no place.
    const at = (type: string, x: number): void => {
      const event = new MouseEvent(type, { bubbles: true, clientX: x })
      act(() => void line.dispatchEvent(event))
    }
    at('pointerdown', 100)
    at('pointermove', 206)
    at('pointerup', 206)
    const values = new URLSearchParams(window.location.search)
    expect(window.location.pathname).toBe('/runs')
    const length = Date.parse(values.get('to') ?? '') - Date.parse(values.get('from') ?? '')
    expect(Math.abs(length - 2 * 3_600_000)).toBeLessThan(180_000)
  })
})
