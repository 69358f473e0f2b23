import { seenBy, type Actor } from '@/service/base/actor'
import { traceFile } from '@/service/fleet/traces'
import { fromHere } from '@/store/organisation'
import { outputText } from '@/service/runs/run-page'

/** A stream made as the reader takes it, so that any length costs no memory. It is made after the answer has begun: behind the walls of whoever asked, whoever reads. */
export function streamOf(
  actor: Actor,
  parts: AsyncGenerator<string | Uint8Array>,
  headers: Record<string, string>,
): Response {
  const encoder = new TextEncoder()
  const here = fromHere()
  const body = new ReadableStream<Uint8Array>({
    pull: async (controller) => {
      const { done, value } = await here(() => seenBy(actor, () => parts.next()))
      if (done) controller.close()
      else controller.enqueue(typeof value === 'string' ? encoder.encode(value) : value)
    },
    cancel: async () => {
      await parts.return(undefined)
    },
  })
  return new Response(body, { headers })
}

export function icsFile({ name, text }: { name: string; text: string }): Response {
  return new Response(text, {
    headers: {
      'content-type': 'text/calendar; charset=utf-8',
      'content-disposition': `attachment; filename="${name}"`,
    },
  })
}

export async function traceDownload(actor: Actor, id: number): Promise<Response> {
  const { name, pieces } = await traceFile(actor, id)
  return streamOf(actor, pieces, {
    'content-type': 'application/gzip',
    'content-disposition': `attachment; filename="${name}"`,
  })
}

export function outputFile(actor: Actor, runId: number, attemptId: number): Response {
  return streamOf(actor, outputText(actor, runId, attemptId), {
    'content-type': 'text/plain; charset=utf-8',
    'content-disposition': `attachment; filename="run-${runId}-output.txt"`,
  })
}

/** Any PDF or CSV that is whole. */
const wholeFile = (name: string, type: string, body: BodyInit): Response =>
  new Response(body, { headers: { 'content-type': type, 'content-disposition': `attachment; filename="${name}"` } })

export const pdfDownload = ({ name, bytes }: { name: string; bytes: Buffer }): Response =>
  wholeFile(name, 'application/pdf', new Uint8Array(bytes))

export const csvDownload = ({ name, text }: { name: string; text: string }): Response =>
  wholeFile(name, 'text/csv; charset=utf-8; header=present', text)
