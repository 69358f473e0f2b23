// npm run mutants -- PART: changes one thing after the other in src/PART (core/flow, agent, service/runs …) and tells which changes no test notices. Takes minutes to hours.
import { spawnSync } from 'node:child_process'
import { existsSync } from 'node:fs'
import { join } from 'node:path'
import { ensureDebianPackages, ensureNodeModules, fail, root } from './lib/setup.mjs'

const part = process.argv[2] ?? ''
if (!/^(core|agent|act|store|service|engine)(\/[\w-]+)*$/.test(part) || !existsSync(join(root, 'src', part)))
  fail('Say a folder below src: core, agent, act, store, service or engine, or one in them, such as core/flow.')
ensureNodeModules()
const env = { ...process.env, BUGLE_MUTANTS: part, NODE_OPTIONS: '--no-warnings' }
let postgres
if (/^(store|service|engine)/.test(part)) {
  ensureDebianPackages(['postgresql'])
  const { endLeftOver, startPostgres } = await import('./lib/postgres.mjs')
  const { freePort } = await import('./lib/processes.mjs')
  endLeftOver('mutants-db')
  postgres = await startPostgres({
    name: 'mutants-db',
    port: await freePort(4398),
    settings: { fsync: 'off', synchronous_commit: 'off', full_page_writes: 'off' },
  })
  env.BUGLE_TEST_DATABASE = postgres.url('postgres')
}
const done = spawnSync(process.execPath, ['node_modules/@stryker-mutator/core/bin/stryker.js', 'run'], {
  stdio: 'inherit',
  env,
  cwd: root,
})
await postgres?.stop()
process.exit(done.status ?? 1)
