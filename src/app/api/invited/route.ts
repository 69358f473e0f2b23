import { requireOwnOrigin, whoCalls } from '@/app/server/caller'
import { answering, parse, readJson } from '@/app/server/endpoint'
import { withToken } from '@/service/base/secrets'
import { readInvitation, tokenSchema } from '@/service/letters/invitations'

/** What stands in an invitation: by POST, so that what opens it is in no address. */
export function POST(request: Request): Promise<Response> {
  return answering(request, async () => {
    requireOwnOrigin(request)
    const given = parse(tokenSchema, await readJson(request))
    return Response.json(await withToken(given.token, () => readInvitation(given, whoCalls(request))))
  })
}
