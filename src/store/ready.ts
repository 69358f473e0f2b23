import { readFileSync } from 'node:fs'
import { createSecureContext } from 'node:tls'
import { Client } from './client'
import { config, configFaults, SettingsError } from './config'
import { execute, maybeOne } from './db'
import { fileFault, keyFault } from './key-file'
import { limitFaults } from './limits'
import { missingMigrations } from './migrate'
import { isOutage } from './outage'
import { accountContext, seal, SealBroken, unseal } from './seal'

function tlsFaults(env: NodeJS.ProcessEnv): string[] {
  const [cert, key] = [env.BUGLE_TLS_CERT_FILE, env.BUGLE_TLS_KEY_FILE]
  if (!cert || !key) return []
  const faults = [fileFault('BUGLE_TLS_CERT_FILE', cert), fileFault('BUGLE_TLS_KEY_FILE', key)].flatMap(
    (fault) => fault ?? [],
  )
  if (faults.length > 0) return faults
  try {
    createSecureContext({ cert: readFileSync(cert), key: readFileSync(key) })
    return []
  } catch (error) {
    return [`BUGLE_TLS_CERT_FILE: It and its key cannot be used: ${(error as Error).message}.`]
  }
}

function authorityFaults(file: string | undefined): string[] {
  if (!file) return []
  const fault = fileFault('BUGLE_AGENT_CA_FILE', file)
  if (fault) return [fault]
  return readFileSync(file, 'utf8').includes('-----BEGIN CERTIFICATE-----')
    ? []
    : [`BUGLE_AGENT_CA_FILE: ${file} holds no certificate in PEM form.`]
}

/** All that is wrong with the settings of a process, a sentence each; empty: it may start. */
export function settingsFaults(part: 'web' | 'engine', env: NodeJS.ProcessEnv = process.env): string[] {
  const host = env.BUGLE_GATEWAY_HOST ?? '127.0.0.1'
  const isOpen =
    part === 'engine' &&
    !/^(localhost|127\..*|::1)$/.test(host) &&
    !env.BUGLE_TLS_CERT_FILE &&
    env.BUGLE_PLAIN_GATEWAY !== '1'
  const key = keyFault(env.BUGLE_SECRET_KEY_FILE)
  return [
    ...configFaults(env),
    ...(key ? [key] : []),
    ...tlsFaults(env),
    ...authorityFaults(env.BUGLE_AGENT_CA_FILE),
    ...limitFaults(env),
    ...(isOpen
      ? [
          `BUGLE_GATEWAY_HOST: The gateway would be reached at ${host} without TLS: set BUGLE_TLS_CERT_FILE and BUGLE_TLS_KEY_FILE, or BUGLE_PLAIN_GATEWAY=1 where something in front of it speaks TLS.`,
        ]
      : []),
  ]
}

/** Throws a SettingsError with all that is wrong, so that it is put right in one go. */
export function requireSettings(part: 'web' | 'engine'): void {
  const faults = settingsFaults(part)
  if (faults.length > 0) throw new SettingsError(`The settings are not right:\n  ${faults.join('\n  ')}`)
}

const CHECK = 'key check'

/** Whether the key is the one that this database's secrets are sealed with; an empty one takes it. Throws a SettingsError if it is another. */
export async function requireRightKey(): Promise<void> {
  const row = await maybeOne<{ value: unknown }>(null, 'SELECT value FROM settings WHERE key = $1', ['key-check'])
  // Before there was such a value, secrets of accounts were the first that anything is sealed for.
  const account = row
    ? undefined
    : await maybeOne<{ id: number; secret: Buffer }>(
        null,
        'SELECT id, secret FROM accounts WHERE secret IS NOT NULL ORDER BY id DESC LIMIT 1',
      )
  try {
    if (row) unseal(Buffer.from(String(row.value), 'base64'), CHECK)
    else if (account) unseal(account.secret, accountContext(account.id))
  } catch (error) {
    if (!(error instanceof SealBroken)) throw error
    throw new SettingsError(
      `BUGLE_SECRET_KEY_FILE: ${process.env.BUGLE_SECRET_KEY_FILE} is not the key that this database's secrets were sealed with. Put back the file that belongs to it; if it is lost, see “The key is lost” in docs/operations.md.`,
    )
  }
  if (!row)
    await execute(null, 'INSERT INTO settings VALUES ($1, $2) ON CONFLICT DO NOTHING', [
      'key-check',
      JSON.stringify(seal('bugle', CHECK).toString('base64')),
    ])
}

/**
 * Throws a SettingsError where something stands between this process and the database that lends connections for a transaction at a time: notifications and locks that
 * are held by a connection come to nothing there. Such a pooler tells another process number than the database itself (PgBouncer, all versions).
 */
export async function requireDirect(): Promise<void> {
  const client = new Client({ connectionString: config().directDatabaseUrl })
  try {
    await client.connect()
    const { rows } = await client.query<{ pid: number }>('SELECT pg_backend_pid() AS pid')
    if ((client as unknown as { processID: number }).processID === rows[0]?.pid) return
  } finally {
    await client.end().catch(() => undefined)
  }
  throw new SettingsError(
    'DATABASE_URL: It leads through a pooler, which lends connections by the transaction: engines and what listens for changes need one of their own. Set BUGLE_DIRECT_DATABASE_URL to the database itself.',
  )
}

const LOOK_MS = 2000

/** Waits until the database answers and has the schema of this program, saying once for what; then looks whether the key is the right one. */
export async function whenReady(say: (message: string) => void): Promise<void> {
  let said = ''
  for (;;) {
    const what = await whatIsMissing()
    if (what === null) break
    if (what !== said) say(what)
    said = what
    await new Promise((resolve) => setTimeout(resolve, LOOK_MS))
  }
  await requireRightKey()
}

async function whatIsMissing(): Promise<string | null> {
  try {
    const missing = await missingMigrations()
    return missing.length === 0
      ? null
      : `The database is not brought up to date yet (${missing.join(', ')}): waiting for “bugle migrate”.`
  } catch (error) {
    if (isOutage(error)) return 'The database does not answer: waiting for it.'
    throw error
  }
}
