/** Where relays listen, unless another port is said. */
export const RELAY_PORT = 4385
const MOST_RELAYS = 16

/** Whom an address leads to. */
export interface Authority {
  readonly host: string
  readonly port: number
}

/** Host and port of an address; null: it is none. Of a WebSocket’s or a web page’s address its port, 80 or 443 without one. */
export function authorityOf(address: string): Authority | null {
  const url = address.includes('://') ? address : `connect://${address}`
  if (!URL.canParse(url)) return null
  const { hostname, port, protocol } = new URL(url)
  const usual = { 'http:': 80, 'ws:': 80, 'https:': 443, 'wss:': 443 }[protocol]
  const number = port === '' ? usual : Number(port)
  if (hostname === '' || number === undefined || number === 0) return null
  return { host: hostname.replace(/^\[|\]$/g, '').toLowerCase(), port: number }
}

/** Relays as they are named in a command: HOST, HOST:PORT or http://HOST:PORT, separated by commas. Throws with the one that is none. */
export function relaysIn(text: string): string[] {
  const named = text
    .split(',')
    .map((one) => one.trim())
    .filter(Boolean)
  if (named.length > MOST_RELAYS) throw new Error(`An agent goes through ${MOST_RELAYS} relays at most.`)
  return named.map((one) => {
    const full = /^https?:\/\//.test(one) ? one : `http://${one}`
    const url = URL.canParse(full) ? new URL(full) : null
    if (url === null || url.pathname !== '/' || url.search !== '' || url.hostname === '')
      throw new Error(`${one} is no relay’s address: say HOST or HOST:PORT.`)
    // An address with port 80 loses it when it is read.
    if (url.port === '' && !/:80$/.test(one.replace(/\/$/, ''))) url.port = String(RELAY_PORT)
    return url.href.replace(/\/$/, '')
  })
}
