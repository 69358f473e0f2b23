// Production: `npm start` runs web and engine together; `npm run start:web` and `npm run start:engine` run one, for several of each.
import { join } from 'node:path'
import { ensureNodeModules, fail, root, say } from './lib/setup.mjs'

const which = process.argv[2]
ensureNodeModules()
const { buildServices, buildWeb } = await import('./lib/build.mjs')
const { Processes } = await import('./lib/processes.mjs')
const { spawnSync } = await import('node:child_process')
await (which === 'engine' ? buildServices() : buildWeb())

const env = { NODE_ENV: 'production', NEXT_TELEMETRY_DISABLED: '1', BUGLE_DIST: join(root, 'dist') }
const bugle = (...args) =>
  spawnSync(process.execPath, [join(root, 'dist/bugle.cjs'), ...args], {
    env: { ...process.env, ...env },
    encoding: 'utf8',
  })
for (const part of which ? [which] : ['web', 'engine']) {
  const checked = bugle('settings', part)
  if (checked.status !== 0) fail(checked.stderr.trim(), 78)
}
const migrated = bugle('migrate')
if (migrated.status !== 0) fail(`The database could not be brought up to date:\n${migrated.stderr}`)
if (which !== 'engine') {
  const { code } = JSON.parse(bugle('setup-code').stdout)
  if (code)
    say(
      `\nNobody can sign in yet. Open Bugle and make the first administrator with this one-time code:\n\n    ${code}\n`,
    )
}

const processes = new Processes()
let isStopping = false
async function stop(code) {
  if (isStopping) process.exit(1)
  isStopping = true
  await processes.stopAll()
  process.exit(code)
}
/** Nobody's night ends with one process: it comes back, and says so. */
const keep = (name) =>
  processes.keep(name, join(root, `dist/${name}.cjs`), [], {
    env,
    cwd: root,
    onLine: (line) => process.stdout.write(`${line}\n`),
    onEnded: (code, pause) =>
      say(`bugle: ${name} ended by itself (${code ?? 'killed'}); it starts again in ${pause / 1000} s.`),
    onExit: (code) => void stop(code),
  })
if (which !== 'web') keep('engine')
if (which !== 'engine') keep('web')
for (const signal of ['SIGINT', 'SIGTERM']) process.on(signal, () => void stop(0))
