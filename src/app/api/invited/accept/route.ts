import { requireOwnOrigin, whoCalls } from '@/app/server/caller'
import { entryAnswer } from '@/app/server/entry-answer'
import { answering, parse, readJson } from '@/app/server/endpoint'
import { withToken } from '@/service/base/secrets'
import { acceptInvitation, acceptSchema } from '@/service/letters/invitations'

export function POST(request: Request): Promise<Response> {
  return answering(request, async () => {
    requireOwnOrigin(request)
    const given = parse(acceptSchema, await readJson(request))
    const entry = await withToken(given.token, () => acceptInvitation(given, whoCalls(request)))
    return entryAnswer(request, entry)
  })
}
