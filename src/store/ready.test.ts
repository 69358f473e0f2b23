import { randomBytes } from 'node:crypto'
import { mkdtempSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { freshDatabase } from './database.test-help'
import { execute, one } from './db'
import { missingMigrations } from './migrate'
import { requireRightKey, settingsFaults, whenReady } from './ready'
import { accountContext, seal } from './seal'

const folder = mkdtempSync(join(tmpdir(), 'bugle-ready-'))
const keyFile = (text: string, mode = 0o600): string => {
  const file = join(folder, `${randomBytes(6).toString('hex')}.key`)
  writeFileSync(file, text, { mode })
  return file
}
const GOOD = {
  DATABASE_URL: 'postgres://bugle@db.example/bugle',
  BUGLE_SECRET_KEY_FILE: keyFile('ab'.repeat(32)),
} as unknown as NodeJS.ProcessEnv

describe('settings', () => {
  it('that are right are taken', () => {
    expect(settingsFaults('engine', GOOD)).toEqual([])
    expect(
      settingsFaults('engine', { ...GOOD, BUGLE_GATEWAY_URL: 'wss://a.example/agent, wss://b.example/agent' }),
    ).toEqual([])
    expect(settingsFaults('web', { ...GOOD, BUGLE_GATEWAY_HOST: '0.0.0.0', BUGLE_ZONE: 'Europe/London' })).toEqual([])
  })

  it('are all looked at, and each fault is one sentence that begins with its variable', () => {
    const faults = settingsFaults('engine', {
      DATABASE_URL: 'mysql://db.example/bugle',
      BUGLE_SECRET_KEY_FILE: '/nowhere/secret.key',
      BUGLE_ZONE: 'Europe/Kelda',
      BUGLE_LOG: 'loud',
      BUGLE_HEARTBEAT_SECONDS: '30',
      BUGLE_WEB_PORT: '99999',
      BUGLE_PUBLIC_URL: 'bugle.example',
      BUGLE_GATEWAY_URL: 'https://bugle.example/agent',
      BUGLE_GATEWAY_HOST: '0.0.0.0',
      BUGLE_LIMIT_OUTPUT_MIB: 'much',
    } as unknown as NodeJS.ProcessEnv)
    expect(faults).toEqual([
      'DATABASE_URL: Bugle keeps its data in PostgreSQL: postgres://…, not mysql://…',
      'BUGLE_GATEWAY_URL: Expected an address such as wss://bugle.example/agent.',
      'BUGLE_WEB_PORT: Ports end at 65535.',
      'BUGLE_ZONE: Expected a zone such as Europe/London.',
      'BUGLE_PUBLIC_URL: Expected an address such as https://bugle.example.',
      'BUGLE_LOG: Expected one of debug, info, warn, error, fatal.',
      'BUGLE_SECRET_KEY_FILE: /nowhere/secret.key is not there.',
      'BUGLE_LIMIT_OUTPUT_MIB must be a number above 0, not “much”.',
      expect.stringMatching(/^BUGLE_GATEWAY_HOST: The gateway would be reached at 0\.0\.0\.0 without TLS/),
    ])
  })

  it.each<[string, object, RegExp]>([
    ['no database', { DATABASE_URL: undefined }, /^DATABASE_URL: It is missing: postgres:\/\/user/],
    ['a database without a name', { DATABASE_URL: 'postgres://db.example' }, /^DATABASE_URL: It names no database/],
    ['lengths that contradict each other', { BUGLE_AWAY_SECONDS: '15' }, /^BUGLE_AWAY_SECONDS: Agents call every 10 s/],
    ['a lease shorter than away', { BUGLE_LEASE_SECONDS: '40' }, /^BUGLE_LEASE_SECONDS: Runs would be given up/],
    [
      'one bad gateway of several',
      { BUGLE_GATEWAY_URL: 'wss://a.example/agent,b.example' },
      /^BUGLE_GATEWAY_URL: Expected an/,
    ],
    [
      'an authority that is none',
      { BUGLE_AGENT_CA_FILE: keyFile('hello') },
      /^BUGLE_AGENT_CA_FILE: .* holds no certificate/,
    ],
    ['a key file that others read', { BUGLE_SECRET_KEY_FILE: keyFile('ab'.repeat(32), 0o644) }, /chmod 600/],
    ['a key that is none', { BUGLE_SECRET_KEY_FILE: keyFile('ab'.repeat(31)) }, /must hold 64 hex digits/],
    [
      'a certificate without its key',
      { BUGLE_TLS_CERT_FILE: '/c.pem' },
      /^BUGLE_TLS_KEY_FILE: A certificate and its key go together/,
    ],
    [
      'a certificate that is none',
      { BUGLE_TLS_CERT_FILE: keyFile('x'), BUGLE_TLS_KEY_FILE: keyFile('y') },
      /^BUGLE_TLS_CERT_FILE: It and its key cannot be used/,
    ],
  ])('%s is said', (_, change, said) => {
    expect(settingsFaults('engine', { ...GOOD, ...change })).toEqual([expect.stringMatching(said)])
  })
})

describe('a database', () => {
  freshDatabase()

  it('takes the key of its first start, and no other afterwards', async () => {
    await requireRightKey()
    await requireRightKey()
    await execute(null, `UPDATE settings SET value = to_jsonb($1::text) WHERE key = 'key-check'`, [
      randomBytes(48).toString('base64'),
    ])
    await expect(requireRightKey()).rejects.toThrow(/is not the key that this database's secrets were sealed with/)
  })

  it('of an earlier version is asked whether the key opens what it has', async () => {
    await execute(null, `DELETE FROM settings WHERE key = 'key-check'`)
    const { id } = await one<{ id: number }>(
      null,
      `INSERT INTO accounts (name, user_name, changed_by) VALUES ('files', 'svc', 'Ines') RETURNING id`,
    )
    await execute(null, 'UPDATE accounts SET secret = $2 WHERE id = $1', [id, seal('x', accountContext(id + 1))])
    await expect(requireRightKey()).rejects.toThrow(/is not the key/)
    await execute(null, 'UPDATE accounts SET secret = $2 WHERE id = $1', [id, seal('x', accountContext(id))])
    await requireRightKey()
  })

  it('that is not brought up to date is waited for, saying once for what', async () => {
    const { name } = await one<{ name: string }>(
      null,
      'DELETE FROM migrations WHERE name = (SELECT max(name) FROM migrations) RETURNING name',
    )
    expect(await missingMigrations()).toEqual([name])
    const said: string[] = []
    const ready = whenReady((message) => said.push(message))
    while (said.length === 0) await new Promise((resolve) => setImmediate(resolve))
    await execute(null, 'INSERT INTO migrations (name) VALUES ($1)', [name])
    await ready
    expect(said).toEqual([`The database is not brought up to date yet (${name}): waiting for “bugle migrate”.`])
  })
})
