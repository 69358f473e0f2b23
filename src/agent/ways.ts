import { isIP } from 'node:net'
import { checkServerIdentity, type PeerCertificate } from 'node:tls'
import { HttpsProxyAgent } from 'https-proxy-agent'
import { authorityOf } from '@/core/net/relays'

/** In a relay’s answer: the agent that it is. */
export const RELAY_NAME = 'Bugle-Relay'

/** Whatever stands between agent and server answers here: what is no agent’s name is none. */
function nameIn(said: string): string | null {
  try {
    const name = decodeURIComponent(said)
    return /^[\p{L}\p{N}][\p{L}\p{N} ._-]{0,99}$/u.test(name) ? name : null
  } catch {
    return null
  }
}

/** One way to the server: through a relay, or straight. */
export class Way {
  /** What the relay says that it is; null: it has not said yet, or there is none. */
  private name: string | null = null
  private readonly agent: HttpsProxyAgent<string> | undefined

  /** @param relay its address as `relaysIn` gives it; null: straight */
  constructor(readonly relay: string | null) {
    if (relay === null) return
    this.agent = new HttpsProxyAgent(relay, { keepAlive: false })
    this.agent.on('proxyConnect', (answer: { headers: Record<string, string | string[] | undefined> }) => {
      const said = answer.headers[RELAY_NAME.toLowerCase()]
      this.name = typeof said === 'string' ? nameIn(said) : null
    })
  }

  /** How a request to this address is made. */
  optionsTo(address: string): {
    agent?: HttpsProxyAgent<string>
    checkServerIdentity?: (host: string, certificate: PeerCertificate) => Error | undefined
  } {
    if (!this.agent) return {}
    const host = authorityOf(address)?.host ?? ''
    return {
      agent: this.agent,
      // The package tells TLS of names alone; a server that is addressed by its number proves that number.
      ...(isIP(host) === 0 ? {} : { checkServerIdentity: (_, certificate) => checkServerIdentity(host, certificate) }),
    }
  }

  /** For people: the agent that passes on what this one says, or its address; null: none does. */
  get through(): string | null {
    return this.relay === null ? null : (this.name ?? this.relay.replace(/^https?:\/\//, ''))
  }
}
