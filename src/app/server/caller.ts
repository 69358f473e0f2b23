import { CALLER_HEADER, readCaller, type Caller } from '@/core/net/caller'
import { Problem } from '@/service/base/problem'

/** Where a request's headers are: of the API, or of a page. */
interface HasHeaders {
  readonly headers: { get: (name: string) => string | null }
}

/** Whom a request came from, as our own door says (src/web). Without the door nothing is known, and nothing that the request says of itself is believed. */
export function callerOf({ headers }: HasHeaders): Caller {
  return (
    readCaller(headers.get(CALLER_HEADER), process.env.BUGLE_WEB_SEAL) ?? {
      address: 'unknown',
      isHttps: false,
      host: headers.get('host') ?? 'localhost',
    }
  )
}

/** As sign-in wants it. */
export function whoCalls(request: Request): { address: string; userAgent: string; pages: string } {
  const { address, isHttps, host } = callerOf(request)
  const pages = `${isHttps ? 'https' : 'http'}://${host}`
  return { address, userAgent: request.headers.get('user-agent') ?? '', pages }
}

const PLAIN_COOKIE = 'bugle_session'
/** Only over TLS, for this host alone and all of it (RFC 6265bis, 4.1.3.2). */
const SECURE_COOKIE = '__Host-bugle'
const COOKIE_DAYS = 14

const cookieName = ({ isHttps }: Caller): string => (isHttps ? SECURE_COOKIE : PLAIN_COOKIE)

export function cookieOf(request: HasHeaders): string | undefined {
  return valueOf(request, cookieName(callerOf(request)))
}

const valueOf = (request: HasHeaders, name: string): string | undefined =>
  new RegExp(`(?:^|; )${name}=([^;]{1,300})`).exec(request.headers.get('cookie') ?? '')?.[1]

/** `token` empty: the cookie goes. */
export function sessionCookie(request: Request, token: string): string {
  const caller = callerOf(request)
  const rest = `Path=/; HttpOnly; SameSite=Lax${caller.isHttps ? '; Secure' : ''}`
  return `${cookieName(caller)}=${token}; ${rest}; Max-Age=${token === '' ? 0 : COOKIE_DAYS * 86_400}`
}

/** Kept by the browser while somebody is at a provider: it comes back only to the browser that went. */
const VISIT = 'bugle_visit'
const visitName = ({ isHttps }: Caller): string => (isHttps ? `__Host-${VISIT}` : VISIT)

export const visitOf = (request: HasHeaders): string | undefined => valueOf(request, visitName(callerOf(request)))

export function visitCookie(request: Request, token: string): string {
  const caller = callerOf(request)
  const rest = `Path=/; HttpOnly; SameSite=Lax${caller.isHttps ? '; Secure' : ''}`
  return `${visitName(caller)}=${token}; ${rest}; Max-Age=${token === '' ? 0 : 600}`
}

/** Cookies travel with requests from other sites too; a change is only taken from our own pages. */
export function requireOwnOrigin(request: Request): void {
  const origin = request.headers.get('origin')
  if (origin === null) return
  // A page without an origin of its own, such as one in a sandbox, says “null”.
  if (!URL.canParse(origin) || new URL(origin).host !== callerOf(request).host)
    throw new Problem(
      'foreign-origin',
      'Changes are only taken from Bugle’s own pages. Use an access token for scripts.',
    )
}
