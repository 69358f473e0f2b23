import type { AddressInfo } from 'node:net'
import { WebSocketServer, type WebSocket } from 'ws'
import { fromAgentSchema, type FromAgent, type Lease, type ToAgent } from './protocol'

/** A gateway that does as the test says. */
export class FakeGateway {
  readonly server = new WebSocketServer({ port: 0, host: '127.0.0.1' })
  readonly heard: FromAgent[] = []
  readonly credentials: (string | undefined)[] = []
  sockets: WebSocket[] = []
  private watchers: (() => void)[] = []

  constructor() {
    this.server.on('connection', (socket, request) => {
      this.sockets.push(socket)
      this.credentials.push(request.headers.authorization)
      socket.on('message', (data) => {
        const message: unknown = JSON.parse((data as Buffer).toString('utf8'))
        fromAgentSchema.parse(message)
        this.heard.push(message as FromAgent)
        for (const look of this.watchers) look()
      })
    })
  }

  get url(): string {
    return `ws://127.0.0.1:${(this.server.address() as AddressInfo).port}`
  }

  say(message: ToAgent | string): void {
    this.sockets.at(-1)?.send(typeof message === 'string' ? message : JSON.stringify(message))
  }

  /** The first message, from the n-th on, of which this is true. */
  async until<T extends FromAgent>(is: (message: FromAgent) => message is T, from = 0): Promise<T> {
    for (;;) {
      const found = this.heard.slice(from).find(is)
      if (found) return found
      await new Promise<void>((resolve) => this.watchers.push(resolve))
    }
  }

  close(): void {
    for (const socket of this.server.clients) socket.terminate()
    this.server.close()
  }
}

export const hello = (m: FromAgent): m is Extract<FromAgent, { type: 'hello' }> => m.type === 'hello'
export const accepted = (m: FromAgent): m is Extract<FromAgent, { type: 'accepted' }> => m.type === 'accepted'
export const heartbeat = (m: FromAgent): m is Extract<FromAgent, { type: 'heartbeat' }> => m.type === 'heartbeat'
export const reports = (m: FromAgent): m is Extract<FromAgent, { type: 'reports' }> => m.type === 'reports'

export const LEASE: Lease = {
  attempt: 7,
  token: 3,
  run: 18,
  try: 1,
  title: 'Till file',
  action: { kind: 'wait', seconds: 1 },
  folder: null,
  environment: {},
  inputs: {},
  secrets: [],
  account: null,
  runAs: null,
  signIn: null,
  robot: null,
  asksForItems: false,
  mayLeave: false,
  timeLimitSeconds: null,
  graceSeconds: 1,
  must: null,
  mustNot: null,
  maxOutputBytes: 1000,
}
export const welcome = (change: object = {}): ToAgent => ({
  type: 'welcome',
  protocol: 1,
  agent: 'orrin-ops1',
  serverTime: Date.now(),
  heartbeatSeconds: 60,
  slots: 4,
  draining: false,
  ...change,
})
