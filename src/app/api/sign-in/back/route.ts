import { cookieOf, sessionCookie, visitCookie, visitOf, whoCalls } from '@/app/server/caller'
import { answering } from '@/app/server/endpoint'
import { withToken } from '@/service/base/secrets'
import { backTo, comeBack } from '@/service/elsewhere/visit'
import { turnedAway } from '../elsewhere/turned-away'

export const dynamic = 'force-dynamic'

/** Whoever comes back from a provider. */
export function GET(request: Request): Promise<Response> {
  return answering(request, async () => {
    const { search, searchParams } = new URL(request.url)
    const caller = whoCalls(request)
    // As the browser has it, whatever stands in front of this process.
    const url = new URL(search, backTo(caller.pages))
    try {
      const { token, goesTo } = await withToken(searchParams.get('state') ?? '', () =>
        comeBack(url, visitOf(request), caller, cookieOf(request)),
      )
      const headers = new Headers({ location: goesTo })
      headers.append('set-cookie', sessionCookie(request, token))
      headers.append('set-cookie', visitCookie(request, ''))
      return new Response(null, { status: 302, headers })
    } catch (error) {
      return turnedAway(error)
    }
  })
}
