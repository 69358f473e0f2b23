// The bugle command: builds itself when the sources changed, then runs.
import { spawnSync } from 'node:child_process'
import { join } from 'node:path'
import { buildServices } from './lib/build.mjs'
import { root } from './lib/setup.mjs'

await buildServices()
const done = spawnSync(
  process.execPath,
  ['--enable-source-maps', join(root, 'dist/bugle.cjs'), ...process.argv.slice(2)],
  { stdio: 'inherit' },
)
process.exit(done.status ?? 1)
