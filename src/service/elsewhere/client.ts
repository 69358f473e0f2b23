import * as client from 'openid-client'
import { exchange } from '@/act/request'
import { serverMayReach } from '@/service/notices/addresses'
import { PerOrganisation } from '@/store/organisation'
import { providerContext, unseal } from '@/store/seal'
import type { Provider } from './providers'

/** What a provider says of itself is asked for again after so long. */
const KEPT_MS = 10 * 60_000
const SECONDS = 10
const MOST_BYTES = 1024 * 1024

interface Kept {
  readonly of: string
  readonly atMs: number
  readonly configuration: client.Configuration
}
const kept = new PerOrganisation(() => new Map<number, Kept>())

/** Requests go where the server itself may go, and nowhere else; redirects are not followed: none of these answers is one. */
const guarded: client.CustomFetch = async (url, { method, headers, body, signal }) => {
  const answer = await exchange(
    { method, url, headers: { ...headers }, body: body === undefined || body === null ? null : textOf(body) },
    {
      mostBytes: MOST_BYTES,
      mayReach: await serverMayReach(),
      signal: AbortSignal.any([AbortSignal.timeout(SECONDS * 1000), ...(signal ? [signal] : [])]),
      follow: false,
    },
    () => undefined,
  )
  const isEmpty = [101, 204, 205, 304].includes(answer.status)
  return new Response(isEmpty ? null : new Uint8Array(answer.body), {
    status: answer.status,
    headers: { 'content-type': answer.type },
  })
}

function textOf(body: client.FetchBody): string {
  if (typeof body === 'string' || body instanceof URLSearchParams) return body.toString()
  throw new Error('Only text is sent to a provider.')
}

/** What a provider says of itself (OpenID Connect Discovery 1.0), with who we are there. */
export async function configurationOf(provider: Provider): Promise<client.Configuration> {
  const of = `${provider.issuer} ${provider.clientId} ${new Date(provider.changedAt).getTime()}`
  const known = kept.get().get(provider.id)
  if (known?.of === of && Date.now() - known.atMs < KEPT_MS) return known.configuration
  const secret = provider.secret === null ? undefined : unseal(provider.secret, providerContext(provider.id))
  const configuration = await client.discovery(
    new URL(provider.issuer),
    provider.clientId,
    secret,
    secret === undefined ? client.None() : undefined,
    {
      [client.customFetch]: guarded,
      // On this machine alone: the schema of a provider sees to it.
      ...(provider.issuer.startsWith('http:') ? { execute: [client.allowInsecureRequests] } : {}),
    },
  )
  // The package trusts a connection by TLS for the token's signature; ours is looked at always.
  client.enableNonRepudiationChecks(configuration)
  kept.get().set(provider.id, { of, atMs: Date.now(), configuration })
  return configuration
}
