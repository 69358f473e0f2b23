import { cookieOf, requireOwnOrigin, sessionCookie, whoCalls } from '@/app/server/caller'
import { answering, parse, readJson } from '@/app/server/endpoint'
import { signIn, signInSchema } from '@/service/people/sign-in'

export function POST(request: Request): Promise<Response> {
  return answering(request, async () => {
    requireOwnOrigin(request)
    const given = parse(signInSchema, await readJson(request))
    const caller = whoCalls(request)
    const token = await signIn(given, caller, cookieOf(request))
    return new Response(null, { status: 204, headers: { 'set-cookie': sessionCookie(request, token) } })
  })
}
