import { cleanup, fireEvent, screen, waitFor, within } from '@testing-library/react'
import type { MatterRow } from '@/service/runs/matters'
import { changesOf, No, press, show, type } from '@/ui/screen.test-help'
import { Matters } from './matters'

const at = new Date(Date.now() - 120_000).toISOString()
const matter = (change: object): MatterRow =>
  ({
    id: 1,
    kind: 'run-failed',
    state: 'open',
    title: 'Till file Tarn Head',
    jobId: 4,
    runId: 18204,
    agentId: 7,
    agentName: 'tarn-ops1',
    openedAt: at,
    lastAt: at,
    times: 1,
    attempts: 2,
    maxAttempts: 3,
    reason: 'Exit code 3.',
    evidence: 'no till file yet',
    held: 0,
    takenBy: null,
    takenAt: null,
    note: '',
    isFlow: false,
    isOpen: false,
    stepPath: null,
    triggerId: null,
    queueId: null,
    stepTitle: null,
    passedOver: 0,
    dueAt: null,
    foreseenAt: null,
    isRestore: false,
    ...change,
  }) as unknown as MatterRow
const card = async (headline: string): Promise<HTMLElement> =>
  (await screen.findByRole('link', { name: headline })).closest('li') as HTMLElement
const words = (element: HTMLElement): string => element.textContent?.replace(/\s+/g, ' ') ?? ''

describe('what needs a person', () => {
  it('says each in one sentence with its evidence', async () => {
    show(
      <Matters />,
      {
        'GET /matters': [
          matter({ times: 3 }),
          matter({ id: 2, kind: 'run-lost', runId: 5, title: 'Vessel logs', evidence: '', maxAttempts: 1 }),
          matter({ id: 3, kind: 'agent-away', runId: null, title: 'brack-ops1', held: 2 }),
          matter({ id: 4, state: 'taken', title: 'Name check', takenBy: 'Callum Eads', takenAt: at, note: 'on it' }),
        ],
      },
      { role: 'operator' },
    )
    expect(words(await card('Till file Tarn Head failed on tarn-ops1'))).toMatch(
      /#18204 · try 2 of 3 · .* · 3 times in a row\. Exit code 3\..*no till file yet/,
    )
    expect(words(await card('Vessel logs was lost on tarn-ops1'))).not.toContain('try')
    expect(words(await card('brack-ops1 has not called'))).toContain('2 runs on it; given up as lost if it stays away.')
    expect(words(await card('Name check failed on tarn-ops1'))).toContain('Taken by Callum Eads')
    expect(screen.getByText('3 open · 1 taken')).toBeTruthy()
  })

  it('names the step at which a flow failed, what that passed over, and leads to running again from it', async () => {
    const flow = { isFlow: true, title: 'Sailing manifests', stepPath: 'boards/tarn', stepTitle: 'Departure board' }
    show(
      <Matters />,
      {
        'GET /matters': [
          matter({ ...flow, passedOver: 3, dueAt: '2027-03-09T04:45:00Z' }),
          matter({ ...flow, id: 2, title: 'Sound watch', isOpen: true }),
        ],
      },
      { role: 'operator' },
    )
    const over = words(await card('Sailing manifests failed at Departure board on tarn-ops1'))
    expect(over).toMatch(/The flow has ended\. 3 steps passed over because of it\. To finish by Tue 9 Mar 04:45\./)
    const open = await card('Sound watch failed at Departure board on tarn-ops1')
    expect(words(open)).toContain('The rest of the flow goes on.')
    expect(within(open).queryByRole('button', { name: /Run again/ })).toBeNull()
    await press('Run again from Departure board')
    await waitFor(() => expect(window.location.search).toBe('?step=boards%2Ftarn&do=again'))
  })

  it('tells of runs that are late or will be', async () => {
    const late = { dueAt: '2027-03-09T04:45:00Z', foreseenAt: '2027-03-09T05:02:00Z' }
    show(<Matters />, {
      'GET /matters': [
        matter({ ...late, kind: 'run-late' }),
        matter({ ...late, id: 2, kind: 'run-at-risk', title: 'Close of day', evidence: '61 % to be in time.' }),
        matter({
          id: 3,
          kind: 'deadline-at-risk',
          title: 'Manifests',
          runId: null,
          triggerId: 12,
          evidence: '40 % to be in time. Would help most: one slot more in data (then 98 %).',
        }),
      ],
    })
    expect(words(await card('Till file Tarn Head is late'))).toContain('To finish by Tue 9 Mar 04:45.')
    const risk = await card('Close of day is at risk of being late')
    expect(words(risk)).toContain('To finish by Tue 9 Mar 04:45. 61 % to be in time.')
    const coming = await card('Manifests is at risk of being late')
    expect(words(coming)).toMatch(
      /Still to begin; known since .* 40 % to be in time\. Would help most: one slot more in data/,
    )
    expect(within(coming).getByRole('link', { name: 'Open trigger' }).getAttribute('href')).toBe('/timing/triggers/12')
    expect(within(risk).queryByRole('button', { name: /Run again/ })).toBeNull()
  })

  it('leads to what ran since a back-up that was brought back', async () => {
    const restored = matter({
      kind: 'trouble',
      title: 'The database was restored from a back-up',
      runId: null,
      agentId: null,
      isRestore: true,
    })
    show(<Matters />, { 'GET /matters': [restored] })
    const names = ['Look at what ran', 'The database was restored from a back-up']
    for (const name of names)
      expect((await screen.findByRole('link', { name })).getAttribute('href')).toBe('/timing/since-back-up')
  })

  it('says that all is well', async () => {
    show(<Matters />, { 'GET /matters': [] })
    expect(await screen.findByText('All is well.')).toBeTruthy()
  })

  it('is taken with a word for the others, closed, or run again', async () => {
    const asked = show(
      <Matters />,
      {
        'GET /matters': [matter({})],
        'POST /matters/1/take': undefined,
        'POST /matters/1/close': undefined,
        'POST /runs/18204/again': { id: 18300 },
      },
      { role: 'operator' },
    )
    await press('Take')
    await screen.findByRole('dialog')
    type('A word for the others (optional)', 'calling Tarn Head')
    await press('Take it')
    await press('Close')
    await screen.findByRole('dialog')
    type('What was done (optional)', 'the file came at six')
    await press('Close it')
    await press('Run again')
    expect(changesOf(asked)).toMatchObject([
      { what: 'POST /matters/1/take', body: { note: 'calling Tarn Head' } },
      { what: 'POST /matters/1/close', body: { done: 'the file came at six' } },
      { what: 'POST /runs/18204/again' },
    ])
    await waitFor(() => expect(window.location.pathname).toBe('/runs/18300'))
  })

  it('tells what went wrong, and lets a viewer do nothing', async () => {
    const server = {
      'GET /matters': [matter({})],
      'POST /matters/1/close': new No(409, { detail: 'Somebody has closed it already.' }),
    }
    show(<Matters />, server, { role: 'operator' })
    await press('Close')
    await screen.findByRole('dialog')
    type('What was done (optional)', 'called again')
    await press('Close it')
    expect(await screen.findByText('Somebody has closed it already.')).toBeTruthy()
    // What was typed is still there.
    expect(screen.getByDisplayValue('called again')).toBeTruthy()
    cleanup()
    const asked = show(<Matters />, server, { role: 'viewer' })
    const buttons = within(await card('Till file Tarn Head failed on tarn-ops1')).getAllByRole('button')
    for (const button of buttons) fireEvent.click(button)
    expect(changesOf(asked)).toEqual([])
    expect(screen.queryByRole('dialog')).toBeNull()
  })
})
