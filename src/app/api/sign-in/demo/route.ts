import { z } from 'zod'
import { cookieOf, requireOwnOrigin, sessionCookie, whoCalls } from '@/app/server/caller'
import { answering, parse, readJson } from '@/app/server/endpoint'
import { signInAsDemoPerson } from '@/service/people/sign-in'

const demoSchema = z.strictObject({ personId: z.int().positive() })

export function POST(request: Request): Promise<Response> {
  return answering(request, async () => {
    requireOwnOrigin(request)
    const { personId } = parse(demoSchema, await readJson(request))
    const caller = whoCalls(request)
    const token = await signInAsDemoPerson(personId, caller, cookieOf(request))
    return new Response(null, { status: 204, headers: { 'set-cookie': sessionCookie(request, token) } })
  })
}
