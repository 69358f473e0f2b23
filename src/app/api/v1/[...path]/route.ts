import { Problem } from '@/service/problem'
import { answering, identify, requireOwnOrigin } from '@/app/server/endpoint'
import { route } from '@/app/server/table'

export const dynamic = 'force-dynamic'

async function handle(request: Request, context: { params: Promise<{ path: string[] }> }): Promise<Response> {
  return answering(request, async () => {
    const signedIn = await identify(request)
    if (!signedIn) throw new Problem('not-signed-in', 'Sign in, or send an access token.')
    if (request.method !== 'GET' && signedIn.actor.via === 'session') requireOwnOrigin(request)
    const found = route(request.method, (await context.params).path)
    if (!('endpoint' in found)) {
      throw new Problem(
        'not-found',
        found.known ? `${request.method} is not possible here.` : 'There is nothing at this address.',
      )
    }
    return found.endpoint.answer({ ...signedIn, signedIn, params: found.params, request })
  })
}

export { handle as DELETE, handle as GET, handle as PATCH, handle as POST, handle as PUT }
