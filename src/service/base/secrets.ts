import { createHash, randomBytes } from 'node:crypto'
import { FIRST, inOrganisation, organisation } from '@/store/organisation'
import { isActive, knownOrganisations } from '@/store/organisations'
import { runContext, seal, unseal } from '@/store/seal'

/** Secret inputs of a run, sealed as one and bound to it; null: it has none. */
export function sealInputs(secrets: Readonly<Record<string, string>>, runId: number): Buffer | null {
  return Object.keys(secrets).length > 0 ? seal(JSON.stringify(secrets), runContext(runId)) : null
}

/** Throws `SealBroken`. */
export function unsealInputs(sealed: Buffer | null, runId: number): Record<string, string> {
  return sealed ? (JSON.parse(unseal(sealed, runContext(runId))) as Record<string, string>) : {}
}

/** A token that cannot be guessed, with a prefix that says what it is for, and of which organisation unless it is the first. */
export function newToken(prefix: string): string {
  const whose = organisation() === FIRST ? '' : String(organisation())
  return `${prefix}${whose}_${randomBytes(32).toString('base64url')}`
}

const ownerOf = (token: string): number => Number(/^[a-z]+([1-9]\d{0,8})_/.exec(token)?.[1] ?? FIRST)

/** Whether it is of an organisation that is there, and switched off. */
export async function isSwitchedOff(token: string): Promise<boolean> {
  const id = ownerOf(token)
  return (await knownOrganisations()).some((one) => one.id === id && !one.active)
}

/** Does the work for the organisation that made the token; of one that is not there, or is switched off, the token is unknown like any other that nobody made. */
export async function withToken<T>(token: string | undefined, work: () => Promise<T>): Promise<T> {
  const id = ownerOf(token ?? '')
  if (id !== FIRST) return inOrganisation((await isActive(id)) ? id : FIRST, work)
  // It need not wait; but whether it is alone on its server must not be forgotten.
  knownOrganisations().catch(() => undefined)
  return inOrganisation(FIRST, work)
}

/** Tokens carry 256 random bits, so a plain hash is enough to store them by. */
export function hashToken(token: string): string {
  return createHash('sha256').update(token).digest('hex')
}
