import { createServer, STATUS_CODES, type IncomingMessage, type Server } from 'node:http'
import { connect, type AddressInfo, type Socket } from 'node:net'
import type { Duplex } from 'node:stream'
import { authorityOf, type Authority } from '@/core/net/relays'
import { RELAY_NAME } from './ways'

/** So many lines are passed on at once. */
const MOST_LINES = 2000
/** What asks for nothing within this is not waited for. */
const ASK_MS = 10_000
/** Of a machine that went away without a word a line is over after some of these. */
const KEEP_ALIVE_MS = 30_000
/** How long the server may take to answer the relay. */
const CONNECT_MS = 10_000

export interface RelayOptions {
  readonly host: string
  /** 0: any free one. */
  readonly port: number
  /** The agent that it is, as its callers are told. */
  readonly name: string
  /** The server’s own addresses, as `authorityOf` reads them: a relay leads nowhere else. */
  readonly leadsTo: () => readonly string[]
  readonly mostLines?: number
  readonly log: (message: string) => void
}

/** How much a relay has to do, as it tells the server. */
export interface RelayLoad {
  readonly port: number
  readonly lines: number
}

/**
 * Passes on what machines say that cannot reach the server themselves (HTTP CONNECT; RFC 9110, 9.3.6). What goes through it is TLS from end to end: it can
 * neither read it nor speak in another’s place.
 */
export class Relay {
  private readonly server: Server
  private readonly open = new Set<Duplex>()
  private lines = 0

  constructor(private readonly options: RelayOptions) {
    this.server = createServer({ headersTimeout: ASK_MS, requestTimeout: ASK_MS }, (_request, response) =>
      response
        .writeHead(405, { 'content-type': 'text/plain', allow: 'CONNECT', connection: 'close' })
        .end('This is a relay of Bugle: agents connect through it (--through).\n'),
    )
    // Beside the lines some that ask.
    this.server.maxConnections = 2 * (options.mostLines ?? MOST_LINES)
    this.server.on('connection', (socket) => this.keep(socket))
    this.server.on('connect', (request, socket, head) => this.pass(request, socket, head))
    this.server.on('clientError', (_error, socket) => socket.destroy())
  }

  get load(): RelayLoad {
    return { port: (this.server.address() as AddressInfo | null)?.port ?? this.options.port, lines: this.lines }
  }

  /** Listens. Rejects where somebody else does already. */
  start(): Promise<void> {
    return new Promise((resolve, reject) => {
      this.server.once('error', reject)
      this.server.listen(this.options.port, this.options.host, () => {
        this.server.off('error', reject)
        this.server.on('error', (error) => this.options.log(`The relay: ${error.message}`))
        this.options.log(`passes on what agents say, at ${this.options.host}:${this.load.port}`)
        resolve()
      })
    })
  }

  stop(): void {
    this.server.close()
    for (const socket of this.open) socket.destroy()
  }

  private keep(socket: Duplex): void {
    this.open.add(socket)
    socket.on('error', () => socket.destroy())
    socket.once('close', () => this.open.delete(socket))
  }

  private pass(request: IncomingMessage, caller: Duplex, head: Buffer): void {
    const to = authorityOf(request.url ?? '')
    if (to === null || !this.options.leadsTo().some((address) => isSame(authorityOf(address), to)))
      return refuse(caller, 403, `A relay leads to its own server alone, and not to ${request.url ?? 'nowhere'}.`)
    if (this.lines >= (this.options.mostLines ?? MOST_LINES))
      return refuse(caller, 503, 'This relay passes on as many lines as it can. Try another one.')
    this.lines++
    const server = connect(to.port, to.host)
    this.keep(server)
    const timer = setTimeout(() => server.destroy(new Error('it does not answer')), CONNECT_MS)
    let isThrough = false
    server.once('connect', () => {
      clearTimeout(timer)
      isThrough = true
      for (const side of [server, caller as Socket]) side.setNoDelay(true).setKeepAlive(true, KEEP_ALIVE_MS)
      caller.write(`HTTP/1.1 200 Connected\r\n${RELAY_NAME}: ${encodeURIComponent(this.options.name)}\r\n\r\n`)
      if (head.length > 0) server.write(head)
      // Each side is read only as fast as the other takes it.
      server.pipe(caller)
      caller.pipe(server)
    })
    server.once('error', (error) => {
      if (!isThrough) refuse(caller, 502, `The relay does not reach ${request.url}: ${error.message}.`)
    })
    server.once('close', () => {
      clearTimeout(timer)
      this.lines--
      if (isThrough) caller.destroy()
    })
    caller.once('close', () => server.destroy())
  }
}

const isSame = (one: Authority | null, other: Authority): boolean =>
  one !== null && one.host === other.host && one.port === other.port

/** In words that an agent passes on to its log, as a gateway’s own refusals. */
function refuse(caller: Duplex, status: number, message: string): void {
  const body = JSON.stringify({ type: 'refused', code: 'relay', message, retry: true })
  caller.end(
    `HTTP/1.1 ${status} ${STATUS_CODES[status]}\r\nContent-Type: application/json\r\nContent-Length: ${Buffer.byteLength(body)}\r\nConnection: close\r\n\r\n${body}`,
    () => caller.destroy(),
  )
}
