import { enrolRequestSchema } from '@/agent/protocol'
import { callerOf } from '@/app/server/caller'
import { answering, parse, readJson } from '@/app/server/endpoint'
import { withToken } from '@/service/base/secrets'
import { enrol, gatewayFor } from '@/service/fleet/enrol'

export function POST(request: Request): Promise<Response> {
  return answering(request, async () => {
    const facts = parse(enrolRequestSchema, await readJson(request))
    return Response.json(await withToken(facts.key, () => enrol(facts, gatewayFor(callerOf(request)))))
  })
}
