import { z } from 'zod'
import { callerOf } from '@/app/server/caller'
import { answering, parse, readJson } from '@/app/server/endpoint'
import { withToken } from '@/service/base/secrets'
import { gatewayFor, pollEnrolment } from '@/service/fleet/enrol'

const pollSchema = z.strictObject({ poll: z.string().max(200) })

export function POST(request: Request): Promise<Response> {
  return answering(request, async () => {
    const { poll } = parse(pollSchema, await readJson(request))
    return Response.json(await withToken(poll, () => pollEnrolment(poll, gatewayFor(callerOf(request)))))
  })
}
