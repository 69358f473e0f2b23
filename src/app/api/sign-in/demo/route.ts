import { z } from 'zod'
import { cookieOf, requireOwnOrigin, sessionCookie, whoCalls } from '@/app/server/caller'
import { answering, parse, readJson } from '@/app/server/endpoint'
import { Problem } from '@/service/base/problem'
import { FIRST, inOrganisation } from '@/store/organisation'
import { isActive } from '@/store/organisations'
import { signInAsDemoPerson } from '@/service/entry/sign-in'

const demoSchema = z.strictObject({ personId: z.int().positive(), organisation: z.int().positive().default(FIRST) })

export function POST(request: Request): Promise<Response> {
  return answering(request, async () => {
    requireOwnOrigin(request)
    const { personId, organisation } = parse(demoSchema, await readJson(request))
    const caller = whoCalls(request)
    if (!(await isActive(organisation))) throw new Problem('not-found', 'There is no such organisation.')
    const token = await inOrganisation(organisation, () => signInAsDemoPerson(personId, caller, cookieOf(request)))
    return new Response(null, { status: 204, headers: { 'set-cookie': sessionCookie(request, token) } })
  })
}
