import type { Entry } from '@/service/entry/entry'
import { sessionCookie } from './caller'

/** In, with the cookie; or what is asked for beside the password. */
export function entryAnswer(request: Request, entry: Entry): Response {
  return entry.kind === 'in'
    ? new Response(null, { status: 204, headers: { 'set-cookie': sessionCookie(request, entry.token) } })
    : Response.json({ more: entry.more })
}
