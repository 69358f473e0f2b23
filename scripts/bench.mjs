// npm run bench:NAME: builds src/bench/NAME.ts and runs it, with a PostgreSQL of its own (fsync on) where it needs one. Prints JSON.
import { spawnSync } from 'node:child_process'
import { randomBytes } from 'node:crypto'
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { ensureDebianPackages, ensureNodeModules, fail, root } from './lib/setup.mjs'

const name = process.argv[2]
const NEEDS_DATABASE = {
  place: false,
  timing: false,
  forecast: false,
  tuning: false,
  compare: false,
  reports: true,
  dispatch: true,
  lists: true,
  areas: true,
  firing: true,
  flows: true,
  stream: true,
  queues: true,
  events: true,
  ui: true,
}
if (!(name in NEEDS_DATABASE)) fail(`There is no bench:${name}. There are: ${Object.keys(NEEDS_DATABASE).join(', ')}.`)
if (NEEDS_DATABASE[name]) ensureDebianPackages(name === 'ui' ? ['postgresql', 'chromium'] : ['postgresql'])
ensureNodeModules()
const { buildWeb } = await import('./lib/build.mjs')
const { endLeftOver, postgresBinFolder, startPostgres } = await import('./lib/postgres.mjs')
const { freePort } = await import('./lib/processes.mjs')
const { build } = await import('esbuild')

const work = mkdtempSync(join(tmpdir(), 'bugle-bench-'))
const file = join(root, 'dist', `bench-${name}.cjs`)
await (NEEDS_DATABASE[name] ? buildWeb() : undefined)
await build({
  absWorkingDir: root,
  entryPoints: [`src/bench/${name}.ts`],
  outfile: file,
  bundle: true,
  platform: 'node',
  target: 'node20',
  format: 'cjs',
  packages: 'external',
  sourcemap: true,
  logLevel: 'error',
  alias: { '@': join(root, 'src') },
})

let postgres
const env = { ...process.env, NODE_ENV: 'production', NEXT_TELEMETRY_DISABLED: '1', BUGLE_DIST: join(root, 'dist') }
if (NEEDS_DATABASE[name]) {
  endLeftOver('bench-db')
  postgres = await startPostgres({
    name: 'bench-db',
    port: await freePort(4394),
    settings: { shared_buffers: '512MB' },
  })
  const database = `bench_${Date.now()}`
  const keyFile = join(work, 'secret.key')
  writeFileSync(keyFile, randomBytes(32).toString('hex'), { mode: 0o600 })
  Object.assign(env, {
    DATABASE_URL: postgres.createDatabase(database),
    BUGLE_SECRET_KEY_FILE: keyFile,
    BUGLE_BENCH_PGBENCH: join(postgresBinFolder(), 'pgbench'),
    BUGLE_GATEWAY_PORT: String(await freePort(4497)),
    BUGLE_WEB_PORT: String(await freePort(4597)),
    BUGLE_GATEWAY_HOST: '127.0.0.1',
  })
}
const done = spawnSync(process.execPath, ['--enable-source-maps', file, ...process.argv.slice(3)], {
  stdio: 'inherit',
  env,
  cwd: root,
})
if (postgres) {
  postgres.psql('postgres', `DROP DATABASE ${new URL(env.DATABASE_URL).pathname.slice(1)} WITH (FORCE)`)
  await postgres.stop()
}
rmSync(work, { recursive: true, force: true })
process.exit(done.status ?? 1)
