import {
  answering,
  callerAddress,
  cookieOf,
  parse,
  readJson,
  requireOwnOrigin,
  sessionCookie,
} from '@/app/server/endpoint'
import { signIn, signInSchema } from '@/service/sign-in'

export function POST(request: Request): Promise<Response> {
  return answering(request, async () => {
    requireOwnOrigin(request)
    const given = parse(signInSchema, await readJson(request))
    const caller = { address: callerAddress(request), userAgent: request.headers.get('user-agent') ?? '' }
    const token = await signIn(given, caller, cookieOf(request))
    return new Response(null, { status: 204, headers: { 'set-cookie': sessionCookie(token) } })
  })
}
