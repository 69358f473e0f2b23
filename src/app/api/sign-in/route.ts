import { cookieOf, requireOwnOrigin, whoCalls } from '@/app/server/caller'
import { entryAnswer } from '@/app/server/entry-answer'
import { answering, parse, readJson } from '@/app/server/endpoint'
import { signIn, signInSchema } from '@/service/entry/sign-in'

export function POST(request: Request): Promise<Response> {
  return answering(request, async () => {
    requireOwnOrigin(request)
    const given = parse(signInSchema, await readJson(request))
    const caller = whoCalls(request)
    const entry = await signIn(given, caller, cookieOf(request))
    return entryAnswer(request, entry)
  })
}
