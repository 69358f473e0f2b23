import { requireOwnOrigin, whoCalls } from '@/app/server/caller'
import { answering, parse, readJson } from '@/app/server/endpoint'
import { withToken } from '@/service/base/secrets'
import { doorsHere } from '@/service/elsewhere/providers'
import { readInvitation, tokenSchema } from '@/service/letters/invitations'

/** What stands in an invitation: by POST, so that what opens it is in no address. */
export function POST(request: Request): Promise<Response> {
  return answering(request, async () => {
    requireOwnOrigin(request)
    const given = parse(tokenSchema, await readJson(request))
    const answer = await withToken(given.token, async () => ({
      ...(await readInvitation(given, whoCalls(request))),
      doors: await doorsHere(),
    }))
    return Response.json(answer)
  })
}
