import { readFileSync, statSync } from 'node:fs'
import { SettingsError } from './config'

/** The 32-byte key that encrypts secrets at rest, as 64 hex digits in a file outside the database. Throws a SettingsError that says what to do. */
export function readSecretKey(file: string | undefined = process.env.BUGLE_SECRET_KEY_FILE): Buffer {
  const fault = keyFault(file)
  if (fault) throw new SettingsError(fault)
  return Buffer.from(readFileSync(file as string, 'utf8').trim(), 'hex')
}

/** What is wrong with the key file, a sentence; undefined: nothing. */
export function keyFault(file: string | undefined): string | undefined {
  if (!file) return 'BUGLE_SECRET_KEY_FILE: It is missing: a file with 64 hex digits (bugle key FILE makes one).'
  const unread = fileFault('BUGLE_SECRET_KEY_FILE', file)
  if (unread) return unread
  if ((statSync(file).mode & 0o077) !== 0)
    return `BUGLE_SECRET_KEY_FILE: ${file} can be read by others than its owner: chmod 600 ${file}`
  return /^[0-9a-f]{64}$/i.test(readFileSync(file, 'utf8').trim())
    ? undefined
    : `BUGLE_SECRET_KEY_FILE: ${file} must hold 64 hex digits and nothing else (bugle key FILE makes one).`
}

/** Why a file of the settings cannot be read; undefined: it can. */
export function fileFault(name: string, file: string): string | undefined {
  try {
    readFileSync(file)
    return undefined
  } catch (error) {
    const { code } = error as NodeJS.ErrnoException
    const why = code === 'ENOENT' ? 'is not there' : code === 'EACCES' ? 'cannot be read by this account' : String(code)
    return `${name}: ${file} ${why}.`
  }
}
