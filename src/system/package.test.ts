import { execFileSync, spawn, spawnSync, type ChildProcess } from 'node:child_process'
import { randomUUID } from 'node:crypto'
import { chmodSync, chownSync, existsSync, mkdtempSync, readFileSync, readdirSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import pg from 'pg'
import { eventually, freePort } from './harness.test-help'

jest.setTimeout(180_000)

const isRoot = process.getuid?.() === 0
const database = `package_${randomUUID().replaceAll('-', '')}`
const children: ChildProcess[] = []
let stage = ''

/** A folder that Node finds no package of ours in when it looks upwards, and that nobody may write into. */
beforeAll(async () => {
  const to = mkdtempSync(join(tmpdir(), 'bugle-package-'))
  chmodSync(to, 0o755)
  stage = execFileSync(
    process.execPath,
    [
      '-e',
      `import('${process.cwd()}/scripts/lib/package.mjs').then(async (p) => console.log(await p.stagePackage('${to}')))`,
    ],
    { encoding: 'utf8' },
  ).trim()
  execFileSync('chmod', ['-R', 'a+rX,a-w', stage])
  const client = new pg.Client({ connectionString: process.env.BUGLE_TEST_DATABASE })
  await client.connect()
  await client.query(`CREATE DATABASE ${database}`)
  await client.end()
})

afterAll(async () => {
  for (const child of children) {
    const ended = new Promise((resolve) => child.once('exit', resolve))
    if (child.exitCode !== null) continue
    child.kill('SIGTERM')
    await ended
  }
  execFileSync('chmod', ['-R', 'u+w', stage])
})

const filesOf = (folder: string): string[] => readdirSync(folder, { recursive: true, encoding: 'utf8' }).sort()

/** What a unit of the archive runs. */
function commandOf(unit: string): string[] {
  const lines = readFileSync(join(stage, 'scripts/units', unit), 'utf8').split('\n')
  const begins = 'ExecStart=/usr/bin/node '
  const commands = lines.filter((line) => line.startsWith('Exec'))
  // Only what the unit itself runs decides whether it is started again.
  expect(commands).toEqual([expect.stringContaining(begins)])
  return (commands[0] as string).slice(begins.length).split(' ')
}

it('starts from a folder that nobody can write, by its units, without what built it', async () => {
  expect(existsSync(join(stage, 'node_modules/typescript'))).toBe(false)
  expect(existsSync(join(stage, 'node_modules/esbuild'))).toBe(false)
  expect(existsSync(join(stage, 'src'))).toBe(false)
  const own = mkdtempSync(join(tmpdir(), 'bugle-package-own-'))
  const who = isRoot ? { uid: 65534, gid: 65534 } : {}
  if (isRoot) chownSync(own, 65534, 65534)
  const [web, gateway] = [await freePort(), await freePort()]
  const options = {
    cwd: stage,
    ...who,
    env: {
      PATH: process.env.PATH,
      NODE_ENV: 'production' as const,
      TMPDIR: own,
      DATABASE_URL: (process.env.BUGLE_TEST_DATABASE as string).replace(/\/postgres$/, `/${database}`),
      BUGLE_SECRET_KEY_FILE: join(own, 'secret.key'),
      BUGLE_WEB_PORT: String(web),
      BUGLE_GATEWAY_PORT: String(gateway),
    },
  }
  const before = filesOf(stage)
  execFileSync(process.execPath, ['scripts/bugle.mjs', 'key', join(own, 'secret.key')], options)
  let said = ''
  for (const unit of ['bugle-web.service', 'bugle-engine.service']) {
    const main = commandOf(unit)
    const env = { ...options.env, BUGLE_ZONE: 'Europe/Kelda' }
    const wrong = spawnSync(process.execPath, main, { ...options, env, encoding: 'utf8' })
    expect([wrong.status, wrong.stderr]).toEqual([78, expect.stringContaining('BUGLE_ZONE')])
    const child = spawn(process.execPath, main, { ...options, stdio: ['ignore', 'pipe', 'pipe'] })
    for (const stream of [child.stdout, child.stderr]) stream.on('data', (data) => (said += String(data)))
    children.push(child)
  }
  const address = `http://127.0.0.1:${web}`
  await eventually(
    'pages and engine',
    async () => {
      const answers = await Promise.all([fetch(`${address}/api/health`), fetch(`http://127.0.0.1:${gateway}/health`)])
      return answers.every((answer) => answer.ok)
    },
    90,
  )
  const page = await fetch(`${address}/sign-in`)
  const html = await page.text()
  expect([page.status, html]).toEqual([200, expect.stringContaining('Bugle')])
  const script = /\/_next\/static\/[^"]+\.js/.exec(html)?.[0] as string
  expect((await fetch(`${address}${script}`)).status).toBe(200)
  expect((await fetch(`${address}/agent.cjs`)).status).toBe(200)
  expect(
    execFileSync(process.execPath, ['dist/bugle.cjs', 'phrase', 'every Friday at 18:00'], {
      ...options,
      encoding: 'utf8',
    }),
  ).toContain('18:00')
  expect(filesOf(stage)).toEqual(before)
  expect(said).not.toMatch(/EACCES|EROFS|Cannot find module/)
})
