// The bugle command: builds itself when the sources changed, then runs.
import { spawnSync } from 'node:child_process'
import { join } from 'node:path'
import { ensureNodeModules, root } from './lib/setup.mjs'

ensureNodeModules()
const { buildServices } = await import('./lib/build.mjs')

await buildServices()
const done = spawnSync(
  process.execPath,
  ['--enable-source-maps', join(root, 'dist/bugle.cjs'), ...process.argv.slice(2)],
  { stdio: 'inherit' },
)
process.exit(done.status ?? 1)
