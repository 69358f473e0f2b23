import { answering } from '@/app/server/endpoint'
import { icsFile } from '@/app/server/downloads'
import { Problem } from '@/service/base/problem'
import { withToken } from '@/service/base/secrets'
import { subscribedIcs } from '@/service/exchange/calendar-files'

export const dynamic = 'force-dynamic'

/** A calendar for whoever has the address of its subscription. */
export function GET(request: Request, context: { params: Promise<{ file: string }> }): Promise<Response> {
  return answering(request, async () => {
    const { file } = await context.params
    const found = file.endsWith('.ics') ? await withToken(file, () => subscribedIcs(file.slice(0, -4))) : undefined
    if (!found) throw new Problem('not-found', 'There is no such subscription. It may have been ended.')
    return icsFile(found)
  })
}
