import { once } from 'node:events'
import type { AddressInfo } from 'node:net'
import { WebSocketServer, type WebSocket } from 'ws'
import { LEASE } from '@/agent/gateway.test-help'
import type { AgentFacts, FromAgent, Lease, Report, ReportBody } from '@/agent/protocol'
import { SimulatedMachine, type Play } from './machine'

const FACTS: AgentFacts = {
  host: 'orrin-ops1',
  machineId: 'machine-orrin',
  system: 'test',
  arch: 'x64',
  version: '1.0.0',
  runtime: 'node',
  abilities: ['command'],
}
const lease = (change: Partial<Lease> = {}): Lease => ({
  ...LEASE,
  action: { kind: 'command', command: 'till' },
  environment: { A: '1' },
  inputs: { harbour: 'orrin' },
  ...change,
})

/** A gateway that keeps what it is told, and acknowledges it only when the test says so. */
let server: WebSocketServer
let socket: WebSocket | undefined
let reports: Report[]
let hellos: number
const machines: SimulatedMachine[] = []
beforeEach(async () => {
  reports = []
  hellos = 0
  server = new WebSocketServer({ port: 0, host: '127.0.0.1' })
  server.on('connection', (opened) => {
    socket = opened
    opened.on('message', (data) => {
      const message = JSON.parse((data as Buffer).toString()) as FromAgent
      if (message.type === 'hello') {
        hellos++
        say({
          type: 'welcome',
          protocol: 1,
          agent: 'orrin-ops1',
          serverTime: Date.now(),
          heartbeatSeconds: 60,
          slots: 2,
          draining: false,
        })
      } else if (message.type === 'reports') reports.push(...message.reports)
    })
  })
  await once(server, 'listening')
})
afterEach(() => {
  for (const machine of machines.splice(0)) machine.stop()
  for (const open of server.clients) open.terminate()
  server.close()
})

const say = (message: object): void => socket?.send(JSON.stringify(message))
const until = async (is: () => boolean): Promise<void> => {
  while (!is()) await new Promise((resolve) => setTimeout(resolve, 5))
}
const bodies = (): ReportBody[] => [...new Map(reports.map((r) => [r.seq, r.body])).values()]
const ended = (): boolean => bodies().some(({ kind }) => kind === 'ended')
async function machine(play: Play): Promise<SimulatedMachine> {
  const one = new SimulatedMachine({
    gateway: `ws://127.0.0.1:${(server.address() as AddressInfo).port}`,
    credential: 'c',
    facts: FACTS,
    play: () => play,
  })
  machines.push(one)
  const before = hellos
  one.start()
  await until(() => hellos > before)
  return one
}
const PLAY: Play = {
  durationMs: 120,
  exitCode: 3,
  lines: [
    { atMs: 20, stream: 'o', text: 'one' },
    { atMs: 60, stream: 'e', text: 'two' },
  ],
}

describe('a simulated machine', () => {
  it('acts a lease out: what ran, its lines in time, its exit code', async () => {
    await machine(PLAY)
    say({ type: 'lease', lease: lease() })
    await until(ended)
    expect(bodies()).toMatchObject([
      { kind: 'started', ran: { argv: ['sh', '-c', 'till'], environment: { A: '1', harbour: 'orrin' } } },
      { kind: 'output', lines: [[expect.any(Number), 'o', 'one']] },
      { kind: 'output', lines: [[expect.any(Number), 'e', 'two']] },
      { kind: 'ended', end: { how: 'exited', exitCode: 3 } },
    ])
    expect(reports.map(({ seq }) => seq)).toEqual([1, 2, 3, 4])
  })

  it('takes a lease once, however often it comes', async () => {
    await machine(PLAY)
    for (let i = 0; i < 3; i++) say({ type: 'lease', lease: lease() })
    await until(ended)
    expect(bodies().filter(({ kind }) => kind === 'started')).toHaveLength(1)
  })

  it.each<[string, number | null, () => void, string]>([
    ['a stop', null, () => say({ type: 'stop', attempt: 7, token: 3 }), 'stopped'],
    ['its time limit', 0.05, () => undefined, 'timedOut'],
  ])('ends at %s, and says nothing afterwards', async (_, timeLimitSeconds, act, how) => {
    await machine({ ...PLAY, durationMs: 3_600_000, lines: [{ atMs: 3_600_000, stream: 'o', text: 'never' }] })
    say({ type: 'lease', lease: lease({ timeLimitSeconds }) })
    await until(() => bodies().length > 0)
    act()
    await until(ended)
    expect(bodies().at(-1)).toMatchObject({ kind: 'ended', end: { how, exitCode: null } })
    expect(bodies().some(({ kind }) => kind === 'output')).toBe(false)
  })

  it('goes on acting while it is out of reach, and tells everything later', async () => {
    const one = await machine(PLAY)
    say({ type: 'lease', lease: lease() })
    await until(() => bodies().length > 0)
    one.outage(150)
    await until(() => hellos === 2)
    await until(ended)
    expect(bodies().map(({ kind }) => kind)).toEqual(['started', 'output', 'output', 'ended'])
  })

  it('hands what it has in hand to the next process, which goes on where it was', async () => {
    // The second line is an hour away for the first process: however slow this machine is, it is not said there.
    const [one, two] = PLAY.lines
    const first = await machine({ ...PLAY, durationMs: 3_600_000, lines: [one!, { ...two!, atMs: 3_600_000 }] })
    say({ type: 'lease', lease: lease() })
    await until(() => bodies().filter(({ kind }) => kind === 'output').length === 1)
    const items = JSON.parse(JSON.stringify(first.handOver())) as ReturnType<SimulatedMachine['handOver']>
    first.stop()
    expect(items).toMatchObject([{ said: 1, lease: { attempt: 7 } }])
    const second = await machine(PLAY)
    second.takeOver(items)
    await until(ended)
    expect(bodies().map((body) => (body.kind === 'output' ? body.lines[0]?.[2] : body.kind))).toEqual([
      'started',
      'one',
      'two',
      'ended',
    ])
  })

  it('forgets what is not its own any more', async () => {
    const one = await machine({ ...PLAY, durationMs: 3_600_000, lines: [] })
    say({ type: 'lease', lease: lease() })
    await until(() => one.handOver().length === 1)
    say({ type: 'stale', attempt: 7, token: 3 })
    await until(() => one.handOver().length === 0)
    expect(ended()).toBe(false)
  })
})
