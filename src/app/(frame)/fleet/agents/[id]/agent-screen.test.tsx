import { screen, waitFor, within } from '@testing-library/react'
import type { AgentRow } from '@/service/fleet/fleet'
import { changesOf, choose, No, press, show, type, type Asked } from '@/ui/screen.test-help'
import { FleetScreen } from '../../fleet-screen'
import { AgentScreen } from './agent-screen'

const at = new Date(Date.now() - 9_000).toISOString()
const agent = (change: Partial<AgentRow> = {}): AgentRow =>
  ({
    id: 7,
    name: 'tarn-ops1',
    host: 'tarn-ops1',
    system: 'Debian 12',
    arch: 'x64',
    version: '1.0.0',
    runtime: 'node 20',
    slots: 2,
    used: 0,
    active: true,
    draining: false,
    state: 'ready',
    labels: { os: 'linux' },
    abilities: ['command', 'files'],
    denies: ['ssh', 'sql'],
    pools: [
      { name: 'harbours', active: true },
      { name: 'night', active: false },
    ],
    enrolledAt: at,
    lastContactAt: at,
    isOutdated: false,
    isSimulated: true,
    load: 0.2,
    ...change,
  }) as unknown as AgentRow
const SERVER = {
  'GET /measures/values': [
    {
      of: 'tarn-ops1',
      values: [
        { atMs: 1_804_557_600_000, value: 61 },
        { atMs: 1_804_557_660_000, value: 62.4 },
      ],
    },
  ],
  'GET /agents/7/busy': [
    { at, share: 0.5 },
    { at, share: 0.25 },
  ],
  'GET /runs': { rows: [], next: null },
  'GET /agents/7/events': [
    { id: 1, at, kind: 'connected', detail: 'version 1.0.0', times: 1, firstAt: null },
    { id: 2, at, kind: 'gone', detail: '', times: 14, firstAt: at },
  ],
  'GET /agents/7/refused': [{ runId: 31, kind: 'stale', reason: 'output', times: 1200, firstAt: at, lastAt: at }],
  'GET /agents/7/traces': [],
  'POST /agents/7/traces': { id: 5 },
  'DELETE /traces/5': undefined,
  'PATCH /agents/7': undefined,
  'POST /agents/7/revoke': undefined,
}
function page(
  change: Partial<AgentRow> = {},
  role: 'administrator' | 'designer' | 'operator' = 'administrator',
  more = {},
): Asked[] {
  return show(<AgentScreen id={7} />, { ...SERVER, 'GET /agents/7': agent(change), ...more }, { role })
}

describe('one agent', () => {
  it('tells its facts, how busy it was, and its story', async () => {
    page()
    expect(await screen.findByRole('heading', { name: 'tarn-ops1' })).toBeTruthy()
    expect(screen.getByText('harbours, night (off)')).toBeTruthy()
    expect(screen.getByText('· not ssh, sql')).toBeTruthy()
    expect(screen.getByText('of triggers')).toBeTruthy()
    expect(await screen.findByText('38 % of its slots on average')).toBeTruthy()
    expect((await screen.findByText('connected')).closest('tr')?.textContent).toContain('version 1.0.0')
    expect(screen.getByText('Nothing has run on it yet.')).toBeTruthy()
    expect((await screen.findByText(/memory 62 %/)).textContent).toContain(
      'fullest disk 62 % · load per processor 62.4',
    )
    expect(screen.getByText('gone, 14 times')).toBeTruthy()
    expect((await screen.findByRole('table', { name: 'Reports not taken' })).textContent).toContain(
      '1,200#31of a try that was not its own any more',
    )
  })

  it('is asked about another stretch of time', async () => {
    const asked = page()
    await choose(/Over/, 'last week')
    await waitFor(() =>
      expect(asked.findLast(({ what }) => what === 'GET /agents/7/busy')?.query).toEqual({ over: 'week' }),
    )
    expect(window.location.search).toBe('?over=week')
  })

  it.each<[string, Partial<AgentRow>, object, RegExp]>([
    ['Drain', {}, { draining: true }, /finishes what it has and takes nothing new/],
    ['Take work again', { draining: true }, { draining: false }, /takes work again/],
    ['Switch off', {}, { active: false }, /is switched off\. What runs on it goes on\./],
    ['Switch on', { active: false }, { active: true }, /is switched on/],
  ])('“%s” does that and says what it means', async (button, state, change, said) => {
    const asked = page(state)
    await press(button)
    expect(await screen.findByText(said)).toBeTruthy()
    expect(changesOf(asked)).toEqual([{ what: 'PATCH /agents/7', body: change }])
  })

  it('is asked to tell what it does for a while; what it told is fetched as a file', async () => {
    const asked = page({ abilities: ['command', 'trace'] })
    await choose(/^For|15 minutes/, '60 minutes')
    await press('Start')
    await waitFor(() => expect(changesOf(asked)).toEqual([{ what: 'POST /agents/7/traces', body: { minutes: 60 } }]))
  })

  it('that tells what it does is told that it is enough', async () => {
    const trace = {
      id: 5,
      askedBy: 'Ines Aldaya',
      startedAt: at,
      until: at,
      goesOn: true,
      lines: 1200,
      bytes: 9,
      rolled: true,
    }
    const asked = page({ abilities: ['command', 'trace'] }, 'administrator', { 'GET /agents/7/traces': [trace] })
    expect((await screen.findByRole('table', { name: 'Traces' })).textContent).toContain('… 1,200')
    expect(screen.getByRole('link', { name: 'Download the trace 5' }).getAttribute('href')).toBe(
      '/api/v1/traces/5/file',
    )
    await press('End it now')
    await waitFor(() => expect(changesOf(asked)).toMatchObject([{ what: 'DELETE /traces/5' }]))
  })

  it('of a trace only administrators see anything', async () => {
    const asked = page({}, 'operator')
    await screen.findByText('38 % of its slots on average')
    expect(screen.queryByRole('heading', { name: 'Trace' })).toBeNull()
    expect(asked.some(({ what }) => what.endsWith('/traces'))).toBe(false)
  })

  it('gets other slots and labels', async () => {
    const asked = page()
    await press('Slots and labels')
    await screen.findByRole('dialog')
    type(/^Slots/, '0')
    expect(screen.getByText('A whole number from 1 to 1024.')).toBeTruthy()
    await press('Save')
    expect(changesOf(asked)).toEqual([])
    type(/^Slots/, '6')
    type('Labels, as key=value', 'os=linux, site=tarn')
    await press('Save')
    expect(await screen.findByText('tarn-ops1 is changed.')).toBeTruthy()
    expect(changesOf(asked)).toEqual([
      { what: 'PATCH /agents/7', body: { slots: 6, labels: { os: 'linux', site: 'tarn' } } },
    ])
  })

  it('is revoked only after it is said what becomes of its work', async () => {
    const asked = page({ used: 2 })
    await press('Revoke')
    expect((await screen.findByRole('dialog')).textContent).toContain('The 2 slots of work on it are given up as lost')
    expect(changesOf(asked)).toEqual([])
    await press('Revoke it')
    await waitFor(() => expect(changesOf(asked)).toMatchObject([{ what: 'POST /agents/7/revoke' }]))
  })

  it('that is revoked offers nothing more; an operator may drain it, and nothing else', async () => {
    page({ state: 'revoked' })
    await screen.findByRole('heading', { name: 'tarn-ops1' })
    expect(screen.queryByRole('button', { name: 'Drain' })).toBeNull()
    const asked = page({}, 'operator')
    await press('Revoke')
    await press('Switch off')
    expect(screen.queryByRole('dialog')).toBeNull()
    await press('Drain')
    await waitFor(() => expect(changesOf(asked)).toMatchObject([{ body: { draining: true } }]))
  })

  it('that is not there is said to be not there', async () => {
    page({}, 'administrator', { 'GET /agents/7': new No(404, { title: 'Not found', detail: 'There is no agent 7.' }) })
    expect(await screen.findByText('There is no agent 7.')).toBeTruthy()
  })
})

describe('the fleet', () => {
  const ROWS = [
    agent(),
    agent({ id: 8, name: 'kelda-desk4', version: '0.8.2', isOutdated: true, state: 'away', lastContactAt: null }),
    agent({ id: 9, name: 'kelda-app1', state: 'off', slots: 6, used: 3, labels: { os: 'windows' } }),
  ]
  const server = { 'GET /agents': ROWS, 'GET /pools': [{ id: 1, name: 'harbours', members: [] }] }
  const lineOf = async (name: string): Promise<HTMLElement> =>
    (await screen.findByRole('link', { name })).closest('tr') as HTMLElement

  it('lists agents with state, use, version and last contact', async () => {
    show(<FleetScreen />, server)
    expect((await lineOf('kelda-desk4')).textContent).toMatch(/out of reach.*0\/2.*0\.8\.2 behind.*never$/)
    expect((await lineOf('kelda-app1')).dataset.dim).toBe('true')
    expect(screen.getByText('3 agents · 3 of 10 slots in use · 1 out of reach')).toBeTruthy()
  })

  it('is filtered at the server, by what there is', async () => {
    const asked = show(<FleetScreen />, server)
    await lineOf('tarn-ops1')
    await choose(/Label$/, 'os=windows')
    await choose(/Version$/, '0.8.2')
    await waitFor(() =>
      expect(asked.findLast(({ what }) => what === 'GET /agents')?.query).toEqual({
        label: 'os=windows',
        version: '0.8.2',
      }),
    )
  })

  it('says what an agent is when there is none', async () => {
    show(<FleetScreen />, { ...server, 'GET /agents': [] })
    expect(await screen.findByText('No agent is enrolled yet')).toBeTruthy()
  })

  it('opens the enrolment only to administrators', async () => {
    show(<FleetScreen />, server, { role: 'designer', at: '/fleet?enrol=1' })
    await lineOf('tarn-ops1')
    expect(screen.queryByRole('dialog')).toBeNull()
    show(<FleetScreen />, server, { role: 'administrator', at: '/fleet?enrol=1' })
    expect(within(await screen.findByRole('dialog')).getByText('Enrol an agent')).toBeTruthy()
  })
})
