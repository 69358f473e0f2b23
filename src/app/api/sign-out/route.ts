import { cookieOf, requireOwnOrigin, sessionCookie, whoCalls } from '@/app/server/caller'
import { answering } from '@/app/server/endpoint'
import { withToken } from '@/service/base/secrets'
import { endElsewhere } from '@/service/elsewhere/visit'
import { signOut } from '@/service/people/sessions'

export function POST(request: Request): Promise<Response> {
  return answering(request, async () => {
    requireOwnOrigin(request)
    const token = cookieOf(request)
    // Whoever came by a provider signs out there, too.
    const elsewhere = token && (await withToken(token, () => endElsewhere(token, whoCalls(request).pages)))
    if (token) await signOut(token)
    const headers = { 'set-cookie': sessionCookie(request, '') }
    return elsewhere ? Response.json({ elsewhere }, { headers }) : new Response(null, { status: 204, headers })
  })
}
