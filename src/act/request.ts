import { request as plainRequest, type IncomingMessage, type OutgoingHttpHeaders } from 'node:http'
import { request as tlsRequest } from 'node:https'
import { createBrotliDecompress, createGunzip, createInflate } from 'node:zlib'
import type { Readable } from 'node:stream'
import { ActFault } from './context'
import { lookupOf, requireReach, type MayReach } from './network'

const MOST_REDIRECTS = 5
/** Headers that tell nothing of who asks; all others stay with the origin that they were written for. */
const HARMLESS = new Set(['accept', 'accept-language', 'accept-encoding', 'user-agent'])

export interface Outgoing {
  readonly method: string
  readonly url: string
  readonly headers: Readonly<Record<string, string>>
  readonly body: string | null
}

export interface Incoming {
  readonly status: number
  readonly statusText: string
  readonly type: string
  readonly body: Buffer
  readonly isCut: boolean
  /** Where it came from in the end. */
  readonly url: string
}

/** U+0009, and what ISO 8859-1 can print: nothing else fits into a header (RFC 9110, 5.5). */
const NOT_IN_HEADERS = /[^\t\x20-\x7e\x80-\xff]/u

function requireHeaders(headers: Readonly<Record<string, string>>): void {
  for (const [name, value] of Object.entries(headers)) {
    const odd = NOT_IN_HEADERS.exec(value)?.[0]
    if (odd === undefined) continue
    const code = odd.codePointAt(0)?.toString(16).toUpperCase().padStart(4, '0')
    throw new ActFault(`The header ${name} would hold U+${code}, a character that no header can hold.`)
  }
}

/**
 * One request by HTTP(S) with its answer, up to `mostBytes`. Redirects are followed, a few; to another origin only what tells nothing of who asks goes along: no credentials, no header of the
 * job's, no body (RFC 9110, 15.4).
 */
export async function exchange(
  outgoing: Outgoing,
  {
    mostBytes,
    mayReach,
    signal,
    follow: follows = true,
  }: { mostBytes: number; mayReach: MayReach | undefined; signal: AbortSignal; follow?: boolean },
  redirected: (to: string) => void,
): Promise<Incoming> {
  let next = outgoing
  for (let count = 0; ; count++) {
    requireHeaders(next.headers)
    const answer = await once(next, mayReach, signal)
    const to = follows ? target(answer, next.url) : null
    if (to === null) return read(answer, next.url, mostBytes)
    answer.destroy()
    if (count >= MOST_REDIRECTS) throw new ActFault(`It was sent on more than ${MOST_REDIRECTS} times.`)
    next = follow(next, to, answer.statusCode ?? 0)
    redirected(next.url)
  }
}

function once(
  { method, url, headers, body }: Outgoing,
  mayReach: MayReach | undefined,
  signal: AbortSignal,
): Promise<IncomingMessage> {
  const parsed = new URL(url)
  if (parsed.protocol !== 'http:' && parsed.protocol !== 'https:')
    throw new ActFault(`${parsed.protocol} is not called.`)
  requireReach(parsed.hostname, mayReach)
  const send = parsed.protocol === 'https:' ? tlsRequest : plainRequest
  const lookup = lookupOf(mayReach)
  return new Promise((resolve, reject) => {
    const request = send(
      parsed,
      {
        method,
        headers: {
          'accept-encoding': 'gzip, deflate, br',
          ...(body === null ? {} : { 'content-length': Buffer.byteLength(body) }),
          ...headers,
        } as OutgoingHttpHeaders,
        signal,
        agent: false,
        ...(lookup ? { lookup } : {}),
      },
      resolve,
    )
    request.on('error', reject)
    request.end(body ?? undefined)
  })
}

function target({ statusCode = 0, headers }: IncomingMessage, from: string): URL | null {
  if (![301, 302, 303, 307, 308].includes(statusCode) || headers.location === undefined) return null
  try {
    return new URL(headers.location, from)
  } catch {
    throw new ActFault('It was sent on to an address that is none.')
  }
}

function follow({ method, url, headers, body }: Outgoing, to: URL, status: number): Outgoing {
  const isSame = new URL(url).origin === to.origin
  const keepsMethod = status === 307 || status === 308 || method === 'GET' || method === 'HEAD'
  if (!isSame && keepsMethod && body !== null)
    throw new ActFault(
      `It was sent on to ${to.host} with all that it holds; that is not done: another server was not meant.`,
    )
  const kept = isSame
    ? headers
    : Object.fromEntries(Object.entries(headers).filter(([name]) => HARMLESS.has(name.toLowerCase())))
  const withoutBody = Object.fromEntries(Object.entries(kept).filter(([name]) => !/^content-/i.test(name)))
  return keepsMethod
    ? { method, url: to.href, headers: kept, body: isSame ? body : null }
    : { method: 'GET', url: to.href, headers: withoutBody, body: null }
}

async function read(answer: IncomingMessage, url: string, mostBytes: number): Promise<Incoming> {
  const chunks: Buffer[] = []
  let size = 0
  let isCut = false
  for await (const chunk of unpacked(answer)) {
    chunks.push(chunk as Buffer)
    size += (chunk as Buffer).length
    if (size <= mostBytes) continue
    isCut = true
    break
  }
  answer.destroy()
  return {
    status: answer.statusCode ?? 0,
    statusText: answer.statusMessage ?? '',
    type: answer.headers['content-type'] ?? 'of no said type',
    body: Buffer.concat(chunks).subarray(0, mostBytes),
    isCut,
    url,
  }
}

/** A little that unpacks to much stops at the limit too: it is unpacked as it is read. */
function unpacked(answer: IncomingMessage): Readable {
  const way = { gzip: createGunzip, deflate: createInflate, br: createBrotliDecompress }[
    answer.headers['content-encoding']?.toLowerCase() ?? ''
  ]
  if (!way) return answer
  const stream = way()
  answer.on('error', (error) => stream.destroy(error))
  return answer.pipe(stream)
}
