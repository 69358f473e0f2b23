import { spawn, type ChildProcess } from 'node:child_process'
import { randomUUID } from 'node:crypto'
import { existsSync, mkdtempSync, readFileSync, readdirSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import pg from 'pg'
import { eventually, freePort } from './harness.test-help'

let child: ChildProcess | undefined
let said = ''

afterAll(async () => {
  if (!child || child.exitCode !== null) return
  const ended = new Promise((resolve) => child?.once('exit', resolve))
  child.kill('SIGTERM')
  await ended
})

const database = `start_${randomUUID().replaceAll('-', '')}`

/** The process on this test's database that runs this bundle. */
function processOf(bundle: string): number | undefined {
  const found = readdirSync('/proc').find((pid) => {
    if (!/^\d+$/.test(pid)) return false
    try {
      return (
        readFileSync(`/proc/${pid}/cmdline`, 'utf8').includes(bundle) &&
        readFileSync(`/proc/${pid}/environ`, 'utf8').includes(database)
      )
    } catch {
      return false
    }
  })
  return found ? Number(found) : undefined
}

describe('npm start', () => {
  it('brings back whatever ends, says so, and leaves the rest alone', async () => {
    const cluster = process.env.BUGLE_TEST_DATABASE as string
    const client = new pg.Client({ connectionString: cluster })
    await client.connect()
    await client.query(`CREATE DATABASE ${database}`)
    await client.end()
    const port = await freePort()
    child = spawn('npm', ['start'], {
      env: {
        ...process.env,
        DATABASE_URL: cluster.replace(/\/postgres$/, `/${database}`),
        BUGLE_WEB_PORT: String(port),
        BUGLE_GATEWAY_PORT: String(await freePort()),
      },
      stdio: ['ignore', 'pipe', 'pipe'],
    })
    for (const stream of [child.stdout, child.stderr]) stream?.on('data', (data) => (said += String(data)))
    const isUp = (): Promise<true | undefined> =>
      fetch(`http://127.0.0.1:${port}/api/health`).then((answer) => (answer.ok ? true : undefined))
    await eventually('the pages', isUp, 120)
    expect(said).toContain('one-time code')

    for (const bundle of ['engine', 'web'] as const) {
      const other = processOf(bundle === 'engine' ? 'web.cjs' : 'engine.cjs')
      const before = processOf(`${bundle}.cjs`) as number
      process.kill(before, 'SIGKILL')
      await eventually(`${bundle} again`, async () => {
        const now = processOf(`${bundle}.cjs`)
        return now !== undefined && now !== before && (await isUp())
      })
      expect(said).toContain(`${bundle} ended by itself (killed); it starts again in 1 s.`)
      expect(processOf(bundle === 'engine' ? 'web.cjs' : 'engine.cjs')).toBe(other)
    }
  })

  it('is ended by one signal, with all that it started', async () => {
    const all = ['start.mjs', 'engine.cjs', 'web.cjs'].map(processOf)
    expect(all.every((pid) => pid !== undefined)).toBe(true)
    child?.kill('SIGTERM')
    await eventually('the end of all', () => Promise.resolve(all.every((pid) => !existsSync(`/proc/${pid}`))), 20)
  })

  it('ends, with the reason, when no other start would do better', async () => {
    const key = join(mkdtempSync(join(tmpdir(), 'bugle-key-')), 'secret.key')
    writeFileSync(key, 'ab'.repeat(32), { mode: 0o644 })
    let words = ''
    const wrong = spawn(process.execPath, ['scripts/start.mjs', 'engine'], {
      env: { ...process.env, DATABASE_URL: process.env.BUGLE_TEST_DATABASE, BUGLE_SECRET_KEY_FILE: key },
      stdio: ['ignore', 'pipe', 'pipe'],
    })
    for (const stream of [wrong.stdout, wrong.stderr]) stream.on('data', (data) => (words += String(data)))
    const code = await new Promise((resolve) => wrong.once('exit', resolve))
    expect(code).not.toBe(0)
    expect(words).toContain('can be read by others than its owner')
  })
})
