import { cookieOf, requireOwnOrigin, sessionCookie, whoCalls } from '@/app/server/caller'
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
    const token = await goTo(signedIn.actor, id, whoCalls(request), cookieOf(request))
    return new Response(null, { status: 204, headers: { 'set-cookie': sessionCookie(request, token) } })
  })
}
