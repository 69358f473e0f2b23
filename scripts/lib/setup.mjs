// What a fresh machine needs before anything else runs: Debian's packages and npm's. Plain Node, no dependencies.
import { execFileSync, spawnSync } from 'node:child_process'
import { createHash } from 'node:crypto'
import { existsSync, mkdirSync, readFileSync, readdirSync, writeFileSync } from 'node:fs'
import { dirname, join, resolve } from 'node:path'
import { fileURLToPath } from 'node:url'

export const root = resolve(dirname(fileURLToPath(import.meta.url)), '../..')

/** Whether this is an unpacked archive of `npm run package`: all is there, nothing is installed, built or written. */
export const isPackaged = existsSync(join(root, 'PACKAGED'))

export function say(text) {
  process.stderr.write(`${text}\n`)
}

/** Ends the command with a message a person can act on. */
export function fail(text, code = 1) {
  say(`\nbugle: ${text}\n`)
  process.exit(code)
}

/** The folder of PostgreSQL's programs, of the newest version that Debian's package has put there. */
export function postgresBin() {
  const base = '/usr/lib/postgresql'
  if (!existsSync(base)) return undefined
  return readdirSync(base)
    .sort((a, b) => Number(b) - Number(a))
    .map((version) => join(base, version, 'bin'))
    .find((bin) => existsSync(join(bin, 'initdb')) && existsSync(join(bin, 'postgres')))
}

const chromium = '/usr/bin/chromium'

const PACKAGES = {
  postgresql: { isThere: () => postgresBin() !== undefined, package: 'postgresql' },
  pgbouncer: { isThere: () => existsSync('/usr/sbin/pgbouncer'), package: 'pgbouncer' },
  openssl: { isThere: () => existsSync('/usr/bin/openssl'), package: 'openssl' },
  iproute2: { isThere: () => existsSync('/usr/bin/ip') || existsSync('/usr/sbin/ip'), package: 'iproute2' },
  poppler: { isThere: () => existsSync('/usr/bin/pdftotext'), package: 'poppler-utils' },
  chromium: { isThere: () => existsSync(chromium), package: 'chromium' },
}

/** Installs Debian packages that are missing, if this account may; else says what to do. */
export function ensureDebianPackages(names) {
  const missing = names.filter((name) => !PACKAGES[name].isThere()).map((name) => PACKAGES[name].package)
  if (missing.length === 0) return
  const command = `apt-get install --no-install-recommends ${missing.join(' ')}`
  const isRoot = process.getuid?.() === 0
  const hasSudo = !isRoot && spawnSync('sudo', ['-n', 'true'], { stdio: 'ignore' }).status === 0
  if (!existsSync('/usr/bin/apt-get'))
    fail(`Missing: ${missing.join(', ')}. This is not a Debian system; install them by hand and start again.`)
  if (!isRoot && !hasSudo)
    fail(
      `Missing Debian packages: ${missing.join(', ')}. This account may not install them. Ask for\n\n    sudo ${command}\n\nand start again.`,
    )
  say(`Installing Debian packages: ${missing.join(', ')} …`)
  const run = (...words) => {
    const [program, ...args] = isRoot ? words : ['sudo', '-n', ...words]
    const done = spawnSync(program, args, {
      stdio: ['ignore', 'ignore', 'pipe'],
      env: { ...process.env, DEBIAN_FRONTEND: 'noninteractive' },
    })
    return done.status === 0 ? '' : done.stderr.toString()
  }
  // Debian's package would otherwise start a server of its own on the standard port; Bugle keeps its own cluster.
  run(
    'sh',
    '-c',
    'mkdir -p /etc/postgresql-common/createcluster.d && echo "create_main_cluster = false" | tee /etc/postgresql-common/createcluster.conf > /etc/postgresql-common/createcluster.d/bugle.conf',
  )
  run('apt-get', 'update', '-q')
  const trouble = run('apt-get', 'install', '-y', '-q', '--no-install-recommends', ...missing)
  if (trouble || names.some((name) => !PACKAGES[name].isThere()))
    fail(`${command} did not succeed:\n${trouble.slice(-2000)}`)
}

/** `npm ci` when the lock file is another than the one that node_modules was made from. */
export function ensureNodeModules() {
  if (isPackaged) return
  const lock = createHash('sha256')
    .update(readFileSync(join(root, 'package-lock.json')))
    .digest('hex')
  const stamp = join(root, 'node_modules', '.bugle-lock')
  if (existsSync(stamp) && readFileSync(stamp, 'utf8') === lock) return
  say('Installing packages from the npm registry (about two minutes) …')
  try {
    execFileSync('npm', ['ci', '--no-audit', '--no-fund', '--loglevel=error'], {
      cwd: root,
      stdio: ['ignore', 'ignore', 'inherit'],
    })
  } catch {
    fail('npm ci did not succeed; its messages stand above.')
  }
  writeFileSync(stamp, lock)
}

export function ensureFolder(path) {
  mkdirSync(path, { recursive: true, mode: 0o700 })
  return path
}
