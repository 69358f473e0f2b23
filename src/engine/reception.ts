import { createServer, type IncomingMessage, type RequestListener, type Server } from 'node:http'
import { createServer as createTlsServer } from 'node:https'
import type { Duplex } from 'node:stream'
import { WebSocketServer } from 'ws'
import { MAX_FRAME_BYTES } from '@/agent/protocol'
import { inOrganisation } from '@/store/organisation'
import { databaseAnswers } from '@/store/outage'
import { Door } from './door'
import type { Gateway } from './gateway'
import { log } from './log'

const PLAIN = { 'content-type': 'text/plain' }

export interface ReceptionOptions {
  /** Proxies of ours in front of it. */
  readonly proxies?: number
  /** Certificate chain and key, PEM. */
  readonly tls?: { readonly cert: Buffer; readonly key: Buffer } | null
}

/** Where agents of all organisations call: each is let in by its credential, and led to the gateway of its organisation. */
export class Reception {
  private readonly server: Server
  private readonly sockets = new WebSocketServer({ noServer: true, maxPayload: MAX_FRAME_BYTES })
  private readonly door: Door

  constructor(
    private readonly gatewayOf: (organisation: number) => Gateway | undefined,
    { proxies = 0, tls = null }: ReceptionOptions = {},
  ) {
    this.door = new Door(proxies)
    const answer: RequestListener = (request, response) => {
      if (request.url !== '/health') return void response.writeHead(404, PLAIN).end('This is a gateway for agents.\n')
      void databaseAnswers().then((does) =>
        response.writeHead(does ? 200 : 503, PLAIN).end(does ? 'ok\n' : 'the database does not answer\n'),
      )
    }
    this.server = tls ? createTlsServer(tls, answer) : createServer(answer)
    this.server.on('connection', (socket) => this.door.arrived(socket))
    this.server.on('upgrade', (request, socket, head) => {
      this.connect(request, socket, head).catch((error: unknown) => {
        log.warn({ err: error }, 'gateway')
        socket.destroy()
      })
    })
  }

  listen(port: number, host: string): Promise<void> {
    return new Promise((resolve, reject) => {
      this.server.once('error', reject)
      this.server.listen(port, host, resolve)
    })
  }

  /** Addresses that nobody calls from any more are forgotten. */
  tidy(): void {
    this.door.tidy()
  }

  async stop(): Promise<void> {
    this.server.closeAllConnections()
    await new Promise((resolve) => this.server.close(resolve))
  }

  private async connect(request: IncomingMessage, socket: Duplex, head: Buffer): Promise<void> {
    const admitted = await this.door.admit(request, socket)
    if (!admitted || socket.destroyed) return
    const { agent, organisation } = admitted
    const gateway = this.gatewayOf(organisation)
    // It is being switched off, or on: the agent calls again.
    if (!gateway) return void socket.destroy()
    this.sockets.handleUpgrade(request, socket, head, (opened) =>
      inOrganisation(organisation, () => gateway.take(opened, agent, this.door.watch(socket).greeted)),
    )
  }
}
