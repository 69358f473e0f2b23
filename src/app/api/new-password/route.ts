import { requireOwnOrigin, whoCalls } from '@/app/server/caller'
import { entryAnswer } from '@/app/server/entry-answer'
import { answering, parse, readJson } from '@/app/server/endpoint'
import { withToken } from '@/service/base/secrets'
import { newPasswordSchema, setNewPassword } from '@/service/letters/new-passwords'

export function POST(request: Request): Promise<Response> {
  return answering(request, async () => {
    requireOwnOrigin(request)
    const given = parse(newPasswordSchema, await readJson(request))
    const entry = await withToken(given.token, () => setNewPassword(given, whoCalls(request)))
    return entryAnswer(request, entry)
  })
}
