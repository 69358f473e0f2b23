import { cookieOf, requireOwnOrigin, sessionCookie, whoCalls } from '@/app/server/caller'
import { answering, parse, readJson } from '@/app/server/endpoint'
import { withToken } from '@/service/base/secrets'
import { secondFactorSchema, showSecondFactor } from '@/service/entry/entry'

export function POST(request: Request): Promise<Response> {
  return answering(request, async () => {
    requireOwnOrigin(request)
    const given = parse(secondFactorSchema, await readJson(request))
    const token = await withToken(given.ticket, () => showSecondFactor(given, whoCalls(request), cookieOf(request)))
    return new Response(null, { status: 204, headers: { 'set-cookie': sessionCookie(request, token) } })
  })
}
