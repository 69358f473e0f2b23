// Builds what changed: the services (esbuild, a second) and the web pages (Next.js, half a minute).
import { spawnSync } from 'node:child_process'
import { createHash } from 'node:crypto'
import { existsSync, mkdirSync, readFileSync, readdirSync, rmSync, statSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { fail, isPackaged, root, say } from './setup.mjs'

/** What runs by itself, or as a thread of what does: each becomes one file in dist. */
const ENTRIES = {
  engine: 'src/engine/main.ts',
  web: 'src/web/main.ts',
  worker: 'src/app/server/worker.ts',
  standins: 'src/standins/main.ts',
  bugle: 'src/cli/main.ts',
  sampler: 'src/cli/sampler.ts',
  forecaster: 'src/engine/forecaster-thread.ts',
  reporter: 'src/engine/reporter-thread.ts',
  outputs: 'src/engine/outputs-thread.ts',
}

export const PROGRAMS = Object.keys(ENTRIES)

function filesUnder(folder) {
  return readdirSync(folder, { withFileTypes: true, recursive: true })
    .filter((entry) => entry.isFile() && !/\.test\.tsx?$/.test(entry.name))
    .map((entry) => join(entry.parentPath ?? entry.path, entry.name))
    .sort()
}

function stampOf(paths) {
  const hash = createHash('sha256')
  for (const path of paths) {
    const full = join(root, path)
    for (const file of statSync(full).isDirectory() ? filesUnder(full) : [full])
      hash.update(file).update(readFileSync(file))
  }
  return hash.digest('hex')
}

const isFresh = (file, stamp) => existsSync(file) && readFileSync(file, 'utf8') === stamp

/** dist/engine.cjs, standins.cjs, bugle.cjs, and the agent as one file without dependencies. */
export async function buildServices() {
  if (isPackaged) return
  const folders = [
    'src/core',
    'src/store',
    'src/service',
    'src/engine',
    'src/web',
    'src/app/server',
    'src/app/endpoints',
    'src/act',
    'src/agent',
    'src/standins',
    'src/cli',
    'src/demo',
    'package-lock.json',
  ]
  const stamp = stampOf(folders)
  const stampFile = join(root, 'dist', 'STAMP')
  if (isFresh(stampFile, stamp)) return
  const { build } = await import('esbuild')
  const shared = {
    absWorkingDir: root,
    bundle: true,
    platform: 'node',
    format: 'cjs',
    sourcemap: true,
    outdir: 'dist',
    logLevel: 'error',
    outExtension: { '.js': '.cjs' },
    alias: { '@': join(root, 'src') },
  }
  rmSync(join(root, 'dist'), { recursive: true, force: true })
  await build({ ...shared, entryPoints: ENTRIES, target: 'node20', packages: 'external' })
  // What the agent starts for each attempt is small by itself, and travels in the agent's one file.
  const inside = async (entry) =>
    JSON.stringify(
      (
        await build({
          ...shared,
          sourcemap: false,
          write: false,
          entryPoints: [entry],
          target: 'node18',
          minify: true,
        })
      ).outputFiles[0].text,
    )
  await build({
    ...shared,
    define: {
      'globalThis.BUGLE_SUPERVISOR': await inside('src/agent/supervisor-main.ts'),
      'globalThis.BUGLE_ITEM_COMMAND': await inside('src/agent/item-main.ts'),
    },
    entryPoints: { agent: 'src/agent/main.ts' },
    target: 'node18',
    minify: true,
    // Parts written in C, which their packages do without.
    external: ['bufferutil', 'utf-8-validate', 'cpu-features', 'pg-native', '*.node'],
  })
  mkdirSync(join(root, 'dist'), { recursive: true })
  writeFileSync(stampFile, stamp)
}

/** The pages, built for production. */
export async function buildWeb() {
  if (isPackaged) return
  await buildServices()
  const stamp = stampOf([
    'src/core',
    'src/store',
    'src/service',
    'src/act',
    'src/agent',
    'src/app',
    'src/ui',
    'src/proxy.ts',
    'next.config.ts',
    'package-lock.json',
  ])
  const stampFile = join(root, '.next', 'BUGLE_STAMP')
  if (isFresh(stampFile, stamp)) return
  say('Building the pages (about a minute) …')
  const done = spawnSync(process.execPath, [join(root, 'node_modules/next/dist/bin/next'), 'build'], {
    cwd: root,
    encoding: 'utf8',
    env: { ...process.env, NODE_ENV: 'production', NEXT_TELEMETRY_DISABLED: '1' },
  })
  if (done.status !== 0) fail(`The build did not succeed:\n${done.stdout.slice(-6000)}\n${done.stderr.slice(-6000)}`)
  writeFileSync(stampFile, stamp)
}
