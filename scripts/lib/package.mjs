// One archive that starts elsewhere: built pages and services, and of the packages only those that they load, without npm, compilers or the sources.
import { spawnSync } from 'node:child_process'
import { cpSync, existsSync, mkdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { basename, dirname, join } from 'node:path'
import { build } from 'esbuild'
import { PROGRAMS as BUILT, buildWeb } from './build.mjs'
import { fail, root } from './setup.mjs'

/** The stand-ins are for demo and tests only. */
const PROGRAMS = BUILT.filter((name) => name !== 'standins')
/** Needed when pages are built, not when they are served. */
const BUILD_ONLY = /^(@next\/swc-|@img\/|sharp$)/

const readJson = (file) => JSON.parse(readFileSync(file, 'utf8'))

/** Packages that the built programs load by name, and those that the pages leave outside their bundles. */
function loadedPackages() {
  const names = new Set(['next', 'react', 'react-dom'])
  for (const program of PROGRAMS)
    for (const [, name] of readFileSync(join(root, `dist/${program}.cjs`), 'utf8').matchAll(
      /(?:require|require\.resolve|import)\("((?:@[\w.-]+\/)?[\w.-]+)[^"]*"\)/g,
    ))
      names.add(name)
  const files = readJson(join(root, '.next/required-server-files.json'))
  for (const name of files.config.serverExternalPackages ?? []) names.add(name)
  return names
}

/** The folders of these packages and of all that they need, as the lock file has them installed. */
function foldersOf(names, packages) {
  const folders = new Set()
  const add = (name, from) => {
    if (BUILD_ONLY.test(name)) return
    for (let at = from; ; at = dirname(at)) {
      const folder = join(at === '.' ? '' : at, 'node_modules', name)
      if (packages[folder] && !packages[folder].dev) {
        if (folders.has(folder)) return
        folders.add(folder)
        const { dependencies, optionalDependencies, peerDependencies } = packages[folder]
        for (const needed of Object.keys({ ...dependencies, ...optionalDependencies, ...peerDependencies }))
          add(needed, folder)
        return
      }
      if (at === '.' || at === '') return
    }
  }
  for (const name of names) add(name, '.')
  return [...folders].sort()
}

/** Lays out the folder `bugle-VERSION` in `to`, and returns its path. @public Its test runs it in a process of its own. */
export async function stagePackage(to) {
  await buildWeb()
  const { version } = readJson(join(root, 'package.json'))
  const stage = join(to, `bugle-${version}`)
  rmSync(stage, { recursive: true, force: true })
  mkdirSync(join(stage, 'dist'), { recursive: true })
  const copy = (path, filter = () => true) =>
    // Links to packages left outside the bundles stay as they are: relative.
    cpSync(join(root, path), join(stage, path), { recursive: true, verbatimSymlinks: true, filter })
  for (const name of [...PROGRAMS, 'agent']) for (const end of ['cjs', 'cjs.map']) copy(`dist/${name}.${end}`)
  copy('.next', (path) => !/\.next\/(cache|trace|dev|types|diagnostics)/.test(path))
  copy('docs', (path) => !path.endsWith('screenshots'))
  for (const path of ['README.md', 'package-lock.json', 'scripts/start.mjs', 'scripts/bugle.mjs', 'scripts/units'])
    copy(path)
  for (const name of ['setup', 'build', 'processes']) copy(`scripts/lib/${name}.mjs`)
  const { packages } = readJson(join(root, 'package-lock.json'))
  for (const path of foldersOf(loadedPackages(), packages).filter((folder) => existsSync(join(root, folder))))
    copy(path, (from) => !from.slice(root.length + path.length + 1).startsWith('/node_modules'))
  writePackageJson(stage)
  // Nothing is compiled where the pages are served.
  await build({ entryPoints: [join(root, 'next.config.ts')], outfile: join(stage, 'next.config.mjs'), format: 'esm' })
  return stage
}

/** Writes `bugle-VERSION.tar.gz` into `to`, and returns its path. */
export async function makePackage(to) {
  const stage = await stagePackage(to)
  const archive = `${stage}.tar.gz`
  const packed = spawnSync('tar', ['-czf', archive, '-C', to, '--owner=0', '--group=0', basename(stage)], {
    encoding: 'utf8',
  })
  if (packed.status !== 0) fail(`The archive could not be written: ${packed.stderr}`)
  rmSync(stage, { recursive: true, force: true })
  return archive
}

/** What can be run from the archive, and that it is one: nothing is installed or built there. */
function writePackageJson(stage) {
  const { name, version, license, engines, scripts } = readJson(join(root, 'package.json'))
  const kept = ['start', 'start:web', 'start:engine', 'migrate', 'bugle']
  writeFileSync(
    join(stage, 'package.json'),
    `${JSON.stringify({ name, version, private: true, license, engines, scripts: Object.fromEntries(kept.map((key) => [key, scripts[key]])) }, null, 2)}\n`,
  )
  writeFileSync(join(stage, 'PACKAGED'), `${version}\n`)
}
