import { act, cleanup, fireEvent, screen, waitFor, within } from '@testing-library/react'
import { useEffect, type ReactNode } from 'react'
import type { ViewRow } from '@/service/views/views'
import { changesOf, No, press, show, type } from '@/ui/screen.test-help'
import { ColumnsButton } from './columns-button'
import { useColumns, type Choosable } from './use-columns'
import { useViewed, type Viewed } from './use-viewed'
import { ViewMenu } from './view-menu'

const VIEW: ViewRow = {
  id: 12,
  list: 'runs',
  of: null,
  title: 'Failed last night',
  values: { state: 'failed', when: 'last-night', columns: 'number,why' },
  shared: 'everyone',
  areaId: null,
  area: null,
  madeBy: 'Sunniva Dahl',
  isMine: false,
  mayChange: false,
  version: 3,
  savedBy: 'Sunniva Dahl',
  savedAt: '2027-03-09T02:00:00Z',
}
const MINE = {
  ...VIEW,
  id: 13,
  title: 'Mine',
  values: { state: 'lost' },
  madeBy: 'Moira',
  isMine: true,
  mayChange: true,
}

const COLUMNS: readonly Choosable<{ id: number }>[] = [
  { id: 'number', title: 'Run', always: true, cell: () => '' },
  { id: 'job', title: 'Job', cell: () => '' },
  { id: 'why', title: 'Why', cell: () => '' },
  { id: 'exit', title: 'Exit', isExtra: true, cell: () => '' },
]
let viewed: Viewed
function List({ tell }: { tell: (now: Viewed) => void }): ReactNode {
  const now = useViewed('runs')
  const columns = useColumns(now, COLUMNS)
  useEffect(() => {
    tell(now)
  })
  return (
    <>
      <ViewMenu viewed={now} />
      <ColumnsButton {...columns} />
      <output>{columns.shown.map(({ title }) => title).join(' ')}</output>
    </>
  )
}
const server = (first: number | null = null): Record<string, unknown> => ({
  'GET /views': { views: [MINE, VIEW], first },
  'GET /areas': [],
  'PUT /views/13': { version: 4 },
  'PUT /views/first': undefined,
  'POST /views': { id: 14 },
  'DELETE /views/13': undefined,
})
const open = (at: string, first: number | null = null) =>
  show(<List tell={(now) => (viewed = now)} />, server(first), { at })
const address = (): string => window.location.search
const set = (changes: Record<string, string | null>): void => act(() => viewed.set(changes))
const columnsShown = (): string => document.querySelector('output')?.textContent ?? ''
beforeEach(() => localStorage.clear())

describe('a list and its views', () => {
  it('is shown as the view keeps it, by an address that names the view alone', async () => {
    open('/runs?view=12&row=7')
    expect(await screen.findByRole('button', { name: 'View: Failed last night' })).toBeTruthy()
    expect(viewed.values).toEqual({ state: 'failed', when: 'last-night', columns: 'number,why', row: '7' })
    expect(columnsShown()).toBe('Run Why')
    expect(viewed.isReady).toBe(true)
    // What is no part of a view passes by it.
    set({ row: '8' })
    expect(address()).toBe('?view=12&row=8')
  })

  it('changed in passing is marked, keeps what else was there, and goes back', async () => {
    open('/runs?view=12')
    await screen.findByRole('button', { name: 'View: Failed last night' })
    set({ state: 'failed,lost' })
    expect(viewed.values).toEqual({ state: 'failed,lost', when: 'last-night', columns: 'number,why' })
    expect(new URLSearchParams(address()).get('changed')).toBe('1')
    expect(screen.getByText('changed')).toBeTruthy()
    // Somebody else’s view: kept as one’s own, or not at all.
    expect(screen.queryByRole('button', { name: 'Save' })).toBeNull()
    await press('Back to it')
    expect(address()).toBe('?view=12')
    // What is as it was again is not changed.
    set({ when: null })
    set({ when: 'last-night' })
    expect(address()).toBe('?view=12')
  })

  it('two changes before the first is drawn are both there', async () => {
    open('/runs?view=12')
    await screen.findByRole('button', { name: 'View: Failed last night' })
    act(() => {
      viewed.set({ state: null })
      viewed.set({ text: 'till' })
    })
    expect(viewed.values).toEqual({ when: 'last-night', columns: 'number,why', text: 'till' })
  })

  it('of one’s own is saved as it is shown, with the version that was read', async () => {
    const asked = open('/runs?view=13')
    await screen.findByRole('button', { name: 'View: Mine' })
    set({ sort: 'ended' })
    await press('Save')
    await waitFor(() => expect(address()).toBe('?view=13'))
    expect(changesOf(asked)).toEqual([
      {
        what: 'PUT /views/13',
        body: {
          list: 'runs',
          of: null,
          title: 'Mine',
          shared: 'everyone',
          areaId: null,
          version: 3,
          values: { state: 'lost', sort: 'ended' },
        },
      },
    ])
  })

  it('is kept as a new view by a name', async () => {
    const asked = open('/runs?state=failed&row=7')
    await press('Views')
    fireEvent.click(await screen.findByRole('menuitem', { name: 'Keep this as a view …' }))
    await screen.findByRole('dialog', { name: 'Keep this as a view' })
    type('Name', 'All that failed')
    await press('Keep it')
    await waitFor(() => expect(new URLSearchParams(address()).get('view')).toBe('14'))
    expect(changesOf(asked)).toMatchObject([
      {
        what: 'POST /views',
        body: { list: 'runs', title: 'All that failed', values: { state: 'failed' }, shared: 'me' },
      },
    ])
  })

  it('opens with what its person wants first, when it is asked for bare, and not when they want it as it is', async () => {
    open('/runs', 13)
    await waitFor(() => expect(address()).toBe('?view=13'))
    act(() => viewed.open(null))
    expect(address()).toBe('?view=none')
    expect(viewed.values).toEqual({})
    set({ state: 'failed' })
    expect(new URLSearchParams(address()).get('state')).toBe('failed')
    set({ state: null })
    expect(address()).toBe('?view=none')
  })

  it('of runs leads to a report: of the view while it is as it was kept, else of what is shown', async () => {
    const report = async (): Promise<string> => {
      fireEvent.click(await screen.findByRole('button', { name: 'View: Failed last night' }))
      fireEvent.click(await screen.findByRole('menuitem', { name: 'Make a report of these …' }))
      return new URLSearchParams(address()).get('runs') ?? ''
    }
    open('/runs?view=12')
    expect(await report()).toBe('view=12')
    cleanup()
    open('/runs?view=12')
    await screen.findByRole('button', { name: 'View: Failed last night' })
    set({ job: '5' })
    expect(Object.fromEntries(new URLSearchParams(await report()))).toMatchObject({ state: 'failed', job: '5' })
  })

  it('whose view is gone shows the rest of its address', async () => {
    open('/runs?view=99&state=failed')
    await waitFor(() => expect(viewed.isReady).toBe(true))
    expect(viewed.view).toBeNull()
    expect(viewed.values).toEqual({ state: 'failed' })
    show(
      <List tell={(now) => (viewed = now)} />,
      { 'GET /views': new No(500, { detail: 'no' }) },
      { at: '/runs?view=12' },
    )
    await waitFor(() => expect(viewed.isReady).toBe(true))
  })
})

describe('columns of a list', () => {
  it('are kept on this machine as they were last, and moved by keys', async () => {
    open('/runs')
    expect(columnsShown()).toBe('Run Job Why')
    await press('Columns')
    const dialog = await screen.findByRole('dialog', { name: 'Columns' })
    fireEvent.click(within(dialog).getByRole('checkbox', { name: 'Exit' }))
    await press('Why: further to the front')
    expect(columnsShown()).toBe('Run Why Job Exit')
    // What is always there cannot be taken away.
    expect(within(dialog).queryByRole('checkbox', { name: 'Run' })).toBeNull()
    open('/runs')
    await waitFor(() => expect(columnsShown()).toBe('Run Why Job Exit'))
    expect(address()).toBe('')
  })

  it('of a view are the view’s: changing them is a passing change', async () => {
    open('/runs?view=12')
    await screen.findByRole('button', { name: 'View: Failed last night' })
    await press('Columns')
    fireEvent.click(await screen.findByRole('checkbox', { name: 'Job' }))
    expect(columnsShown()).toBe('Run Why Job')
    expect(new URLSearchParams(address()).get('changed')).toBe('1')
    expect(localStorage.length).toBe(0)
  })
})
