import { noteRefusal } from '@/service/fleet/refusals'
import { Problem } from '@/service/base/problem'
import { requireOwnOrigin } from '@/app/server/caller'
import { answering, identify } from '@/app/server/endpoint'
import { route } from '@/app/endpoints'
import { inWorker } from '@/app/server/workers'

export const dynamic = 'force-dynamic'

async function handle(request: Request, context: { params: Promise<{ path: string[] }> }): Promise<Response> {
  return answering(request, async () => {
    const signedIn = await identify(request)
    if (!signedIn) throw new Problem('not-signed-in', 'Sign in, or send an access token.')
    if (request.method !== 'GET' && signedIn.actor.via === 'session') requireOwnOrigin(request)
    const { path } = await context.params
    const found = route(request.method, path)
    if (!('endpoint' in found)) {
      throw new Problem(
        'not-found',
        found.known ? `${request.method} is not possible here.` : 'There is nothing at this address.',
      )
    }
    try {
      if (found.endpoint.heavy) return await inWorker(found.endpoint, request, path, signedIn)
      return await found.endpoint.answer({ ...signedIn, signedIn, params: found.params, request })
    } catch (error) {
      if (error instanceof Problem && error.code === 'not-allowed')
        await noteRefusal(signedIn.actor, `${request.method} ${new URL(request.url).pathname}`)
      throw error
    }
  })
}

export { handle as DELETE, handle as GET, handle as PATCH, handle as POST, handle as PUT }
