import { cookieOf, requireOwnOrigin, sessionCookie, whoCalls } from '@/app/server/caller'
import { answering, parse, readJson } from '@/app/server/endpoint'
import { withToken } from '@/service/base/secrets'
import { makeFirstFactor } from '@/service/entry/entry'
import { newFactorSchema } from '@/service/entry/make-factor'

export function POST(request: Request): Promise<Response> {
  return answering(request, async () => {
    requireOwnOrigin(request)
    const given = parse(newFactorSchema, await readJson(request))
    const { token, recoveryCodes } = await withToken(given.ticket, () =>
      makeFirstFactor(given, whoCalls(request), cookieOf(request)),
    )
    return Response.json({ recoveryCodes }, { headers: { 'set-cookie': sessionCookie(request, token) } })
  })
}
