import { createServer, type IncomingMessage, type Server } from 'node:http'
import { WebSocketServer, type WebSocket } from 'ws'
import { fromAgentSchema, MAX_FRAME_BYTES, PROTOCOL_VERSION, type FromAgent, type ToAgent } from '@/agent/protocol'
import {
  agentByCredential,
  agentConnected,
  agentDisconnected,
  settingsOf,
  type LinkedAgent,
} from '@/service/agent-link'
import { extendLeases, giveUpLost, leasesToDeliver, openAttemptsOf, stopsToDeliver } from '@/service/leases'
import { log } from './log'
import type { Sender, Sink } from './sink'

/** One agent's connection. */
class Link implements Sender {
  greeted = false
  heardAt = Date.now()
  load: number | null = null
  /** Attempts sent or held over this connection: not sent again. */
  readonly delivered = new Set<number>()
  private acks: [number, number][] = []
  private saidSettings = ''

  constructor(
    readonly socket: WebSocket,
    readonly agent: LinkedAgent,
  ) {}

  get agentId(): number {
    return this.agent.id
  }

  send(message: ToAgent): void {
    if (this.socket.readyState === this.socket.OPEN) this.socket.send(JSON.stringify(message))
  }

  /** Says settings only when they differ from what was said last. */
  sendSettings(slots: number, draining: boolean): void {
    const said = `${slots} ${draining}`
    if (said !== this.saidSettings) this.send({ type: 'settings', slots, draining })
    this.saidSettings = said
  }

  acked(attempt: number, seq: number): void {
    if (this.acks.length === 0) {
      setImmediate(() => {
        this.send({ type: 'ack', acks: this.acks })
        this.acks = []
      })
    }
    this.acks.push([attempt, seq])
  }

  stale(attempt: number, token: number): void {
    this.send({ type: 'stale', attempt, token })
  }

  resend(attempt: number, from: number): void {
    this.send({ type: 'resend', attempt, from })
  }
}

/** The agents' door of one engine. */
export class Gateway {
  private readonly links = new Map<number, Link>()
  private readonly server: Server
  private readonly sockets: WebSocketServer
  private unsaved = new Set<number>()

  constructor(
    private readonly engineId: string,
    private readonly sink: Sink,
    private readonly heartbeatSeconds: number,
  ) {
    this.server = createServer((request, response) => {
      const ok = request.url === '/health'
      response
        .writeHead(ok ? 200 : 404, { 'content-type': 'text/plain' })
        .end(ok ? 'ok\n' : 'This is a gateway for agents.\n')
    })
    this.sockets = new WebSocketServer({ server: this.server, path: '/agent', maxPayload: MAX_FRAME_BYTES })
    this.sockets.on('connection', (socket, request) => void this.connect(socket, request))
    this.sockets.on('error', (error) => log.error({ err: error }, 'gateway'))
  }

  listen(port: number, host: string): Promise<void> {
    return new Promise((resolve, reject) => {
      this.server.once('error', reject)
      this.server.listen(port, host, resolve)
    })
  }

  async stop(): Promise<void> {
    for (const socket of this.sockets.clients) socket.terminate()
    await new Promise((resolve) => this.server.close(resolve))
  }

  get agentIds(): number[] {
    return [...this.links.values()].filter((link) => link.greeted).map((link) => link.agentId)
  }

  private async connect(socket: WebSocket, request: IncomingMessage): Promise<void> {
    // Messages that come while the credential is looked up wait in line.
    const early: Buffer[] = []
    let link: Link | undefined
    let queue = Promise.resolve()
    const take = (data: Buffer): void => {
      const to = link
      if (to)
        queue = queue
          .then(() => this.receive(to, data))
          .catch((error: unknown) => this.refuse(socket, 'server-trouble', String(error), true))
      else early.push(data)
    }
    socket.on('message', (data) => take(data as Buffer))
    socket.on('error', () => socket.terminate())
    socket.on('close', () => link && this.closed(link))
    try {
      const credential = /^Bearer (\S+)$/.exec(request.headers.authorization ?? '')?.[1]
      const agent = credential === undefined ? undefined : await agentByCredential(credential)
      if (!agent) {
        this.refuse(
          socket,
          'unknown-credential',
          'This credential is unknown or revoked. Enrol this machine again with a new key.',
          false,
        )
        return
      }
      if (socket.readyState !== socket.OPEN) return
      link = new Link(socket, agent)
      for (const data of early) take(data)
    } catch (error) {
      log.warn({ err: error }, 'an agent could not be let in')
      this.refuse(socket, 'server-trouble', 'The server cannot answer now. Try again.', true)
    }
  }

  private refuse(socket: WebSocket, code: string, message: string, retry: boolean): void {
    if (socket.readyState === socket.OPEN)
      socket.send(JSON.stringify({ type: 'refused', code, message, retry } satisfies ToAgent))
    socket.close(4000, code)
  }

  private async receive(link: Link, data: Buffer): Promise<void> {
    let message: FromAgent
    try {
      message = fromAgentSchema.parse(JSON.parse(data.toString('utf8')))
    } catch {
      this.refuse(
        link.socket,
        'bad-message',
        'The message does not fit the protocol. Bring the agent up to the version this server offers.',
        false,
      )
      return
    }
    link.heardAt = Date.now()
    this.unsaved.add(link.agentId)
    if (message.type !== 'hello' && !link.greeted) {
      this.refuse(link.socket, 'no-hello', 'The first message must be hello.', false)
      return
    }
    switch (message.type) {
      case 'hello':
        return this.greet(link, message)
      case 'heartbeat':
        link.load = message.load
        return
      case 'accepted':
        this.sink.addAccepted(link.agentId, message.attempt, message.token)
        return
      case 'reports':
        this.sink.add(link, message.reports, data.length)
    }
  }

  private async greet(link: Link, hello: Extract<FromAgent, { type: 'hello' }>): Promise<void> {
    if (hello.protocol !== PROTOCOL_VERSION) {
      const what =
        hello.protocol < PROTOCOL_VERSION
          ? 'Bring the agent up to date: fetch agent.cjs from this server and start it again.'
          : 'Bring this server up to date, or use the agent it offers.'
      this.refuse(
        link.socket,
        'version-mismatch',
        `The agent speaks protocol ${hello.protocol}, this server ${PROTOCOL_VERSION}. ${what}`,
        true,
      )
      return
    }
    // A newer connection of the same agent takes over: the old one may be half dead.
    const old = this.links.get(link.agentId)
    this.links.set(link.agentId, link)
    if (old && old !== link) old.socket.terminate()
    await agentConnected(link.agent, this.engineId, hello.facts)
    const held = new Set(hello.held.map((h) => h.attempt))
    const open = await openAttemptsOf(null, link.agentId)
    for (const { attempt, token } of hello.held) {
      if (open.some((o) => o.attempt === attempt && o.token === token)) link.delivered.add(attempt)
    }
    const forgotten = open.filter((o) => o.state !== 'handed' && !held.has(o.attempt)).map((o) => o.attempt)
    if (forgotten.length > 0)
      await giveUpLost(forgotten, 'Its agent came back without it: the agent’s memory of it is gone.')
    link.greeted = true
    const settings = (await settingsOf([link.agentId]))[0] ?? link.agent
    link.send({
      type: 'welcome',
      protocol: PROTOCOL_VERSION,
      agent: link.agent.name,
      serverTime: Date.now(),
      heartbeatSeconds: this.heartbeatSeconds,
      slots: settings.slots,
      draining: settings.draining,
    })
    log.info({ agent: link.agent.name, version: hello.facts.version }, 'agent connected')
    await this.deliver()
  }

  private closed(link: Link): void {
    this.sink.drop(link)
    if (this.links.get(link.agentId) !== link) return
    this.links.delete(link.agentId)
    if (!link.greeted) return
    log.info({ agent: link.agent.name }, 'agent disconnected')
    agentDisconnected(link.agentId, this.engineId).catch((error: unknown) =>
      log.warn({ err: error }, 'disconnection not stored'),
    )
  }

  /** Sends leases and stop requests that are there for the agents of this engine. */
  async deliver(): Promise<void> {
    const ids = this.agentIds
    if (ids.length === 0) return
    for (const { agentId, lease } of await leasesToDeliver(ids)) {
      const link = this.links.get(agentId)
      if (!link || link.delivered.has(lease.attempt)) continue
      link.delivered.add(lease.attempt)
      link.send({ type: 'lease', lease })
    }
    for (const { agentId, attempt, token } of await stopsToDeliver(ids))
      this.links.get(agentId)?.send({ type: 'stop', attempt, token })
  }

  /** Passes on changed settings and cuts off agents whose credential was revoked. */
  async applySettings(): Promise<void> {
    for (const { id, slots, draining, revoked } of await settingsOf([...this.links.keys()])) {
      const link = this.links.get(id)
      if (!link) continue
      if (revoked) this.refuse(link.socket, 'revoked', 'An administrator revoked this agent’s credential.', false)
      else link.sendSettings(slots, draining)
    }
  }

  /** Remembers who was heard of since the last call, and closes connections that have gone silent. */
  async keepAlive(): Promise<void> {
    const silentSince = Date.now() - this.heartbeatSeconds * 3000
    for (const link of this.links.values()) if (link.heardAt < silentSince) link.socket.terminate()
    const heard = this.unsaved
    this.unsaved = new Set()
    const rows = [...heard].map((agentId) => ({ agentId, load: this.links.get(agentId)?.load ?? null }))
    if (rows.length === 0) return
    try {
      await extendLeases(this.engineId, rows)
    } catch (error) {
      for (const id of heard) this.unsaved.add(id)
      throw error
    }
  }
}
