import { STATUS_CODES, type IncomingMessage } from 'node:http'
import type { Socket } from 'node:net'
import type { Duplex } from 'node:stream'
import { MAX_HELLO_BYTES } from '@/agent/protocol'
import { callerAddress } from '@/core/net/address'
import { isSwitchedOff, withToken } from '@/service/base/secrets'
import { agentByCredential, type LinkedAgent } from '@/service/fleet/agent-link'
import { limit } from '@/store/limits'
import { organisation } from '@/store/organisation'
import { log } from './log'
import { Rate } from './rate'

/** Why somebody is not let in, as the answer to the request to upgrade (RFC 6455, 4.2.2). */
interface Refusal {
  readonly status: number
  readonly code: string
  readonly message: string
  readonly retry: boolean
}

export interface Admitted {
  readonly agent: LinkedAgent
  readonly organisation: number
}

interface Caller {
  /** Its connections, each by the port that it calls from. */
  readonly sockets: Set<string>
  /** Of these, those that have not said hello yet. */
  readonly silent: Set<string>
  readonly upgrades: Rate
}

/**
 * Who may connect at all. Nothing that a caller sends is read before its credential is found, and hardly anything before its hello; how many connections an address may have and begin is
 * limited, so that a flood of them costs others nothing.
 */
export class Door {
  private readonly callers = new Map<string, Caller>()
  /** From connecting to the hello, by connection. Under TLS a connection is two sockets, one within the other: what they have in common is whom they are connected with. */
  private readonly timers = new Map<string, NodeJS.Timeout>()
  private readonly callerOf = new Map<string, Caller>()

  constructor(
    /** Proxies of ours in front of the gateway. */
    private readonly proxies: number,
  ) {}

  /** Somebody opened a connection, and has said nothing yet. */
  arrived(socket: Socket): void {
    // Whoever says nothing, or no hello, is not waited for.
    const peer = peerOf(socket)
    // It is gone already.
    if (peer === undefined) return void socket.destroy()
    const timer = setTimeout(() => socket.destroy(), limit('gateway_hello_seconds') * 1000)
    this.timers.set(peer, timer)
    socket.once('close', () => {
      clearTimeout(timer)
      if (this.timers.get(peer) === timer) this.timers.delete(peer)
    })
    if (this.proxies > 0) return
    const caller = this.callerAt(callerAddress(socket.remoteAddress, undefined, 0))
    if (caller.sockets.size >= limit('gateway_sockets_per_address')) socket.destroy()
    else this.keep(caller, peer, socket)
  }

  private keep(caller: Caller, peer: string, socket: Duplex): void {
    caller.sockets.add(peer)
    this.callerOf.set(peer, caller)
    socket.once('close', () => {
      caller.sockets.delete(peer)
      caller.silent.delete(peer)
      if (this.callerOf.get(peer) === caller) this.callerOf.delete(peer)
    })
  }

  /** The agent that may come in, or undefined: then the request has been answered. */
  async admit(request: IncomingMessage, socket: Duplex): Promise<Admitted | undefined> {
    socket.on('error', () => socket.destroy())
    const peer = peerOf(request.socket)
    if (peer === undefined) return void socket.destroy()
    const address = callerAddress(
      request.socket.remoteAddress,
      request.headers['x-forwarded-for']?.toString(),
      this.proxies,
    )
    const caller = this.callerAt(address)
    const tooMany = this.tooMany(caller)
    if (tooMany) return this.refuse(socket, tooMany)
    if (!caller.sockets.has(peer)) this.keep(caller, peer, socket)
    caller.silent.add(peer)
    if ((request.url ?? '').split('?')[0] !== '/agent')
      return this.refuse(socket, {
        status: 404,
        code: 'no-such-path',
        message: 'Agents connect to /agent.',
        retry: false,
      })
    try {
      const credential = /^Bearer (\S{1,200})$/.exec(request.headers.authorization ?? '')?.[1]
      if (credential !== undefined && (await isSwitchedOff(credential))) return this.refuse(socket, SWITCHED_OFF)
      const admitted = await withToken(credential, async () => {
        const agent = credential === undefined ? undefined : await agentByCredential(credential)
        return agent && { agent, organisation: organisation() }
      })
      if (admitted) return admitted
      return this.refuse(socket, {
        status: 401,
        code: 'unknown-credential',
        message: 'This credential is unknown or revoked. Enrol this machine again with a new key.',
        retry: false,
      })
    } catch (error) {
      log.warn({ err: error }, 'an agent could not be let in')
      return this.refuse(socket, TROUBLE)
    }
  }

  /** From its first byte to its hello a connection may send this much; beyond it is cut. `greeted` ends the watch. */
  watch(socket: Duplex): { greeted: () => void } {
    const peer = peerOf(socket as Socket) ?? ''
    let read = 0
    const count = (chunk: Buffer): void => {
      read += chunk.length
      if (read > MAX_HELLO_BYTES) socket.destroy()
    }
    const stop = (): void => {
      clearTimeout(this.timers.get(peer))
      socket.off('data', count)
      this.callerOf.get(peer)?.silent.delete(peer)
    }
    socket.on('data', count)
    socket.once('close', stop)
    return { greeted: stop }
  }

  private callerAt(address: string): Caller {
    const known = this.callers.get(address)
    if (known) return known
    const upgrades = limit('gateway_upgrades_per_second')
    const caller = {
      sockets: new Set<string>(),
      silent: new Set<string>(),
      upgrades: new Rate(upgrades, 2 * upgrades, performance.now()),
    }
    this.callers.set(address, caller)
    return caller
  }

  private tooMany({ sockets, silent, upgrades }: Caller): Refusal | undefined {
    const isTooMany =
      upgrades.take(1, performance.now()) > 0 ||
      sockets.size > limit('gateway_sockets_per_address') ||
      silent.size >= limit('gateway_greeting_per_address')
    return isTooMany
      ? {
          status: 429,
          code: 'too-many',
          message: 'Too many connections from this address. Try again later.',
          retry: true,
        }
      : undefined
  }

  /** Addresses that nobody calls from any more are forgotten. */
  tidy(): void {
    const now = performance.now()
    for (const [address, { sockets, upgrades }] of this.callers)
      if (sockets.size === 0 && upgrades.isFull(now)) this.callers.delete(address)
  }

  private refuse(socket: Duplex, { status, code, message, retry }: Refusal): undefined {
    const body = JSON.stringify({ type: 'refused', code, message, retry })
    const head = [
      `HTTP/1.1 ${status} ${STATUS_CODES[status]}`,
      'Connection: close',
      'Content-Type: application/json',
      `Content-Length: ${Buffer.byteLength(body)}`,
      ...(retry ? ['Retry-After: 5'] : []),
    ]
    socket.end(`${head.join('\r\n')}\r\n\r\n${body}`, () => socket.destroy())
    return undefined
  }
}

/** Whom a socket is connected with; undefined: with nobody any more. */
const peerOf = ({ remoteAddress, remotePort }: Socket): string | undefined =>
  remotePort === undefined ? undefined : `${remoteAddress} ${remotePort}`

const SWITCHED_OFF: Refusal = {
  status: 503,
  code: 'switched-off',
  message: 'The organisation that this agent works for is switched off on this server.',
  retry: true,
}
const TROUBLE: Refusal = {
  status: 503,
  code: 'server-trouble',
  message: 'The server cannot answer now. Try again.',
  retry: true,
}
