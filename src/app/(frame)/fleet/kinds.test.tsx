import { screen, waitFor, within } from '@testing-library/react'
import { changesOf, press, show, type } from '@/ui/screen.test-help'
import { FleetScreen } from './fleet-screen'

const AGENTS = ['orrin-ops1', 'orrin-ops2', 'orrin-ops3', 'orrin-ops4', 'orrin-ops5', 'orrin-ops6', 'orrin-ops7']
const SERVER = {
  'GET /agents': [],
  'GET /kinds': {
    kinds: [
      { kind: 'command', off: null, jobs: 12, waiting: 0 },
      { kind: 'script', off: null, jobs: 2, waiting: 0 },
      {
        kind: 'ssh',
        off: { why: 'The keys are being changed.', by: 'Ines Aldaya', at: '2027-03-09T02:00:00Z' },
        jobs: 3,
        waiting: 4,
      },
    ],
    groups: [
      {
        version: '1.0.0',
        kinds: ['command', 'script', 'ssh'],
        count: 7,
        agents: AGENTS.map((name, id) => ({ id, name })),
      },
      { version: '0.9.4', kinds: ['command', 'script'], count: 1, agents: [{ id: 9, name: 'tarn-ops1' }] },
    ],
  },
  'PUT /kinds': undefined,
}
const open = (role: 'administrator' | 'viewer' = 'administrator') =>
  show(<FleetScreen />, SERVER, { role, at: '/fleet?tab=kinds' })
const rowOf = async (name: string): Promise<string> =>
  (await screen.findByRole('row', { name: new RegExp(name) })).textContent?.replace(/\s+/g, ' ') ?? ''

it('says which agents of which versions can what, and what is off and why', async () => {
  open()
  expect(await rowOf('^command')).toContain('all 8')
  expect(await rowOf('^ssh')).toContain('7 of 8')
  expect(await rowOf('^ssh')).toContain('off: The keys are being changed. Ines Aldaya')
  const versions = within(screen.getByRole('table', { name: 'Agents by version and what they can' }))
  const words = versions.getAllByRole('row').map((row) => row.textContent)
  expect(words[1]).toContain('all kinds')
  expect(words[1]).toContain('orrin-ops3 and 4 more')
  expect(words[2]).toContain('all but ssh')
})

it('switches a kind off with a reason, and on again', async () => {
  const asked = open()
  await screen.findByRole('row', { name: /^script/ })
  await press('Switch script off')
  type('Why', 'Its interpreter is being changed.')
  await press('Switch it off')
  await waitFor(() =>
    expect(changesOf(asked)).toMatchObject([
      { what: 'PUT /kinds', body: { kind: 'script', on: false, why: 'Its interpreter is being changed.' } },
    ]),
  )
  await press('Switch ssh on')
  await waitFor(() => expect(changesOf(asked)[1]).toMatchObject({ body: { kind: 'ssh', on: true } }))
})

it('whoever may not is told so', async () => {
  const asked = open('viewer')
  await screen.findByRole('row', { name: /^script/ })
  await press('Switch script off')
  expect(changesOf(asked)).toEqual([])
  expect(screen.queryByRole('dialog')).toBeNull()
})
