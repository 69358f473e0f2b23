import { screen, waitFor, within } from '@testing-library/react'
import type { RobotRow } from '@/service/fleet/robots'
import { changesOf, No, press, show, type } from '@/ui/screen.test-help'
import { FleetScreen } from './fleet-screen'
import { RobotScreen } from './robots/[id]/robot-screen'

const now = Date.now()
const ago = (minutes: number): Date => new Date(now - minutes * 60_000)
const robot = (change: Partial<RobotRow> = {}): RobotRow => ({
  id: 5,
  name: 'desk1',
  kind: 'unattended',
  agentId: 7,
  agent: 'kelda-desk1',
  host: 'kelda-desk1',
  accountId: 3,
  account: 'terminal-desk1',
  userName: 'svc-desk1',
  state: 'busy',
  since: ago(3),
  why: null,
  runId: 97,
  active: true,
  earliest: '07:00',
  latest: '19:00',
  calendar: null,
  hours: '07:00–19:00',
  labels: { site: 'kelda' },
  pools: [{ name: 'desks', active: true }],
  notes: '',
  registeredBy: 'Ines Aldaya',
  registeredAt: ago(9000),
  lastStartAt: ago(3),
  isTrying: false,
  triedAt: ago(9000),
  tryFault: null,
  goodUntil: null,
  personId: null,
  person: null,
  deskSince: null,
  ...change,
})
const expired = robot({
  id: 6,
  name: 'desk4',
  agent: 'kelda-desk4',
  state: 'account',
  runId: null,
  why: 'could not sign in as terminal-desk4: the password has expired.',
  tryFault: 'the password has expired.',
})
const work = {
  from: ago(1440),
  to: ago(0),
  busy: { 5: 0.25 },
  pieces: [
    { robotId: 5, runId: 96, jobId: 1, title: 'Refund', from: ago(60), to: ago(50), state: 'succeeded' },
    { robotId: 5, runId: 97, jobId: 1, title: 'Refund', from: ago(3), to: null, state: 'running' },
  ],
}
const SERVER = {
  'GET /agents': [{ id: 7, name: 'kelda-desk1', state: 'ready', pools: [], labels: {}, used: 0, slots: 1 }],
  'GET /robots': [robot(), expired],
  'GET /robots/work': work,
  'GET /robots/5': robot(),
  'GET /pools': [{ id: 2, name: 'desks', title: 'Desks', members: [], robots: [], slots: 0, active: true }],
  'GET /accounts': [],
  'GET /calendars': [],
}

describe('robots', () => {
  it('say what each is doing, since when and how busy it was; each piece of work leads to its run', async () => {
    show(<FleetScreen />, SERVER, { role: 'administrator', at: '/fleet?tab=robots' })
    const row = await screen.findByRole('row', { name: /^desk1 / })
    expect(within(row).getByText('busy')).toBeTruthy()
    expect(within(row).getByRole('link', { name: '#97' }).getAttribute('href')).toBe('/runs/97')
    await waitFor(() => expect(within(row).getByText('25 %')).toBeTruthy())
    const lane = within(row).getByRole('list', { name: 'What desk1 did' })
    expect(
      within(lane)
        .getAllByRole('link', { hidden: true })
        .map((one) => one.getAttribute('href')),
    ).toEqual(['/runs/96', '/runs/97'])
    expect(screen.getByTitle('could not sign in as terminal-desk4: the password has expired.')).toBeTruthy()
  })

  it('are registered with a new account; what the server finds wrong stands at its field', async () => {
    const asked = show(
      <FleetScreen />,
      {
        ...SERVER,
        'POST /robots': new No(400, {
          title: 'Something in the request is not right',
          detail: 'There is a robot called desk9 already.',
          errors: [{ path: 'name', message: 'There is a robot called desk9 already.' }],
        }),
      },
      { role: 'administrator', at: '/fleet?tab=robots&register=1' },
    )
    const dialog = await screen.findByRole('dialog', { name: 'Register a robot' })
    type('Name', 'desk9')
    type('User name on that machine', 'svc-desk9')
    await press('Register it')
    expect(await within(dialog).findByText('There is a robot called desk9 already.')).toBeTruthy()
    expect(changesOf(asked)[0]).toMatchObject({
      what: 'POST /robots',
      body: {
        name: 'desk9',
        account: { name: 'desk9-account', userName: 'svc-desk9', secret: null },
        kind: 'unattended',
      },
    })
  })

  it('have a page: why one does not work, its sign-in tried again, switched off', async () => {
    const asked = show(
      <RobotScreen id={5} />,
      { ...SERVER, 'GET /robots/5': { ...expired, id: 5 }, 'POST /robots/5/try': {}, 'PATCH /robots/5': {} },
      { role: 'administrator', at: '/fleet/robots/5' },
    )
    expect(await screen.findByText(/desk4 could not sign in as terminal-desk4/)).toBeTruthy()
    await press('Try its sign-in')
    await press('Switch off')
    await waitFor(() => expect(changesOf(asked)).toHaveLength(2))
    expect(changesOf(asked)).toEqual([
      { what: 'POST /robots/5/try', body: {} },
      { what: 'PATCH /robots/5', body: { active: false } },
    ])
  })
})
