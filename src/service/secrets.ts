import { createCipheriv, createDecipheriv, createHash, randomBytes, timingSafeEqual } from 'node:crypto'
import { secretKey } from '@/store/config'

let key: Buffer | undefined
const theKey = (): Buffer => (key ??= secretKey())

/** AES-256-GCM: 12 bytes nonce, 16 bytes tag, ciphertext. `context` is bound in: a secret moved to another row does not open. */
export function seal(plain: string, context: string): Buffer {
  const nonce = randomBytes(12)
  const cipher = createCipheriv('aes-256-gcm', theKey(), nonce)
  cipher.setAAD(Buffer.from(context))
  const sealed = Buffer.concat([cipher.update(plain, 'utf8'), cipher.final()])
  return Buffer.concat([nonce, cipher.getAuthTag(), sealed])
}

/** Throws if the key, the context or a byte is another one. */
export function unseal(sealed: Buffer, context: string): string {
  const decipher = createDecipheriv('aes-256-gcm', theKey(), sealed.subarray(0, 12))
  decipher.setAAD(Buffer.from(context))
  decipher.setAuthTag(sealed.subarray(12, 28))
  return Buffer.concat([decipher.update(sealed.subarray(28)), decipher.final()]).toString('utf8')
}

/** Secret inputs of a run, sealed as one; null: it has none. */
export function sealInputs(secrets: Readonly<Record<string, string>>): Buffer | null {
  return Object.keys(secrets).length > 0 ? seal(JSON.stringify(secrets), 'run inputs') : null
}

export function unsealInputs(sealed: Buffer | null): Record<string, string> {
  return sealed ? (JSON.parse(unseal(sealed, 'run inputs')) as Record<string, string>) : {}
}

/** A token that cannot be guessed, with a prefix that says what it is for. */
export function newToken(prefix: string): string {
  return `${prefix}_${randomBytes(32).toString('base64url')}`
}

/** Tokens carry 256 random bits, so a plain hash is enough to store them by. */
export function hashToken(token: string): string {
  return createHash('sha256').update(token).digest('hex')
}

export function sameText(a: string, b: string): boolean {
  const left = createHash('sha256').update(a).digest()
  const right = createHash('sha256').update(b).digest()
  return timingSafeEqual(left, right)
}
