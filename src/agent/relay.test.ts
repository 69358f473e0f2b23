import { mkdtempSync, rmSync } from 'node:fs'
import { once } from 'node:events'
import { createServer, get, request, type IncomingMessage } from 'node:http'
import { connect, createServer as createTcpServer, type AddressInfo, type Server } from 'node:net'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { WebSocket } from 'ws'
import { authorityOf, relaysIn } from '@/core/net/relays'
import { enrol, factsOfThisMachine, readIdentity } from './enrol'
import { FakeGateway } from './gateway.test-help'
import { Gateways } from './gateways'
import { Relay } from './relay'

const portOf = (server: { address(): unknown }): number => (server.address() as AddressInfo).port
const ends: (() => void)[] = []
afterEach(() => {
  for (const end of ends.splice(0)) end()
})

async function relayTo(leadsTo: readonly string[], change: object = {}): Promise<Relay> {
  const relay = new Relay({
    host: '127.0.0.1',
    port: 0,
    name: 'kelda-gate1',
    leadsTo: () => leadsTo,
    log: () => undefined,
    ...change,
  })
  await relay.start()
  ends.push(() => relay.stop())
  return relay
}

async function listening<T extends { listen(port: number, host: string): unknown; close(): unknown }>(
  server: T,
): Promise<T> {
  server.listen(0, '127.0.0.1')
  await once(server as unknown as Server, 'listening')
  ends.push(() => server.close())
  return server
}

/** What a relay answers when it is asked to lead somewhere. */
const asked = (relay: Relay, to: string): Promise<{ answer: IncomingMessage; text: string }> =>
  new Promise((resolve, reject) => {
    const ask = request({ host: '127.0.0.1', port: relay.load.port, method: 'CONNECT', path: to })
    ask.once('error', reject)
    ask.once('connect', (answer, socket, head) => {
      let text = head.toString()
      socket.on('data', (part: Buffer) => (text += part.toString()))
      socket.once('close', () => resolve({ answer, text }))
      if (answer.statusCode === 200) socket.destroy()
    })
    ask.end()
  })

describe('a relay', () => {
  it('leads an agent to the server’s gateway, and is named by it', async () => {
    const gateway = new FakeGateway()
    ends.push(() => gateway.close())
    await once(gateway.server, 'listening')
    const relay = await relayTo([gateway.url.replace('ws://', '')])
    const gateways = new Gateways(gateway.url, { through: [`http://127.0.0.1:${relay.load.port}`] })
    expect(gateways.way.through).toBe(`127.0.0.1:${relay.load.port}`)
    const socket = new WebSocket(gateways.current, {
      ...gateways.way.optionsTo(gateways.current),
      headers: { authorization: 'Bearer mine' },
    })
    await once(socket, 'open')
    expect(gateway.credentials).toEqual(['Bearer mine'])
    expect(gateways.way.through).toBe('kelda-gate1')
    expect(relay.load.lines).toBe(1)
    gateway.say('hello over there')
    expect(String((await once(socket, 'message'))[0])).toBe('hello over there')
    const over = once(gateway.sockets[0] as WebSocket, 'close')
    socket.terminate()
    await over
    while (relay.load.lines > 0) await new Promise((resolve) => setImmediate(resolve))
  })

  it('leads nowhere else, and says so as a gateway would', async () => {
    const relay = await relayTo(['bugle.marram.example:4381'])
    for (const to of ['127.0.0.1:22', 'bugle.marram.example:4382', 'bugle.marram.example', '']) {
      const { answer, text } = await asked(relay, to)
      expect([to, answer.statusCode]).toEqual([to, 403])
      expect(JSON.parse(text)).toMatchObject({ type: 'refused', retry: true })
    }
    expect(relay.load.lines).toBe(0)
  })

  it('says that it does not reach the server, and that it is full', async () => {
    const gone = await listening(createTcpServer())
    const to = `127.0.0.1:${portOf(gone)}`
    gone.close()
    const relay = await relayTo([to])
    const refused = await asked(relay, to)
    expect(refused.answer.statusCode).toBe(502)
    expect(refused.text).toContain(`does not reach ${to}: connect ECONNREFUSED`)
    const silent = await listening(createTcpServer())
    const busy = await relayTo([`127.0.0.1:${portOf(silent)}`], { mostLines: 1 })
    const first = connect(busy.load.port, '127.0.0.1')
    ends.push(() => first.destroy())
    first.write(`CONNECT 127.0.0.1:${portOf(silent)} HTTP/1.1\r\nHost: x\r\n\r\n`)
    await once(first, 'data')
    expect((await asked(busy, `127.0.0.1:${portOf(silent)}`)).answer.statusCode).toBe(503)
  })

  it('that says no name of an agent is called by its address, whatever it says', async () => {
    const gateway = new FakeGateway()
    ends.push(() => gateway.close())
    await once(gateway.server, 'listening')
    for (const said of ['%E0%A4%A', 'a%0Ab', 'x'.repeat(300), '']) {
      const odd = await listening(
        createServer().on('connect', (_request, socket) => {
          const server = connect(Number(new URL(gateway.url).port), '127.0.0.1')
          socket.write(`HTTP/1.1 200 OK\r\nBugle-Relay: ${said}\r\n\r\n`)
          server.pipe(socket).on('error', () => server.destroy())
          socket.pipe(server).on('error', () => socket.destroy())
        }),
      )
      const { way } = new Gateways(gateway.url, { through: [`http://127.0.0.1:${portOf(odd)}`] })
      const socket = new WebSocket(gateway.url, way.optionsTo(gateway.url))
      await once(socket, 'open')
      expect(way.through).toBe(`127.0.0.1:${portOf(odd)}`)
      socket.terminate()
    }
  })

  it('is no server of pages', async () => {
    const relay = await relayTo([])
    const [answer] = (await once(get(`http://127.0.0.1:${relay.load.port}/`), 'response')) as [IncomingMessage]
    answer.resume()
    expect(answer.statusCode).toBe(405)
  })

  it('ends all lines when it ends', async () => {
    const gateway = new FakeGateway()
    ends.push(() => gateway.close())
    await once(gateway.server, 'listening')
    const relay = await relayTo([gateway.url.replace('ws://', '')])
    const { way } = new Gateways(gateway.url, { through: [`http://127.0.0.1:${relay.load.port}`] })
    const socket = new WebSocket(gateway.url, way.optionsTo(gateway.url))
    await once(socket, 'open')
    relay.stop()
    await once(socket, 'close')
  })
})

describe('enrolling by relays', () => {
  it('takes the first that leads there, asks once with the key, and keeps them', async () => {
    const dir = mkdtempSync(join(tmpdir(), 'bugle-relay-'))
    ends.push(() => rmSync(dir, { recursive: true }))
    let times = 0
    const server = await listening(
      createServer((_request, response) => {
        times++
        response.end(
          JSON.stringify({ state: 'granted', agent: 'orrin-pier', credential: 'c', gateway: 'wss://x/agent' }),
        )
      }),
    )
    const gone = await listening(createTcpServer())
    const nobody = `http://127.0.0.1:${portOf(gone)}`
    gone.close()
    const wrong = await relayTo([])
    const right = await relayTo([`127.0.0.1:${portOf(server)}`])
    const of = (relay: Relay): string => `http://127.0.0.1:${relay.load.port}`
    const enrolBy = (through: string[]) =>
      enrol({
        server: `http://127.0.0.1:${portOf(server)}`,
        key: 'k',
        stateDir: dir,
        facts: factsOfThisMachine('pier'),
        through,
        log: () => undefined,
      })
    await expect(enrolBy([nobody, of(wrong)])).rejects.toThrow(
      /cannot be reached: through 127\.0\.0\.1:\d+: .*ECONNREFUSED.*; through kelda-gate1|leads to its own server alone/,
    )
    expect(times).toBe(0)
    const through = [nobody, of(wrong), of(right)]
    await enrolBy(through)
    expect(times).toBe(1)
    expect(readIdentity(dir)).toMatchObject({ agent: 'orrin-pier', through })
  })
})

describe('ways to gateways', () => {
  it('are tried in the order given, each gateway by all of them', () => {
    const gateways = new Gateways('wss://first/agent', { through: ['http://a:1', 'http://b:2'] })
    gateways.told(['wss://one/agent'])
    const tried: string[] = []
    for (let i = 0; i < 4; i++) {
      tried.push(`${gateways.current} ${gateways.way.relay}`)
      tried.push(String(gateways.next()))
    }
    const [one, first] = tried[0]?.startsWith('wss://one')
      ? ['wss://one/agent', 'wss://first/agent']
      : ['wss://first/agent', 'wss://one/agent']
    expect(tried).toEqual([
      `${one} http://a:1`,
      'false',
      `${one} http://b:2`,
      'false',
      `${first} http://a:1`,
      'false',
      `${first} http://b:2`,
      'true',
    ])
    // Where it was let in it comes back first.
    gateways.next()
    gateways.reached()
    expect(gateways.way.relay).toBe('http://b:2')
  })

  it.each([
    ['kelda-gate1', ['http://kelda-gate1:4385']],
    ['kelda-gate1:80, 10.0.0.1:3128', ['http://kelda-gate1', 'http://10.0.0.1:3128']],
    ['http://[::1]:9/', ['http://[::1]:9']],
    ['https://gate.example:444', ['https://gate.example:444']],
    ['', []],
  ])('are read from a command: %s', (text, relays) => {
    expect(relaysIn(text)).toEqual(relays)
  })

  it.each(['a b', 'gate1/path', 'gate1:99999', 'ftp://gate1'])('are refused where they are none: %s', (text) => {
    expect(() => relaysIn(text)).toThrow('is no relay’s address')
  })

  it.each([
    ['wss://Bugle.Example/agent', { host: 'bugle.example', port: 443 }],
    ['ws://[::1]:4381/agent', { host: '::1', port: 4381 }],
    ['bugle:4380', { host: 'bugle', port: 4380 }],
    ['bugle', null],
    ['', null],
    ['bugle:0', null],
  ])('host and port of %s', (address, is) => {
    expect(authorityOf(address)).toEqual(is)
  })
})
