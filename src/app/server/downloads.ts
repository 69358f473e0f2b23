import { stringify } from 'csv-stringify/sync'
import { seenBy, type Actor } from '@/service/base/actor'
import { traceFile } from '@/service/fleet/traces'
import { allRuns, type RunFilter, type RunRow } from '@/service/runs/run-list'
import { fromHere } from '@/store/organisation'
import { outputText } from '@/service/runs/run-page'

const CSV_COLUMNS: readonly (keyof RunRow)[] = [
  'id',
  'title',
  'area',
  'kind',
  'state',
  'cause',
  'starter',
  'agent',
  'attempts',
  'createdAt',
  'startedAt',
  'endedAt',
  'durationMs',
  'exitCode',
  'reason',
]

/** A stream made as the reader takes it, so that any length costs no memory. It is made after the answer has begun: behind the walls of whoever asked, whoever reads. */
function streamOf(actor: Actor, parts: AsyncGenerator<string | Uint8Array>, headers: Record<string, string>): Response {
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

export function runsCsv(actor: Actor, filter: RunFilter): Response {
  async function* parts(): AsyncGenerator<string> {
    yield `${CSV_COLUMNS.join(',')}\r\n`
    for await (const rows of allRuns(actor, filter)) {
      // Text that a spreadsheet would take for a formula is made plain text (OWASP, CSV injection).
      yield stringify(
        rows.map((row) => CSV_COLUMNS.map((column) => plainCell(row[column]))),
        { record_delimiter: '\r\n' },
      )
    }
  }
  return streamOf(actor, parts(), {
    'content-type': 'text/csv; charset=utf-8',
    'content-disposition': 'attachment; filename="bugle-runs.csv"',
  })
}

function plainCell(value: unknown): string {
  const text = value instanceof Date ? value.toISOString() : value === null || value === undefined ? '' : String(value)
  return /^[=+\-@\t\r]/.test(text) && !/^-?\d+(\.\d+)?$/.test(text) ? `'${text}` : text
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
