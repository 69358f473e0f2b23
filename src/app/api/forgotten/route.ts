import { requireOwnOrigin, whoCalls } from '@/app/server/caller'
import { answering, parse, readJson } from '@/app/server/endpoint'
import { forgotten, forgottenSchema } from '@/service/letters/new-passwords'

export function POST(request: Request): Promise<Response> {
  return answering(request, async () => {
    requireOwnOrigin(request)
    await forgotten(parse(forgottenSchema, await readJson(request)), whoCalls(request))
    return new Response(null, { status: 204 })
  })
}
