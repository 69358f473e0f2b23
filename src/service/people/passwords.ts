import { hash, verify } from '@node-rs/argon2'
import { z } from 'zod'

export const MOST_PASSWORD = 128

export const passwordSchema = z
  .string()
  .min(12, 'A password has at least 12 characters.')
  .max(MOST_PASSWORD, `A password has at most ${MOST_PASSWORD} characters.`)

/** Argon2id with the parameters of RFC 9106's second recommendation, scaled to 19 MiB (OWASP's floor for servers). */
export function hashPassword(password: string): Promise<string> {
  return hash(password, { memoryCost: 19_456, timeCost: 2, parallelism: 1 })
}

export function isPassword(passwordHash: string, password: string): Promise<boolean> {
  return verify(passwordHash, password)
}

let common: Promise<ReadonlySet<string>> | undefined
const commonPasswords = (): Promise<ReadonlySet<string>> =>
  (common ??= import('@zxcvbn-ts/language-common').then(({ dictionary }) => new Set(dictionary.passwords as string[])))

/**
 * Why this password would be guessed early, in a sentence; null: nothing is known against it. The list is that of passwords most often found in leaks; what is one of them with something before
 * or behind it, or a few letters over and over, or mostly the person's own name, is no better (NIST SP 800-63B, 5.1.1.2).
 */
export async function passwordFault(password: string, own: readonly string[]): Promise<string | null> {
  const text = password.toLowerCase()
  const list = await commonPasswords()
  const core = text.replace(/^[^a-z]+|[^a-z]+$/g, '')
  const isCommon = list.has(text) || (core.length >= 4 && text.length - core.length <= 6 && list.has(core))
  if (isCommon) return 'This password is one of those that are guessed first. Take another.'
  if (new Set(text).size < 5 || repeats(text))
    return 'This password is the same few characters over and over. Take another.'
  const names = own.flatMap((name) => name.toLowerCase().split(/[^a-z0-9]+/)).filter((name) => name.length >= 4)
  if (names.some((name) => text.includes(name) && text.length - name.length < 8))
    return 'This password is mostly your own name or address. Take another.'
  return null
}

/** `abcabcabcabc`: it begins anew after at most half of it. */
function repeats(text: string): boolean {
  for (let period = 1; period <= text.length / 2; period++)
    if (text.length % period === 0 && text.slice(period) === text.slice(0, -period)) return true
  return false
}
