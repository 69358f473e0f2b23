import { screen, within } from '@testing-library/react'
import type { Connections, LineRow } from '@/service/fleet/connections'
import { press, show } from '@/ui/screen.test-help'
import { groupsOf, relaysOf, rowsOf, wiresOf } from './connections-model'
import { FleetScreen } from './fleet-screen'

const ENGINE = '00000000-0000-4000-8000-000000000001'
const agent = (id: number, name: string, change: Partial<LineRow> = {}): LineRow => ({
  id,
  name,
  pools: ['harbours'],
  engineId: ENGINE,
  contactAt: new Date().toISOString(),
  line: { p50: id, p95: id * 10, reconnects: 0, unstored: 2, clockMs: 40 },
  inHand: 1,
  trouble: null,
  ...change,
})
const FOUND: Connections = {
  databaseMs: 1.4,
  engines: [
    {
      id: ENGINE,
      host: 'kelda-night',
      pid: 1,
      version: '1.0.0',
      gatewayUrl: 'ws://x',
      startedAt: '2027-03-09T00:00:00Z',
      lastSeenAt: new Date().toISOString(),
      leads: true,
      agents: 3,
      isAlive: true,
    },
  ],
  agents: [
    agent(1, 'orrin-ops1'),
    agent(3, 'orrin-ops2', { pools: ['harbours', 'night'] }),
    agent(5, 'quay-app1', { pools: [], trouble: 'Round trips take up to 900 ms: look at the network.' }),
    agent(7, 'stavin-ops1', { engineId: null, line: null, inHand: 0, trouble: 'It does not call.' }),
  ],
}

it('agents are grouped by their first pool; wires go to the engines that have some of them', () => {
  const groups = groupsOf(FOUND)
  expect(
    groups.map(({ pool, agents, away, troubled, p50, p95, inHand }) => [
      pool,
      agents.length,
      away,
      troubled,
      p50,
      p95,
      inHand,
    ]),
  ).toEqual([
    ['harbours', 3, 1, 0, 1, 30, 2],
    ['', 1, 0, 1, 5, 50, 1],
  ])
  expect(wiresOf(FOUND, groups, []).map(({ from, to, isTroubled }) => [...from, ...to, isTroubled])).toEqual([
    ['database', 0, 'engine', 0, false],
    ['engine', 0, 'group', 0, false],
    ['engine', 0, 'group', 1, true],
  ])
})

const line = (change: object) => ({ p50: 1, p95: 2, reconnects: 0, unstored: 0, clockMs: 0, ...change })
const RELAYED: Connections = {
  ...FOUND,
  agents: [
    agent(1, 'kelda-gate1', { pools: [], line: line({ relay: { port: 4385, lines: 2 } }) }),
    agent(2, 'orrin-pier', { line: line({ through: 'kelda-gate1' }) }),
    agent(3, 'tarn-pier', { line: line({ through: 'kelda-gate1' }), engineId: null, trouble: 'It does not call.' }),
    agent(4, 'tarn-ops1'),
    agent(5, 'far-ops1', { line: line({ through: '10.1.1.1:3128' }) }),
  ],
}

it('agents of one relay stand together, and their wires go by it', async () => {
  const groups = groupsOf(RELAYED)
  expect(groups.map(({ through, pool, agents, away }) => [through, pool, agents.length, away])).toEqual([
    ['', 'harbours', 1, 0],
    ['', '', 1, 0],
    ['10.1.1.1:3128', 'harbours', 1, 0],
    ['kelda-gate1', 'harbours', 2, 1],
  ])
  const relays = relaysOf(RELAYED)
  expect(relays.map(({ name, agent: of }) => [name, of?.id])).toEqual([
    ['10.1.1.1:3128', undefined],
    ['kelda-gate1', 1],
  ])
  // Beside the groups behind them: no straight wire goes through one.
  expect(rowsOf(groups, [...relays, { name: 'idle', agent: null }])).toEqual([2, 3, 4])
  expect(wiresOf(RELAYED, groups, relays).map(({ from, to, isTroubled }) => [...from, ...to, isTroubled])).toEqual([
    ['database', 0, 'engine', 0, false],
    ['engine', 0, 'relay', 0, false],
    ['engine', 0, 'relay', 1, false],
    ['engine', 0, 'group', 0, false],
    ['engine', 0, 'group', 1, false],
    ['relay', 0, 'group', 2, false],
    ['relay', 1, 'group', 3, true],
  ])
  show(<FleetScreen />, { 'GET /agents': [], 'GET /connections': RELAYED }, { at: '/fleet?tab=connections' })
  const picture = await screen.findByRole('group', { name: 'Connections' })
  expect(picture.textContent).toContain('kelda-gate1 relaypasses on 2 lines at port 4385')
  expect(picture.textContent).toContain('10.1.1.1:3128 relayno agent of this server')
  await press(/^harbours 2 agents, 1 away/)
  expect(screen.getByRole('heading', { name: 'Agents of harbours through kelda-gate1' })).toBeTruthy()
  expect(within(screen.getByRole('table', { name: 'Lines of agents' })).getAllByRole('link')).toHaveLength(4)
})

it('a pool leads to its agents; whoever is in trouble stands first, with what to look at', async () => {
  show(<FleetScreen />, { 'GET /agents': [], 'GET /connections': FOUND }, { at: '/fleet?tab=connections' })
  const table = await screen.findByRole('table', { name: 'Lines of agents' })
  const names = (): string[] =>
    within(table)
      .getAllByRole('link')
      .map((link) => link.textContent ?? '')
      .filter((text) => text !== '1')
  expect(names()).toEqual(['quay-app1', 'stavin-ops1', 'orrin-ops1', 'orrin-ops2'])
  expect(table.textContent).toContain('Round trips take up to 900 ms')
  const picture = screen.getByRole('group', { name: 'Connections' })
  expect(picture.textContent).toContain('kelda-night engine, leads')
  expect(picture.textContent).toContain('answers the pages in 1.4 ms')
  await press(/^harbours/)
  expect(names()).toEqual(['stavin-ops1', 'orrin-ops1', 'orrin-ops2'])
  expect(screen.getByRole('heading', { name: 'Agents of harbours' })).toBeTruthy()
  await press(/^harbours/)
  expect(names()).toHaveLength(4)
})

it('without an engine it says so', async () => {
  const none = { ...FOUND, engines: [], agents: [] }
  show(<FleetScreen />, { 'GET /agents': [], 'GET /connections': none }, { at: '/fleet?tab=connections' })
  expect(await screen.findByText('No engine runs: nothing starts.')).toBeTruthy()
})
