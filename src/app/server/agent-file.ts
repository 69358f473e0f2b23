import { createHash } from 'node:crypto'
import { readFileSync } from 'node:fs'
import { join } from 'node:path'
import { z } from 'zod'
import { relaysIn } from '@/core/net/relays'
import { textSchema } from '@/core/schema/text'
import { config } from '@/store/config'

let cached: { bytes: Buffer; checksum: string } | undefined

/** The agent program as it is offered for download, and its SHA-256. */
export function agentFile(): { bytes: Buffer; checksum: string } {
  if (!cached) {
    const bytes = readFileSync(
      join(/* turbopackIgnore: true */ process.env.BUGLE_DIST ?? join(process.cwd(), 'dist'), 'agent.cjs'),
    )
    cached = { bytes, checksum: createHash('sha256').update(bytes).digest('hex') }
  }
  return cached
}

/** Where this server is, as the caller sees it. */
function serverUrl(request: Request): string {
  const host = request.headers.get('x-forwarded-host') ?? request.headers.get('host') ?? 'localhost'
  const protocol =
    request.headers.get('x-forwarded-proto')?.split(',')[0] ?? new URL(request.url).protocol.replace(':', '')
  return `${protocol}://${host}`
}

const PLAIN_RELAY = /^https?:\/\/[\w.:[\]-]+$/
/** How the machines of a key call. */
export const callingSchema = z.object({
  /** Relays that they go through, as in a command: HOST, HOST:PORT, separated by commas; of what stands there nothing else gets into one. */
  through: textSchema(2000)
    .default('')
    .transform((text, context): string[] => {
      try {
        const relays = relaysIn(text)
        const odd = relays.find((relay) => !PLAIN_RELAY.test(relay))
        if (odd === undefined) return relays
        context.addIssue(`${odd} has more in it than a host and a port.`)
      } catch (error) {
        context.addIssue((error as Error).message)
      }
      return z.NEVER
    }),
  /** Where they listen as relays of others; null: they are none. */
  relay: z.int().min(1).max(65_535).nullable().default(null),
})

/** One command to paste on the machine: fetches the agent, checks it, enrols, and runs. */
export function agentCommand(
  request: Request,
  key: string,
  { through, relay }: z.output<typeof callingSchema> = { through: [], relay: null },
  authority = config().agentCaFile,
): string {
  const server = serverUrl(request)
  // The authority travels in the command itself: before it is there, nothing that this server sends could be trusted.
  const trust = authority === undefined ? [] : [`printf '%s' '${certificatesIn(authority)}' > bugle-ca.pem`]
  return [
    ...trust,
    `curl -fsS ${trust.length > 0 ? '--cacert bugle-ca.pem ' : ''}${through[0] ? `-p -x ${through[0]} ` : ''}${server}/agent.cjs -o bugle-agent.cjs`,
    `echo "${agentFile().checksum}  bugle-agent.cjs" | sha256sum -c --quiet -`,
    // The key by the environment: what stands in a command, everybody on the machine can read.
    `${trust.length > 0 ? 'NODE_EXTRA_CA_CERTS="$PWD/bugle-ca.pem" ' : ''}BUGLE_ENROL_KEY=${key} node bugle-agent.cjs enrol --server ${server} --run${through.length > 0 ? ` --through ${through.join(',')}` : ''}${relay === null ? '' : ` --relay ${relay}`}`,
  ].join(' && ')
}

/** The certificates of a PEM file, and nothing else that stands in it. */
function certificatesIn(file: string): string {
  const found = readFileSync(file, 'utf8').match(
    /-----BEGIN CERTIFICATE-----[A-Za-z0-9+/=\s]+-----END CERTIFICATE-----/g,
  )
  return `${(found ?? []).join('\n')}\n`
}
