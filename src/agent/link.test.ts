import { once } from 'node:events'
import type { WebSocket } from 'ws'
import { Gateways } from './gateways'
import { AgentLink, type Host } from './link'
import { Outbox } from './outbox'
import { accepted, FakeGateway, heartbeat, hello, LEASE, reports, welcome } from './gateway.test-help'
import type { FromAgent } from './protocol'

let gateway: FakeGateway
let link: AgentLink
let told: string[]

function begin(change: Partial<Host> = {}): AgentLink {
  // What a line of the test before says late is not told to this one.
  const heard = told
  const host: Host = {
    facts: {
      host: 'orrin',
      machineId: 'machine-orrin',
      system: 'test',
      arch: 'x64',
      version: '1.0.0',
      runtime: 'node',
      abilities: ['wait'],
    },
    held: () => [{ attempt: 5, token: 2 }],
    used: () => 1,
    load: () => 0.5,
    onLease: (lease) => heard.push(`lease ${lease.attempt}`),
    onStop: (attempt) => heard.push(`stop ${attempt}`),
    onStale: (attempt) => heard.push(`stale ${attempt}`),
    onSettings: ({ slots, draining }) => heard.push(`settings ${slots} ${draining}`),
    onAcked: (attempt) => heard.push(`acked ${attempt}`),
    onUnstorable: (attempt, seq) => heard.push(`unstorable ${attempt} ${seq}`),
    onResend: (attempt, from) => {
      heard.push(`resend ${attempt} ${from}`)
      return null
    },
    log: (message) => heard.push(message),
    ...change,
  }
  link = new AgentLink(new Gateways(gateway.url), 'the-credential', host)
  link.start()
  return link
}
const outbox = (attempt = 7): Outbox => {
  const box = new Outbox(attempt, 3, null, () => link.sendSoon())
  link.carry(box)
  return box
}
const line = (text: string) => ({
  kind: 'output' as const,
  lines: [[1, 'o' as const, text]] as [[number, 'o', string]],
})
const toldOf = async (what: string): Promise<void> => {
  while (!told.some((text) => text.includes(what))) await new Promise((resolve) => setTimeout(resolve, 5))
}

beforeEach(async () => {
  told = []
  gateway = new FakeGateway()
  await once(gateway.server, 'listening')
})
afterEach(() => {
  link.stop()
  gateway.close()
})

describe('the line to a gateway', () => {
  it('shows its credential, says what it has in hand, and beats after the welcome', async () => {
    begin()
    const greeting = await gateway.until(hello)
    expect(greeting).toMatchObject({ protocol: 1, held: [{ attempt: 5, token: 2 }], facts: { host: 'orrin' } })
    expect(gateway.credentials).toEqual(['Bearer the-credential'])
    gateway.say(welcome({ slots: 6, draining: true }))
    expect(await gateway.until(heartbeat)).toEqual({
      type: 'heartbeat',
      load: 0.5,
      used: 1,
      line: { p50: null, p95: null, reconnects: 0, unstored: 0, clockMs: expect.any(Number) },
    })
    expect(told).toEqual(['connected as orrin-ops1', 'settings 6 true'])
  })

  it('goes to the gateways that it is told of, in turn, when the one it has goes', async () => {
    begin()
    const second = new FakeGateway()
    await once(second.server, 'listening')
    await gateway.until(hello)
    gateway.say(welcome({ gateways: ['ws://127.0.0.1:9/agent', second.url] }))
    await gateway.until(heartbeat)
    gateway.close()
    expect(await second.until(hello)).toMatchObject({ held: [{ attempt: 5, token: 2 }] })
    link.stop()
    second.close()
  })

  it('says nothing of its work before it is welcome, then everything', async () => {
    begin()
    const box = outbox()
    box.add(line('early'))
    await gateway.until(hello)
    await new Promise((resolve) => setTimeout(resolve, 60))
    expect(gateway.heard.filter(reports)).toEqual([])
    gateway.say(welcome())
    expect((await gateway.until(reports)).reports).toMatchObject([{ attempt: 7, token: 3, seq: 1 }])
  })

  it('has kept a lease before it says that it is accepted', async () => {
    let isKept = false
    begin({ onLease: () => void (isKept = true) })
    await gateway.until(hello)
    gateway.say(welcome())
    gateway.say({ type: 'lease', lease: LEASE })
    expect(await gateway.until(accepted)).toEqual({ type: 'accepted', attempt: 7, token: 3 })
    expect(isKept).toBe(true)
  })

  it('forgets what is stored, and sends what is missing again', async () => {
    let box: Outbox = undefined as unknown as Outbox
    begin({
      onResend: () => {
        box.rewind()
        return null
      },
    })
    await gateway.until(hello)
    gateway.say(welcome())
    box = outbox()
    for (const text of ['a', 'b', 'c']) box.add(line(text))
    await gateway.until((m): m is FromAgent => reports(m) && m.reports.at(-1)?.seq === 3)
    gateway.say({ type: 'ack', acks: [[7, 1]] })
    await toldOf('acked 7')
    expect(box.pending.map(({ seq }) => seq)).toEqual([2, 3])
    const before = gateway.heard.length
    gateway.say({ type: 'resend', attempt: 7, from: 2 })
    expect((await gateway.until(reports, before)).reports.map(({ seq }) => seq)).toEqual([2, 3])
  })

  it('says what it has no more, and answers the same question ever more slowly', async () => {
    const heard = told
    begin({
      onResend: (attempt, from) => {
        heard.push(`resend ${attempt} ${from}`)
        return { token: 3, from, to: 4 }
      },
    })
    await gateway.until(hello)
    gateway.say(welcome())
    const isGone = (m: FromAgent): m is Extract<FromAgent, { type: 'gone' }> => m.type === 'gone'
    gateway.say({ type: 'resend', attempt: 7, from: 2 })
    expect(await gateway.until(isGone)).toEqual({ type: 'gone', attempt: 7, token: 3, from: 2, to: 4 })
    for (let i = 0; i < 20; i++) gateway.say({ type: 'resend', attempt: 7, from: 2 })
    gateway.say({ type: 'resend', attempt: 7, from: 3 })
    await toldOf('resend 7 3')
    expect(told.filter((each) => each === 'resend 7 2')).toHaveLength(1)
  })

  it('answers nothing more once it is stopped', async () => {
    begin()
    await gateway.until(hello)
    gateway.say(welcome())
    for (let i = 0; i < 2; i++) gateway.say({ type: 'resend', attempt: 7, from: 2 })
    gateway.say({ type: 'settings', slots: 2, draining: true })
    await toldOf('settings 2 true')
    link.stop()
    const before = told.length
    // The second answer is due half a second after the question.
    await new Promise((resolve) => setTimeout(resolve, 700))
    expect(told.slice(before)).toEqual([])
  })

  it('comes back when it is cut, greets again, and sends again what was not stored', async () => {
    begin()
    await gateway.until(hello)
    gateway.say(welcome())
    const box = outbox()
    box.add(line('a'))
    await gateway.until(reports)
    const before = gateway.heard.length
    gateway.sockets.at(-1)?.terminate()
    await gateway.until(hello, before)
    gateway.say(welcome())
    expect((await gateway.until(reports, before)).reports.map(({ seq }) => seq)).toEqual([1])
  })

  it('passes on stop, stale and settings', async () => {
    begin()
    await gateway.until(hello)
    gateway.say(welcome())
    gateway.say({ type: 'stop', attempt: 7, token: 3 })
    gateway.say({ type: 'stale', attempt: 8, token: 1 })
    gateway.say({ type: 'settings', slots: 2, draining: true })
    await toldOf('settings 2 true')
    expect(told.slice(-3)).toEqual(['stop 7', 'stale 8', 'settings 2 true'])
  })

  it('tells the time of the server', async () => {
    begin()
    await gateway.until(hello)
    gateway.say(welcome({ serverTime: Date.now() + 3_600_000 }))
    await toldOf('connected')
    expect(Math.abs(link.now() - Date.now() - 3_600_000)).toBeLessThan(2_000)
  })

  it.each(['not JSON at all', '{"type":"something-new"}', '[]'])('outlives a message such as %s', async (message) => {
    begin()
    await gateway.until(hello)
    gateway.say(message)
    gateway.say(welcome())
    await gateway.until(heartbeat)
    expect(told[0]).toContain('does not understand')
  })

  it('says why it is refused, and knows that a person must help', async () => {
    begin()
    await gateway.until(hello)
    gateway.say({ type: 'refused', code: 'revoked', message: 'An administrator revoked it.', retry: false })
    gateway.sockets.at(-1)?.close()
    await toldOf('revoked')
    await new Promise((resolve) => setTimeout(resolve, 700))
    // A cut line is taken up again within a quarter of a second; this one is not.
    expect(gateway.sockets).toHaveLength(1)
  })

  it('ends a connection on which nothing comes back', async () => {
    begin()
    await gateway.until(hello)
    gateway.say(welcome({ heartbeatSeconds: 0.02 }))
    await gateway.until(heartbeat)
    const [first] = gateway.sockets
    // A machine that has vanished answers neither ping nor message.
    const closed = once(first as WebSocket, 'close')
    ;(first as unknown as { _socket: { pause(): void } })._socket.pause()
    await gateway.until(hello, gateway.heard.findIndex(hello) + 1)
    ;(first as unknown as { _socket: { resume(): void } })._socket.resume()
    await closed
    expect(gateway.sockets.length).toBeGreaterThan(1)
  })
})
