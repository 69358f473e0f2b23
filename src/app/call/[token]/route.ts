import { answering, jsonOf, readText } from '@/app/server/endpoint'
import { withToken } from '@/service/base/secrets'
import { receiveCall } from '@/service/timing/calls'

export const dynamic = 'force-dynamic'

const MAX_BYTES = 1024 * 1024

/** A program calls the address of a trigger: 202 with the run that it led to, 200 where it led to none. */
export function POST(request: Request, context: { params: Promise<{ token: string }> }): Promise<Response> {
  return answering(request, async () => {
    const { token } = await context.params
    const raw = { headers: Object.fromEntries(request.headers), text: await readText(request, MAX_BYTES) }
    const answer = await withToken(token, () => receiveCall(token, raw, jsonOf))
    return Response.json(answer, { status: answer.started || answer.waits ? 202 : 200 })
  })
}
