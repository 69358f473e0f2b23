// npm run demo: sets everything up, starts everything, says where to go; Ctrl-C ends it all.
import { spawnSync } from 'node:child_process'
import { randomBytes } from 'node:crypto'
import { existsSync, rmSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { ensureDebianPackages, ensureFolder, ensureNodeModules, fail, root, say } from './lib/setup.mjs'

const began = Date.now()
const isFresh = process.argv.includes('--fresh')
const [major, minor] = process.versions.node.split('.').map(Number)
if (major < 20 || (major === 20 && minor < 9))
  fail(`Node ${process.versions.node} is too old; Bugle needs 20.9 or newer.`)

ensureDebianPackages(['postgresql'])
ensureNodeModules()
const { buildWeb } = await import('./lib/build.mjs')
const { clusterFolder, endLeftOver, removeCluster, startPostgres, stateFolder } = await import('./lib/postgres.mjs')
const { freePort, Processes, untilUp } = await import('./lib/processes.mjs')
await buildWeb()

const state = ensureFolder(join(stateFolder(), 'demo'))
const processes = new Processes(join(state, 'pids.json'))
const portFor = (name, wanted) =>
  freePort(Number(process.env[name] ?? wanted), (port) =>
    say(`Port ${process.env[name] ?? wanted} is in use; taking ${port} instead. (${name} sets it.)`),
  )
endLeftOver('demo-db')
if (isFresh) {
  say(`Starting over: removing ${clusterFolder('demo-db')} and ${state}.`)
  removeCluster('demo-db')
  rmSync(state, { recursive: true, force: true })
  ensureFolder(state)
}
const webPort = await portFor('BUGLE_WEB_PORT', 4380)
const gatewayPort = await portFor('BUGLE_GATEWAY_PORT', 4381)
const databasePort = await portFor('BUGLE_PG_PORT', 4382)
const postgres = await startPostgres({ name: 'demo-db', port: databasePort })
const web = `http://localhost:${webPort}`
const gateway = `ws://localhost:${gatewayPort}/agent`

const keyFile = join(state, 'secret.key')
if (!existsSync(keyFile)) writeFileSync(keyFile, randomBytes(32).toString('hex'), { mode: 0o600 })
const env = {
  NODE_ENV: 'production',
  NEXT_TELEMETRY_DISABLED: '1',
  DATABASE_URL: postgres.createDatabase('bugle'),
  BUGLE_SECRET_KEY_FILE: keyFile,
  BUGLE_DEMO: '1',
  BUGLE_ZONE: 'Europe/London',
  BUGLE_COUNTRY: 'GB-SCT',
  BUGLE_WEB_PORT: String(webPort),
  BUGLE_GATEWAY_PORT: String(gatewayPort),
  BUGLE_GATEWAY_HOST: '127.0.0.1',
  BUGLE_AGENT_GATEWAY: gateway,
  BUGLE_DEMO_SECRETS: join(state, 'standins.json'),
  BUGLE_STANDINS_PORT: process.env.BUGLE_STANDINS_PORT ?? '4390',
  BUGLE_DIST: join(root, 'dist'),
}

class Stopped extends Error {}
process.on('uncaughtException', (error) => {
  if (!(error instanceof Stopped)) say(error.stack)
  void stop(1)
})

function bugle(...args) {
  const done = spawnSync(process.execPath, [join(root, 'dist/bugle.cjs'), ...args], {
    env: { ...process.env, ...env },
    encoding: 'utf8',
  })
  if (done.status === 0) return JSON.parse(done.stdout)
  say(`bugle ${args[0]} did not succeed:\n${done.stderr}`)
  void stop(1)
  throw new Stopped()
}

let stopping = false
async function stop(code) {
  if (stopping) return
  stopping = true
  say('\nStopping …')
  await processes.stopAll()
  await postgres.stop()
  process.exit(code)
}
process.on('SIGINT', () => void stop(0))
process.on('SIGTERM', () => void stop(0))

bugle('migrate')
if (bugle('demo', env.BUGLE_DEMO_SECRETS).loaded)
  say('Loaded the demo: Marram Sound Ferries, with eight weeks of history.')

const lastLines = []
const start = (name, file, args, more = {}) =>
  processes.start(name, file, args, {
    env: { ...env, ...more },
    cwd: root,
    onLine: (line) => {
      lastLines.push(`${name}: ${line}`)
      lastLines.splice(0, lastLines.length - 30)
    },
    onExit: (code) => {
      say(
        `${name} ended by itself (${code}). Its last words:\n${lastLines.filter((l) => l.startsWith(name)).join('\n')}`,
      )
      void stop(1)
    },
  })
// First, so that what the engine takes up again finds them.
start('stand-ins', join(root, 'dist/standins.cjs'), [])
start('engine', join(root, 'dist/engine.cjs'), [])
start('web', join(root, 'dist/web.cjs'), [])
await untilUp(`${web}/api/health`)

/** A real agent of this machine, enrolled the first time. */
function startAgent(name, { key: keyOptions, more = [], env: own = {} }) {
  const agentState = join(state, name === 'kelda-lab' ? 'lab-agent' : name)
  const agent = join(root, 'dist/agent.cjs')
  if (existsSync(join(agentState, 'identity.json')))
    return start(`agent ${name}`, agent, ['run', '--state', agentState, '--host', name, ...more], own)
  const { key } = bugle('enrolment-key', ...keyOptions)
  // In the environment, where no list of processes shows it.
  const where = ['--server', web, '--state', agentState, '--name', name, '--host', name, ...more]
  start(`agent ${name}`, agent, ['enrol', '--run', ...where], { ...own, BUGLE_ENROL_KEY: key })
}

// The lab's machine is also the relay of a kiosk that cannot reach the server itself. All are this machine, so nothing need be encrypted.
const relayPort = await portFor('BUGLE_RELAY_PORT', 4385)
startAgent('kelda-lab', {
  key: ['--pool', 'lab', '--slots', '4'],
  more: ['--relay', `127.0.0.1:${relayPort}`],
})
await untilUp(`http://127.0.0.1:${relayPort}/`)
startAgent('orrin-kiosk1', {
  key: ['--slots', '1'],
  more: ['--through', `127.0.0.1:${relayPort}`],
  env: { BUGLE_AGENT_PLAIN: '1' },
})

say(`
Bugle is running (after ${Math.round((Date.now() - began) / 1000)} s):

    ${web}

The services around it (mailbox, ticket desk, an application): http://localhost:${env.BUGLE_STANDINS_PORT}
Sign in with one click as one of the demo’s people: Ines Aldaya is the administrator.
Ctrl-C stops everything. npm run demo -- --fresh starts over.
`)
