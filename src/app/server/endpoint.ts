import { type ZodType, type z } from 'zod'
import type { Right } from '@/core/people/roles'
import { callerAddress as addressFrom } from '@/core/net/address'
import { config } from '@/store/config'
import { requireRight, type Actor } from '@/service/actor'
import { faultsFrom } from '@/core/schema/faults'
import { Problem } from '@/service/problem'
import { whoHasAccessToken, whoHasSession, type SignedIn } from '@/service/sign-in'

export const SESSION_COOKIE = 'bugle_session'
const MAX_BODY_BYTES = 1024 * 1024
/** Deeper than any request has reason to be, and shallow enough for whatever walks it. */
const MAX_DEPTH = 500

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
  /** Changes only what is the caller's own. */
  readonly own?: true
  /** Only reads, though by POST: what it is asked about is too long for an address. */
  readonly reads?: true
  readonly hasBody: boolean
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
  schemas: { body?: B; query?: Q; own?: true; reads?: true; maxBytes?: number },
  run: (call: Call<z.output<B>, z.output<Q>>) => Promise<unknown>,
): Endpoint {
  return {
    method,
    path,
    right,
    hasBody: schemas.body !== undefined,
    ...(schemas.own ? { own: true as const } : {}),
    ...(schemas.reads ? { reads: true as const } : {}),
    answer: async ({ actor, signedIn, params, request }) => {
      requireRight(actor, right)
      const query = schemas.query
        ? parse(schemas.query, Object.fromEntries(new URL(request.url).searchParams))
        : undefined
      const body = schemas.body ? parse(schemas.body, await readJson(request, schemas.maxBytes)) : undefined
      const result = await run({
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

export async function readJson(request: Request, maxBytes = MAX_BODY_BYTES): Promise<unknown> {
  const tooLarge = new Problem('too-large', `A request here holds at most ${Math.round(maxBytes / 1024 / 1024)} MiB.`)
  if (Number(request.headers.get('content-length') ?? 0) > maxBytes) throw tooLarge
  const text = await request.text()
  if (text.length > maxBytes) throw tooLarge
  if (depthOf(text) > MAX_DEPTH) throw new Problem('invalid-input', `The request nests deeper than ${MAX_DEPTH}.`)
  try {
    return text === '' ? {} : (JSON.parse(text) as unknown)
  } catch {
    throw new Problem('invalid-input', 'The request is not JSON.', [{ path: '', message: 'The request is not JSON.' }])
  }
}

/** How deep brackets nest in a JSON text; those in strings are passed over. */
function depthOf(text: string): number {
  let depth = 0
  let deepest = 0
  let inString = false
  for (let i = 0; i < text.length; i++) {
    const char = text.charCodeAt(i)
    if (inString) {
      if (char === 92) i++
      else if (char === 34) inString = false
    } else if (char === 34) inString = true
    else if (char === 91 || char === 123) deepest = Math.max(deepest, ++depth)
    else if (char === 93 || char === 125) depth--
  }
  return deepest
}

export function callerAddress(request: Request): string {
  return addressFrom(undefined, request.headers.get('x-forwarded-for') ?? undefined, config().proxies) || 'unknown'
}

export function cookieOf(request: Request): string | undefined {
  return new RegExp(`(?:^|; )${SESSION_COOKIE}=([^;]+)`).exec(request.headers.get('cookie') ?? '')?.[1]
}

export function sessionCookie(token: string): string {
  const secure = config().secureCookies ? '; Secure' : ''
  return token === ''
    ? `${SESSION_COOKIE}=; Path=/; HttpOnly; SameSite=Lax; Max-Age=0${secure}`
    : `${SESSION_COOKIE}=${token}; Path=/; HttpOnly; SameSite=Lax; Max-Age=${14 * 86_400}${secure}`
}

/** Cookies travel with requests from other sites too; a change is only taken from our own pages. */
export function requireOwnOrigin(request: Request): void {
  const origin = request.headers.get('origin')
  if (origin === null) return
  const host = request.headers.get('x-forwarded-host') ?? request.headers.get('host')
  // A page without an origin of its own, such as one in a sandbox, says “null”.
  if (!URL.canParse(origin) || new URL(origin).host !== host)
    throw new Problem(
      'foreign-origin',
      'Changes are only taken from Bugle’s own pages. Use an access token for scripts.',
    )
}

/** Who asks: an access token in the header, else the session cookie. */
export async function identify(request: Request): Promise<SignedIn | undefined> {
  const address = callerAddress(request)
  const bearer = /^Bearer (\S+)$/.exec(request.headers.get('authorization') ?? '')?.[1]
  if (bearer) return whoHasAccessToken(bearer, address)
  const cookie = cookieOf(request)
  return cookie ? whoHasSession(cookie, address) : undefined
}

/** Runs the work; whatever goes wrong becomes problem details (RFC 9457). What is not meant for people stays in the server's log. */
export async function answering(request: Request, work: () => Promise<Response>): Promise<Response> {
  try {
    return await work()
  } catch (error) {
    if (error instanceof Problem) return problemResponse(error.toJSON(), error.status, request)
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

function problemResponse(body: Record<string, unknown>, status: number, request: Request): Response {
  return new Response(JSON.stringify({ ...body, instance: new URL(request.url).pathname }), {
    status,
    headers: { 'content-type': 'application/problem+json' },
  })
}
