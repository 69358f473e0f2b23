import {
  createServer as createPlain,
  type IncomingMessage,
  type RequestListener,
  type Server,
  type ServerResponse,
} from 'node:http'
import { createServer as createTls } from 'node:https'
import { callerAddress } from '@/core/net/address'
import { CALLER_HEADER, writeCaller } from '@/core/net/caller'

export interface WebOptions {
  /** How many proxies of ours stand in front: so much of what they say of the caller is believed. */
  readonly proxies: number
  /** Known to this process alone: what says who calls was written here. */
  readonly seal: string
  readonly tls: { readonly cert: Buffer; readonly key: Buffer } | null
}

const YEAR_SECONDS = 31_536_000

/** From connecting to the end of the request's headers. */
const HEADERS_MS = 20_000

/**
 * The door of the pages and the API: says of each request whom it came from, from the socket and, as far as proxies of ours stand in front, from what they say; whatever the caller said of that
 * itself is gone. Everything else is `handle`'s.
 */
export function createWebServer(handle: RequestListener, { proxies, seal, tls }: WebOptions): Server {
  const listener = (request: IncomingMessage, response: ServerResponse): void => {
    const header = (name: string): string | undefined => request.headers[name]?.toString()
    const last = (name: string): string | undefined => header(name)?.split(',').at(-1)?.trim()
    const isHttps = tls !== null || (proxies > 0 && last('x-forwarded-proto') === 'https')
    const host = (proxies > 0 ? last('x-forwarded-host') : undefined) ?? header('host') ?? 'localhost'
    const address = callerAddress(request.socket.remoteAddress, header('x-forwarded-for'), proxies)
    for (const name of [
      'x-forwarded-for',
      'x-forwarded-host',
      'x-forwarded-proto',
      'x-forwarded-port',
      'forwarded',
      'x-real-ip',
    ])
      delete request.headers[name]
    request.headers[CALLER_HEADER] = writeCaller({ address, isHttps, host }, seal)
    response.setHeader('x-content-type-options', 'nosniff')
    if (isHttps) response.setHeader('strict-transport-security', `max-age=${YEAR_SECONDS}`)
    if (isReadable(request.url ?? '/')) return void handle(request, response)
    response.writeHead(400, { 'content-type': 'application/problem+json', 'cache-control': 'no-store' })
    response.end(
      JSON.stringify({
        type: 'urn:bugle:problem:invalid-input',
        title: 'Something in the request is not right',
        status: 400,
        detail: 'The address is not percent-encoded UTF-8.',
      }),
    )
  }
  const server = tls ? createTls({ cert: tls.cert, key: tls.key }, listener) : createPlain(listener)
  server.headersTimeout = HEADERS_MS
  return server
}

function isReadable(url: string): boolean {
  try {
    decodeURIComponent(url)
    return !url.includes('\0')
  } catch {
    return false
  }
}
