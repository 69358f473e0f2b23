import { requireOwnOrigin, sessionCookie, whoCalls } from '@/app/server/caller'
import { answering, parse, readJson } from '@/app/server/endpoint'
import { withToken } from '@/service/base/secrets'
import { setUpFirstAdministrator, setupSchema } from '@/service/entry/set-up'

export function POST(request: Request): Promise<Response> {
  return answering(request, async () => {
    requireOwnOrigin(request)
    const given = parse(setupSchema, await readJson(request))
    const caller = whoCalls(request)
    const token = await withToken(given.code.trim(), () => setUpFirstAdministrator(given, caller))
    return new Response(null, { status: 204, headers: { 'set-cookie': sessionCookie(request, token) } })
  })
}
