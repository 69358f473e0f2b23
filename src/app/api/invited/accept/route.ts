import { requireOwnOrigin, sessionCookie, whoCalls } from '@/app/server/caller'
import { answering, parse, readJson } from '@/app/server/endpoint'
import { withToken } from '@/service/base/secrets'
import { acceptInvitation, acceptSchema } from '@/service/letters/invitations'

export function POST(request: Request): Promise<Response> {
  return answering(request, async () => {
    requireOwnOrigin(request)
    const given = parse(acceptSchema, await readJson(request))
    const token = await withToken(given.token, () => acceptInvitation(given, whoCalls(request)))
    return new Response(null, { status: 204, headers: { 'set-cookie': sessionCookie(request, token) } })
  })
}
