import { cookieOf, requireOwnOrigin, sessionCookie } from '@/app/server/caller'
import { answering } from '@/app/server/endpoint'
import { signOut } from '@/service/people/sessions'

export function POST(request: Request): Promise<Response> {
  return answering(request, async () => {
    requireOwnOrigin(request)
    const token = cookieOf(request)
    if (token) await signOut(token)
    return new Response(null, { status: 204, headers: { 'set-cookie': sessionCookie(request, '') } })
  })
}
