import { randomUUID } from 'node:crypto'
import { createServer, type AddressInfo } from 'node:net'
import WebSocket from 'ws'
import { PROTOCOL_VERSION, type FromAgent, type ReportBody, type ToAgent } from '@/agent/protocol'
import { makeAgent } from '@/service/fixtures.test-help'
import { hashToken } from '@/service/base/secrets'
import { execute } from '@/store/db'
import type { Gateway } from './gateway'
import { Reception } from './reception'

/** Where agents of the first organisation find this gateway. Stop both. */
export async function receptionOf(gateway: Gateway, port: number): Promise<Reception> {
  const reception = new Reception(() => gateway)
  await reception.listen(port, '127.0.0.1')
  return reception
}

/** An agent's end of the line, message by message. */
export class Line {
  readonly heard: ToAgent[] = []
  readonly closed: Promise<number>
  /** The status of the answer when it was not let in. */
  status: number | undefined
  readonly socket: WebSocket
  private waiting: (() => void)[] = []

  constructor(port: number, credential: string) {
    this.socket = new WebSocket(`ws://127.0.0.1:${port}/agent`, {
      headers: { authorization: `Bearer ${credential}` },
      perMessageDeflate: false,
    })
    this.socket.on('message', (data) => this.take((data as Buffer).toString()))
    this.socket.on('error', () => undefined)
    this.socket.on('unexpected-response', (_request, response) => {
      this.status = response.statusCode
      let text = ''
      response.on('data', (chunk) => (text += String(chunk)))
      response.on('end', () => {
        this.take(text)
        this.socket.terminate()
      })
    })
    this.closed = new Promise((resolve) => this.socket.on('close', resolve))
  }

  private take(text: string): void {
    this.heard.push(JSON.parse(text) as ToAgent)
    for (const look of this.waiting.splice(0)) look()
  }

  async opened(): Promise<void> {
    if (this.socket.readyState === WebSocket.CONNECTING)
      await new Promise((resolve) => this.socket.once('open', resolve))
  }

  async say(message: FromAgent | string | object): Promise<void> {
    await this.opened()
    this.socket.send(typeof message === 'string' ? message : JSON.stringify(message))
  }

  async until<K extends ToAgent['type']>(
    type: K,
    fits: (message: Extract<ToAgent, { type: K }>) => boolean = () => true,
  ): Promise<Extract<ToAgent, { type: K }>> {
    for (;;) {
      const found = this.heard.find(
        (message) => message.type === type && fits(message as Extract<ToAgent, { type: K }>),
      )
      if (found) return found as Extract<ToAgent, { type: K }>
      await new Promise<void>((resolve) => this.waiting.push(resolve))
    }
  }

  /** Until what is stored of this attempt reaches this number. */
  acked(attempt: number, seq: number): Promise<unknown> {
    return this.until('ack', ({ acks }) => acks.some(([of, upTo]) => of === attempt && upTo >= seq))
  }

  end(): void {
    this.socket.terminate()
  }
}

export const hello = (host: string, change: object = {}): Extract<FromAgent, { type: 'hello' }> => ({
  type: 'hello',
  protocol: PROTOCOL_VERSION,
  facts: {
    host,
    machineId: `machine-${host}`,
    system: 'test',
    arch: 'x64',
    version: '1.2.0',
    runtime: 'node',
    abilities: ['command'],
  },
  held: [],
  ...change,
})

export const credentialOf = (agent: string): string => `credential-of-${agent}`

/** An agent that is enrolled, with a credential of its own. */
export async function enrolled(prefix = 'gate'): Promise<{ id: number; name: string }> {
  const name = `${prefix}-${randomUUID().slice(0, 8)}`
  const id = await makeAgent(name)
  await execute(null, 'UPDATE agents SET credential_hash = $2 WHERE id = $1', [id, hashToken(credentialOf(name))])
  return { id, name }
}

export const report = (
  of: { attempt: number; token: number },
  from: number,
  ...bodies: (ReportBody | object)[]
): object => ({ type: 'reports', reports: bodies.map((body, i) => ({ ...of, seq: from + i, body })) })

export const eventually = async (is: () => Promise<boolean>): Promise<void> => {
  while (!(await is())) await new Promise((resolve) => setTimeout(resolve, 10))
}

export const freePort = (): Promise<number> =>
  new Promise<number>((resolve) => {
    const probe = createServer().listen(0, '127.0.0.1', () => {
      const free = (probe.address() as AddressInfo).port
      probe.close(() => resolve(free))
    })
  })
