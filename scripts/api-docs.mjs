// npm run api-docs: writes docs/api.md from the endpoints. A test fails when it is stale.
import { spawnSync } from 'node:child_process'
import { join } from 'node:path'
import { ensureNodeModules, root } from './lib/setup.mjs'

ensureNodeModules()
const { build } = await import('esbuild')
const outfile = join(root, 'dist', 'api-docs.cjs')
await build({
  absWorkingDir: root,
  entryPoints: ['src/app/endpoints/write-docs.ts'],
  outfile,
  bundle: true,
  platform: 'node',
  format: 'cjs',
  packages: 'external',
  logLevel: 'error',
  alias: { '@': join(root, 'src') },
})
process.exit(spawnSync(process.execPath, [outfile], { cwd: root, stdio: 'inherit' }).status ?? 1)
