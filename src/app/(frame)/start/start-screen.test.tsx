import { screen, waitFor, within } from '@testing-library/react'
import { show } from '@/ui/screen.test-help'
import { useNoteOpened } from '@/ui/hooks/opened'
import type { ReactNode } from 'react'
import { StartScreen } from './start-screen'

const STEPS = [
  { id: 'agent', isDone: true },
  { id: 'job', isDone: false },
  { id: 'run', isDone: false },
  { id: 'person', isDone: false },
]
const TAKEN = [
  { id: 9, title: 'Till file', runId: 70, note: 'Called the harbour.', takenAt: new Date().toISOString() },
  {
    id: 10,
    title: 'The disk of kelda-files is full',
    runId: null,
    note: '',
    reason: '',
    evidence: 'Since 22:10',
    takenAt: null,
  },
]
beforeEach(() => window.localStorage.clear())

describe('the page of one’s own', () => {
  it('lists what a new server needs; what is there is ticked, the next is a link', async () => {
    show(<StartScreen />, { 'GET /start': { steps: STEPS, taken: [] } }, { role: 'designer' })
    const items = within((await screen.findByText('Make a job')).closest('ol') as HTMLElement)
    const rows = items.getAllByRole('listitem')
    expect(rows.map((row) => row.textContent)).toEqual([
      'Enrol an agentthe program on a machine that does the work: one pasted command',
      'Make a jobwhat is done, where, and what counts as success',
      'Start itby hand, and watch its output arrive',
      'Bring in somebody elseby an administrator',
    ])
    expect(within(rows[0] as HTMLElement).getByLabelText('done')).toBeTruthy()
    expect(rows[1]?.getAttribute('aria-current')).toBe('step')
    expect(
      within(rows[1] as HTMLElement)
        .getByRole('link')
        .getAttribute('href'),
    ).toBe('/work/jobs/new')
    expect(within(rows[3] as HTMLElement).queryByRole('link')).toBeNull()
    expect(screen.getByText('3 are left. Each ticks itself once it is there.')).toBeTruthy()
  })

  it('shows matters that the person took, and no steps where nothing is left', async () => {
    show(<StartScreen />, { 'GET /start': { steps: null, taken: TAKEN } })
    expect((await screen.findByRole('link', { name: 'Till file' })).getAttribute('href')).toBe('/runs/70')
    expect(screen.getByText('Called the harbour.')).toBeTruthy()
    expect(screen.getByRole('link', { name: 'The disk of kelda-files is full' }).getAttribute('href')).toBe('/watch')
    expect(screen.queryByText('First steps')).toBeNull()
  })

  it('remembers what was opened last, once each, and forgets nothing of it for what cannot be read', async () => {
    const Thing = ({ title }: { title: string | undefined }): ReactNode => {
      useNoteOpened('job', title)
      return null
    }
    show(<Thing title="Till file" />, {}, { at: '/work/jobs/1' })
    show(<Thing title={undefined} />, {}, { at: '/work/jobs/new' })
    show(<Thing title="Reconcile" />, {}, { at: '/work/jobs/2' })
    show(<Thing title="Till files" />, {}, { at: '/work/jobs/1' })
    show(<StartScreen />, { 'GET /start': { steps: null, taken: [] } }, { at: '/start' })
    const names = (): (string | null)[] => screen.getAllByRole('link').map((link) => link.textContent)
    await waitFor(() => expect(names()).toEqual(expect.arrayContaining(['Till files', 'Reconcile'])))
    expect(names().filter((name) => name?.startsWith('Till'))).toEqual(['Till files'])
    expect(names().indexOf('Till files')).toBeLessThan(names().indexOf('Reconcile'))
    const key = Object.keys(window.localStorage)[0] as string
    window.localStorage.setItem(key, '{"broken"')
    show(<StartScreen />, { 'GET /start': { steps: null, taken: [] } }, { at: '/start' })
    expect(await screen.findByText(/that you open stand here/)).toBeTruthy()
  })
})
