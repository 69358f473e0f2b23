import { z } from 'zod'
import { requireOwnOrigin, whoCalls } from '@/app/server/caller'
import { answering, parse, readJson } from '@/app/server/endpoint'
import { withToken } from '@/service/base/secrets'
import { beginFirstFactor } from '@/service/entry/make-factor'

const ticketSchema = z.strictObject({ ticket: z.string().max(200) })

/** What the first second factor is made of, for somebody whose role asks for one. */
export function POST(request: Request): Promise<Response> {
  return answering(request, async () => {
    requireOwnOrigin(request)
    const { ticket } = parse(ticketSchema, await readJson(request))
    return Response.json(await withToken(ticket, () => beginFirstFactor(ticket, whoCalls(request).pages)))
  })
}
