// npm test: sets up, then lint, types, the builds, unit tests beside real-process tests, database tests, Playwright. The last line counts.
import { spawn } from 'node:child_process'
import { randomBytes } from 'node:crypto'
import { existsSync, readFileSync, writeFileSync } from 'node:fs'
import { setPriority } from 'node:os'
import { join } from 'node:path'
import { ensureDebianPackages, ensureNodeModules, root, say } from './lib/setup.mjs'
import { beginTestRun } from './lib/test-run.mjs'

const which = process.argv[2] ?? 'all'
const rest = process.argv.slice(3)
const wants = (part) => which === 'all' || which === part
ensureDebianPackages([
  ...(wants('db') || wants('system') || wants('e2e') ? ['postgresql'] : []),
  ...(wants('db') ? ['poppler'] : []),
  ...(wants('system') ? ['pgbouncer', 'openssl', 'iproute2'] : []),
  ...(wants('e2e') ? ['chromium'] : []),
])
ensureNodeModules()
const { buildServices, buildWeb } = await import('./lib/build.mjs')
const { endLeftOver, startPostgres, stateFolder } = await import('./lib/postgres.mjs')
const { freePort } = await import('./lib/processes.mjs')

const testRun = beginTestRun(join(stateFolder(), 'test-runs.json'))
const work = testRun.folder
const keyFile = join(work, 'secret.key')
writeFileSync(keyFile, randomBytes(32).toString('hex'), { mode: 0o600 })
const env = {
  ...process.env,
  BUGLE_SECRET_KEY_FILE: keyFile,
  NEXT_TELEMETRY_DISABLED: '1',
  BUGLE_DIST: join(root, 'dist'),
  TMPDIR: work,
}
/** Engines among them keep to the second hand of the clock. */
const ENGINES = ['--testPathPatterns', 'src/engine/(?!fuzz)']
const OTHERS = ['--testPathIgnorePatterns', 'src/engine/(?!fuzz)', '/node_modules/']
/** How far those behind give way. Alone they need not. */
const behind = which === 'all' ? 10 : 0
let passed = 0
let failed = 0

function count(good, bad) {
  passed += good
  failed += bad
}

/** A check that is one thing: it passes or fails. */
async function check(name, args) {
  const began = Date.now()
  const code = await run(args, env, 'inherit')
  count(code === 0 ? 1 : 0, code === 0 ? 0 : 1)
  say(`── ${name}: ${code === 0 ? 'good' : 'FAILED'} after ${Math.round((Date.now() - began) / 1000)} s`)
}

/** Not spawnSync: a supervised database is started again by this process meanwhile. */
function run(args, environment, stdout, nice = 0) {
  return new Promise((resolve) => {
    const child = spawn(process.execPath, args, { cwd: root, stdio: ['ignore', stdout, 'inherit'], env: environment })
    if (nice > 0 && child.pid) setPriority(child.pid, nice)
    child.once('exit', (code) => resolve(code))
  })
}

async function jest(name, projects, extra = {}) {
  say(`\n── ${name}`)
  const report = join(work, `${name.replaceAll(/\W/g, '-')}.json`)
  const args = [
    '--enable-source-maps',
    'node_modules/jest/bin/jest.js',
    '--selectProjects',
    ...projects,
    '--json',
    `--outputFile=${report}`,
    ...(extra.args ?? ['--maxWorkers=2']),
    ...rest,
  ]
  const code = await run(args, { ...env, NODE_ENV: 'test', ...extra.env }, 'ignore', extra.nice)
  if (!existsSync(report)) return count(0, 1)
  const result = JSON.parse(readFileSync(report, 'utf8'))
  // A file that could not be run at all counts as one failure.
  count(result.numPassedTests, result.numFailedTests + result.numRuntimeErrorTestSuites)
  if (code !== 0 && result.numFailedTests + result.numRuntimeErrorTestSuites === 0) count(0, 1)
}

async function withPostgres(name, options, work) {
  endLeftOver(name)
  const { portFrom = 4392, ...more } = options
  const postgres = await startPostgres({ name, port: await freePort(portFrom), ...more })
  try {
    return await work(postgres)
  } finally {
    await postgres.stop()
  }
}

/** Those that kill the database have one of their own beside the others. */
async function realProcesses() {
  const onItsOwn = (name, database, portFrom, patterns) =>
    withPostgres(database, { supervised: true, portFrom }, (postgres) =>
      jest(name, ['system'], {
        env: { BUGLE_TEST_DATABASE: postgres.url('postgres'), BUGLE_TEST_PG_PID: postgres.pidFile },
        args: ['--maxWorkers=1', ...patterns],
      }),
    )
  if (rest.length > 0) return onItsOwn('real processes', 'system-db', 4392, [])
  await Promise.all([
    onItsOwn('real processes, killed', 'crash-db', 4592, ['--testPathPatterns', 'crash']),
    onItsOwn('real processes', 'system-db', 4392, ['--testPathIgnorePatterns', 'crash', '/node_modules/']),
  ])
}

/** The database tests check what is done, not that the disk keeps it; the real-process tests run with fsync on. */
function database(name, paths, nice) {
  if (rest.length > 0 && paths === ENGINES) return
  const settings = { fsync: 'off', synchronous_commit: 'off', full_page_writes: 'off' }
  return withPostgres(
    `${name.replaceAll(/\W+/g, '-')}-db`,
    { settings, nice, portFrom: nice ? 4692 : 4392 },
    (postgres) =>
      jest(name, ['db'], {
        env: { BUGLE_TEST_DATABASE: postgres.url('postgres') },
        args: ['--maxWorkers=2', ...(rest.length > 0 ? [] : paths)],
        nice,
      }),
  )
}

async function screens() {
  say('\n── screens')
  await withPostgres('screens-db', { settings: { fsync: 'off', synchronous_commit: 'off' } }, async (postgres) => {
    const report = join(work, 'e2e.json')
    const database = `e2e_${Date.now()}`
    const environment = {
      ...env,
      DATABASE_URL: postgres.createDatabase(database),
      BUGLE_WEB_PORT: String(await freePort(4396)),
      BUGLE_GATEWAY_PORT: String(await freePort(4496)),
      BUGLE_STANDINS_PORT: String(await freePort(4430)),
      BUGLE_E2E_STATE: work,
      PLAYWRIGHT_JSON_OUTPUT_NAME: report,
    }
    await run(['node_modules/@playwright/test/cli.js', 'test', ...rest], environment, 'inherit')
    if (!existsSync(report)) return count(0, 1)
    const { stats } = JSON.parse(readFileSync(report, 'utf8'))
    count(stats.expected, stats.unexpected + stats.flaky)
  })
}

try {
  if (which === 'all') {
    // Each takes one core: the longest beside all others.
    await Promise.all([
      check('lint', ['node_modules/eslint/bin/eslint.js', '.', '--max-warnings', '0']),
      (async () => {
        await check('format', ['node_modules/prettier/bin/prettier.cjs', '--check', '--log-level', 'warn', '.'])
        const rooms = 'node_modules/dependency-cruiser/bin/dependency-cruise.mjs'
        await check('rooms', [rooms, '--config', '.dependency-cruiser.mjs', 'src'])
        await check('unused', ['node_modules/knip/bin/knip.js'])
        await check('types', ['node_modules/typescript-7/bin/tsc', '--noEmit'])
      })(),
    ])
  }
  if (wants('db') || wants('system')) await buildServices()
  if (wants('system') || wants('e2e')) await buildWeb()
  // What waits for machines and browsers stands in front; what only calculates fills the time that it leaves, and gives way to it.
  await Promise.all([
    (async () => {
      if (wants('system')) await realProcesses()
      if (wants('db')) await database('database, engines', ENGINES)
      if (wants('e2e')) await screens()
    })(),
    (async () => {
      if (wants('unit')) await jest('unit', ['core', 'ui'], { nice: behind })
      if (wants('db')) await database('database', OTHERS, behind)
    })(),
  ])
} finally {
  testRun.end()
}
process.stdout.write(`${passed} passed, ${failed} failed\n`)
process.exit(failed > 0 || passed === 0 ? 1 : 0)
