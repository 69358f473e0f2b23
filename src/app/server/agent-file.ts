import { createHash } from 'node:crypto'
import { readFileSync } from 'node:fs'
import { join } from 'node:path'
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

/** One command to paste on the machine: fetches the agent, checks it, enrols, and runs. */
export function agentCommand(request: Request, key: string, authority = config().agentCaFile): string {
  const server = serverUrl(request)
  // The authority travels in the command itself: before it is there, nothing that this server sends could be trusted.
  const trust = authority === undefined ? [] : [`printf '%s' '${certificatesIn(authority)}' > bugle-ca.pem`]
  return [
    ...trust,
    `curl -fsS ${trust.length > 0 ? '--cacert bugle-ca.pem ' : ''}${server}/agent.cjs -o bugle-agent.cjs`,
    `echo "${agentFile().checksum}  bugle-agent.cjs" | sha256sum -c --quiet -`,
    // The key by the environment: what stands in a command, everybody on the machine can read.
    `${trust.length > 0 ? 'NODE_EXTRA_CA_CERTS="$PWD/bugle-ca.pem" ' : ''}BUGLE_ENROL_KEY=${key} node bugle-agent.cjs enrol --server ${server} --run`,
  ].join(' && ')
}

/** The certificates of a PEM file, and nothing else that stands in it. */
function certificatesIn(file: string): string {
  const found = readFileSync(file, 'utf8').match(
    /-----BEGIN CERTIFICATE-----[A-Za-z0-9+/=\s]+-----END CERTIFICATE-----/g,
  )
  return `${(found ?? []).join('\n')}\n`
}
