import { cookieOf, requireOwnOrigin, whoCalls } from '@/app/server/caller'
import { entryAnswer } from '@/app/server/entry-answer'
import { answering, identify, parse, readJson } from '@/app/server/endpoint'
import { Problem } from '@/service/base/problem'
import { goTo, goToSchema } from '@/service/organisations/choice'

/** Goes over to another organisation of one's own. */
export function POST(request: Request): Promise<Response> {
  return answering(request, async () => {
    requireOwnOrigin(request)
    const { id } = parse(goToSchema, await readJson(request))
    const signedIn = await identify(request)
    if (!signedIn) throw new Problem('not-signed-in', 'Sign in first.')
    const entry = await goTo(signedIn.actor, id, whoCalls(request), cookieOf(request))
    return entryAnswer(request, entry)
  })
}
