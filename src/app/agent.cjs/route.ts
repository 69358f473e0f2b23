import { agentFile } from '@/app/server/agent-file'
import { safely } from '@/app/server/endpoint'

export const dynamic = 'force-dynamic'

/** The agent program. It holds no secret: anybody may fetch it. */
export function GET(): Response {
  const { bytes, checksum } = agentFile()
  return safely(
    new Response(new Uint8Array(bytes), {
      headers: { 'content-type': 'text/javascript; charset=utf-8', 'x-checksum-sha256': checksum },
    }),
  )
}
