import { type ZodType, type z } from 'zod'
import type { Right } from '@/core/people/roles'
import { requireSomewhere, seenBy, type Actor } from '@/service/base/actor'
import { faultsFrom } from '@/core/schema/faults'
import { isTooDeep, MOST_NESTED } from '@/core/schema/nesting'
import { unstorablePath } from '@/core/schema/text'
import { Problem } from '@/service/base/problem'
import { whoHasAccessToken, whoHasSession, type SignedIn } from '@/service/people/sessions'
import { withToken } from '@/service/base/secrets'
import { callerOf, cookieOf } from './caller'
import { databaseAway, noteAnswer, noteOutage } from './outage'

const MAX_BODY_BYTES = 1024 * 1024

export interface Call<Body, Query> {
  readonly actor: Actor
  readonly signedIn: SignedIn
  readonly params: Readonly<Record<string, number>>
  readonly body: Body
  readonly query: Query
  readonly request: Request
}

/** One thing the API does. `right` is what the caller must have; the service function checks it again. */
export interface Endpoint {
  readonly method: 'GET' | 'POST' | 'PUT' | 'PATCH' | 'DELETE'
  /** `/runs/:id/stop`; parameters are ids. */
  readonly path: string
  readonly right: Right
  /** What it does, in a few words of Markdown. */
  readonly says: string
  readonly body?: ZodType
  readonly query?: ZodType
  /** Changes only what is the caller's own. */
  readonly own?: true
  /** Only reads, though by POST: what it is asked about is too long for an address. */
  readonly reads?: true
  readonly maxBytes: number
  /** May take long to work out, whatever asks: done in a worker thread. */
  readonly heavy?: true
  /** The service function, with nothing checked before. */
  readonly serve: (call: Call<unknown, unknown>) => Promise<unknown>
  readonly answer: (call: {
    actor: Actor
    signedIn: SignedIn
    params: Record<string, number>
    request: Request
  }) => Promise<Response>
}

/** Ties a path to a service function: body and query are parsed here, once. A result that is a Response is sent as it is. */
export function endpoint<B extends ZodType, Q extends ZodType>(
  method: Endpoint['method'],
  path: string,
  right: Right,
  schemas: {
    says: string
    body?: B
    query?: Q
    own?: true
    reads?: true
    maxBytes?: number
    heavy?: true
    /** Whether the password must have been shown a short while ago; without a word: for changes that need an administrator. */
    confirm?: boolean
  },
  run: (call: Call<z.output<B>, z.output<Q>>) => Promise<unknown>,
): Endpoint {
  const isRead = method === 'GET' || schemas.reads === true
  // What is only read is read behind the caller's walls, whatever reads it.
  const serve = (call: Call<z.output<B>, z.output<Q>>): Promise<unknown> =>
    isRead ? seenBy(call.actor, () => run(call)) : run(call)
  return {
    method,
    path,
    right,
    says: schemas.says,
    ...(schemas.body ? { body: schemas.body } : {}),
    ...(schemas.query ? { query: schemas.query } : {}),
    maxBytes: schemas.maxBytes ?? MAX_BODY_BYTES,
    ...(schemas.own ? { own: true as const } : {}),
    ...(schemas.reads ? { reads: true as const } : {}),
    ...(schemas.heavy ? { heavy: true as const } : {}),
    serve: serve as Endpoint['serve'],
    answer: async ({ actor, signedIn, params, request }) => {
      // Whether it is allowed on the very thing, or in the organisation, the service function knows.
      if (!schemas.own && right !== 'see') requireSomewhere(actor, right)
      const asksAgain = schemas.confirm ?? (right === 'administer' && method !== 'GET' && !schemas.reads)
      if (asksAgain && !signedIn.isConfirmed)
        throw new Problem('confirm-first', 'Write your password again: it was some time ago that you did.')
      const query = schemas.query ? parse(schemas.query, queryOf(request)) : undefined
      const body = schemas.body ? parse(schemas.body, await readJson(request, schemas.maxBytes)) : undefined
      const result = await serve({
        actor,
        signedIn,
        params,
        request,
        body: body as z.output<B>,
        query: query as z.output<Q>,
      })
      if (result instanceof Response) return result
      return result === undefined
        ? new Response(null, { status: 204 })
        : Response.json(result, { status: method === 'POST' && !schemas.reads ? 201 : 200 })
    },
  }
}

function queryOf(request: Request): Record<string, string> {
  const query = Object.fromEntries(new URL(request.url).searchParams)
  requireStorable(query)
  return query
}

export function parse<S extends ZodType>(schema: S, value: unknown): z.output<S> {
  const parsed = schema.safeParse(value)
  if (parsed.success) return parsed.data
  const errors = faultsFrom(parsed.error, value)
  throw new Problem(
    'invalid-input',
    errors.map((e) => (e.path ? `${e.path}: ${e.message}` : e.message)).join(' '),
    errors,
  )
}

/** The body as text. Reading stops where it is longer than it may be, whatever its headers say. */
export async function readText(request: Request, maxBytes: number): Promise<string> {
  const tooLarge = new Problem('too-large', `A request here holds at most ${Math.round(maxBytes / 1024 / 1024)} MiB.`)
  if (Number(request.headers.get('content-length') ?? 0) > maxBytes) throw tooLarge
  const decoder = new TextDecoder()
  let text = ''
  let bytes = 0
  for await (const chunk of request.body ?? []) {
    bytes += chunk.byteLength
    if (bytes > maxBytes) throw tooLarge
    text += decoder.decode(chunk, { stream: true })
  }
  return text + decoder.decode()
}

export async function readJson(request: Request, maxBytes = MAX_BODY_BYTES): Promise<unknown> {
  return jsonOf(await readText(request, maxBytes))
}

/** What a text says as JSON, if it can be kept. Throws a Problem. */
export function jsonOf(text: string): unknown {
  let value: unknown
  try {
    value = text === '' ? {} : (JSON.parse(text) as unknown)
  } catch {
    throw new Problem('invalid-input', 'The request is not JSON.', [{ path: '', message: 'The request is not JSON.' }])
  }
  if (isTooDeep(value)) throw new Problem('invalid-input', `The request nests deeper than ${MOST_NESTED}.`)
  requireStorable(value)
  return value
}

/** What a person wrote is not changed in silence: a character that cannot be kept is named, with its place. */
function requireStorable(value: unknown): void {
  const path = unstorablePath(value)
  if (path === undefined) return
  const message = 'It has a character that cannot be stored (NUL, or half of a surrogate pair).'
  throw new Problem('invalid-input', path === '' ? message : `${path}: ${message}`, [{ path, message }])
}

/** A page says so when it asks by itself and nobody has touched it for a while. */
const UNATTENDED_HEADER = 'x-bugle-unattended'

const bearerOf = (request: Request): string | undefined =>
  /^Bearer (\S+)$/.exec(request.headers.get('authorization') ?? '')?.[1]
const tokenOf = (request: Request): string | undefined => bearerOf(request) ?? cookieOf(request)

/** Who asks: an access token in the header, else the session cookie. */
export function identify(request: Request, isAttended = true): Promise<SignedIn | undefined> {
  return withToken(tokenOf(request), () => identifyHere(request, isAttended))
}

async function identifyHere(request: Request, isAttended: boolean): Promise<SignedIn | undefined> {
  const { address } = callerOf(request)
  const bearer = bearerOf(request)
  if (bearer) return whoHasAccessToken(bearer, address)
  const cookie = cookieOf(request)
  const isThere = isAttended && request.headers.get(UNATTENDED_HEADER) === null
  return cookie ? whoHasSession(cookie, address, isThere) : undefined
}

/** Runs the work for the organisation of whoever asks; whatever goes wrong becomes problem details (RFC 9457). What is not meant for people stays in the server's log. */
export async function answering(request: Request, work: () => Promise<Response>): Promise<Response> {
  try {
    const response = await withToken(tokenOf(request), work)
    noteAnswer()
    return safely(response)
  } catch (error) {
    if (error instanceof Problem) return problemResponse(error.toJSON(), error.status, request)
    if (noteOutage(error)) return problemResponse(databaseAway().toJSON(), 503, request)
    process.stderr.write(
      `${JSON.stringify({ time: new Date().toISOString(), path: new URL(request.url).pathname, error: String((error as Error).stack ?? error) })}\n`,
    )
    return problemResponse(
      {
        type: 'urn:bugle:problem:server',
        title: 'The server could not do it',
        status: 500,
        detail: 'Nothing was changed. Try again; the server’s log says more.',
      },
      500,
      request,
    )
  }
}

/** What is answered here is data of one person at one moment: kept by nobody on the way, never shown as a page, never taken for another type. */
export function safely(response: Response): Response {
  const { headers } = response
  if (!headers.has('cache-control')) headers.set('cache-control', 'no-store')
  headers.set('content-security-policy', "default-src 'none'; frame-ancestors 'none'; sandbox")
  headers.set('x-content-type-options', 'nosniff')
  headers.set('referrer-policy', 'same-origin')
  return response
}

function problemResponse(body: Record<string, unknown>, status: number, request: Request): Response {
  const again = status === 503 ? 5 : body.retryAfter
  return safely(
    new Response(JSON.stringify({ ...body, instance: new URL(request.url).pathname }), {
      status,
      headers: {
        'content-type': 'application/problem+json',
        ...(again === undefined ? {} : { 'retry-after': String(again) }),
      },
    }),
  )
}
