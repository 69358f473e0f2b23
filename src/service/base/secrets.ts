import { createHash, randomBytes } from 'node:crypto'
import { runContext, seal, unseal } from '@/store/seal'

/** Secret inputs of a run, sealed as one and bound to it; null: it has none. */
export function sealInputs(secrets: Readonly<Record<string, string>>, runId: number): Buffer | null {
  return Object.keys(secrets).length > 0 ? seal(JSON.stringify(secrets), runContext(runId)) : null
}

/** Throws `SealBroken`. */
export function unsealInputs(sealed: Buffer | null, runId: number): Record<string, string> {
  return sealed ? (JSON.parse(unseal(sealed, runContext(runId))) as Record<string, string>) : {}
}

/** A token that cannot be guessed, with a prefix that says what it is for. */
export function newToken(prefix: string): string {
  return `${prefix}_${randomBytes(32).toString('base64url')}`
}

/** Tokens carry 256 random bits, so a plain hash is enough to store them by. */
export function hashToken(token: string): string {
  return createHash('sha256').update(token).digest('hex')
}
