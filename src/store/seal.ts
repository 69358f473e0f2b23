import { createCipheriv, createDecipheriv, hkdfSync, randomBytes } from 'node:crypto'
import { readSecretKey } from './key-file'
import { FIRST, organisation } from './organisation'

let key: Buffer | undefined
const theKey = (): Buffer => (key ??= readSecretKey())

/** What was sealed cannot be opened: with another key, moved to another row, or changed by a byte. */
export class SealBroken extends Error {}

const NONCE_BYTES = 12
const TAG_BYTES = 16

/** Rows of two organisations may have one number. */
const bound = (context: string): Buffer =>
  Buffer.from(organisation() === FIRST ? context : `organisation ${organisation()}: ${context}`)

/**
 * AES-256-GCM (NIST SP 800-38D): 12 bytes nonce, 16 bytes tag, ciphertext. `context` names what the secret belongs to, a row and never only a kind of row, and is bound in: copied to another
 * one it does not open.
 */
export function seal(plain: string, context: string): Buffer {
  const nonce = randomBytes(NONCE_BYTES)
  const cipher = createCipheriv('aes-256-gcm', theKey(), nonce)
  cipher.setAAD(bound(context))
  const sealed = Buffer.concat([cipher.update(plain, 'utf8'), cipher.final()])
  return Buffer.concat([nonce, cipher.getAuthTag(), sealed])
}

/** Throws `SealBroken` if the key, the context or a byte is another one. */
export function unseal(sealed: Buffer, context: string): string {
  try {
    const decipher = createDecipheriv('aes-256-gcm', theKey(), sealed.subarray(0, NONCE_BYTES))
    decipher.setAAD(bound(context))
    decipher.setAuthTag(sealed.subarray(NONCE_BYTES, NONCE_BYTES + TAG_BYTES))
    return Buffer.concat([decipher.update(sealed.subarray(NONCE_BYTES + TAG_BYTES)), decipher.final()]).toString('utf8')
  } catch (error) {
    throw new SealBroken(`A stored secret (${context}) cannot be opened: it was sealed with another key, or changed.`, {
      cause: error,
    })
  }
}

/** A key of its own for each use, made from the one that is kept (RFC 5869 with an empty salt). */
export const keyFor = (use: string): Buffer => Buffer.from(hkdfSync('sha256', theKey(), '', use, 32))

/** What the secret of a run-as account is bound to. */
export const accountContext = (id: number): string => `account ${id}`

/** What the secret of an authenticator app is bound to: while it is being set up, and then. */
export const ticketContext = (tokenHash: string): string => `second factor of ticket ${tokenHash}`
export const factorContext = (id: number): string => `second factor ${id}`

/** What the secret that a sign-in provider knows us by is bound to; and what it said of a session's person. */
export const providerContext = (id: number): string => `provider ${id}`
export const sessionContext = (tokenHash: string): string => `session ${tokenHash}`

/** What the key is bound to by which calls of a trigger are signed. */
export const callContext = (triggerId: number): string => `calls of trigger ${triggerId}`

/** What the secret inputs of a run are bound to. */
export const runContext = (runId: number): string => `inputs of run ${runId}`
