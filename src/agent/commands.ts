import { existsSync } from 'node:fs'
import { homedir } from 'node:os'
import { join, resolve } from 'node:path'
import { parseArgs } from 'node:util'
import { RELAY_PORT, relaysIn } from '@/core/net/relays'
import { Agent } from './agent'
import { ABILITIES, enrol, factsOfThisMachine, readIdentity } from './enrol'
import { Gateways } from './gateways'
import { AGENT_VERSION } from './protocol'
import { Relay } from './relay'
import { supervisorFile } from './supervisor-file'

/** Whoever sits at a robot of an agent that runs as root can go there. */
const ROOTS_DESKS = '/run/bugle-agent/desk'

const USAGE = `Bugle agent ${AGENT_VERSION}

  BUGLE_ENROL_KEY=KEY node bugle-agent.cjs enrol --server URL [--run] [--name NAME] [--host NAME] [--state DIR]
                                               --key -      reads the key from standard input
  node bugle-agent.cjs run [--state DIR] [--deny KIND,…] [--only KIND,…]
                                               what the owner of the machine does not let it do, or lets it do alone: ${ABILITIES.join(', ')}
                                               --through RELAY,…  by relays, tried in this order, where the machine cannot reach the server
                                               --relay [HOST:]PORT  is a relay for such machines
  node bugle-agent.cjs desk ROBOT [--desk DIR]  for the person at an attended robot: shows what it is asked, and answers
  node bugle-agent.cjs unit [--state DIR]      prints a systemd unit that keeps the agent running
  node bugle-agent.cjs item …                  within a run: takes, ends or adds items of work queues; item --help
  node bugle-agent.cjs version
  node bugle-agent.cjs --help

State (credential, runs in hand) is kept in --state, by default ~/.bugle-agent.
Desks find their agent in --desk, by default ${ROOTS_DESKS} if it runs as root, else in its state.
A private certificate authority is given by the environment: NODE_EXTRA_CA_CERTS=FILE.`

const log = (message: string): void => console.error(`${new Date().toISOString()} ${message}`)

/** What the owner of the machine lets the agent do: the last word, whatever the server asks for. */
function allowed(deny: string | undefined, only: string | undefined): string[] {
  if (deny !== undefined && only !== undefined) throw new Error('Say --deny or --only, not both.')
  const named = (deny ?? only ?? '')
    .split(',')
    .map((kind) => kind.trim())
    .filter(Boolean)
  const unknown = named.find((kind) => !ABILITIES.includes(kind))
  if (unknown !== undefined) throw new Error(`An agent does not know ${unknown}. It knows ${ABILITIES.join(', ')}.`)
  return ABILITIES.filter((kind) => (only === undefined ? !named.includes(kind) : named.includes(kind)))
}

/** Where the agent of this machine has its desks: the same for whoever sits at one. */
function deskFolder(given: string | undefined, stateDir: string, isRoot = process.getuid?.() === 0): string {
  if (given !== undefined) return resolve(given)
  return isRoot ? ROOTS_DESKS : join(stateDir, 'desk')
}

/** A person sits at a robot: the agent may run as root, or as they do. */
async function sitAt(robot: string, folder: string): Promise<void> {
  // A name is one part of a path.
  if (!/^[\w.-]+$/.test(robot)) throw new Error(`${robot} is no robot’s name.`)
  const { runDesk } = await import('./desk-program')
  await runDesk(folder, robot, { input: process.stdin, out: (text) => console.log(text) })
}

interface RunOptions {
  readonly host: string | undefined
  readonly desk: string | undefined
  readonly abilities: readonly string[]
  /** Relays that it goes through, in place of those that it was enrolled by. */
  readonly through: readonly string[] | undefined
  /** Where it listens as a relay; null: it is none. */
  readonly relay: { readonly host: string; readonly port: number } | null
}

async function runAgent(stateDir: string, options: RunOptions): Promise<void> {
  const { host, desk, abilities } = options
  const identity = readIdentity(stateDir)
  if (!identity)
    throw new Error(
      `This machine is not enrolled: ${stateDir} holds no credential. Ask for the command under Fleet, Enrol.`,
    )
  const { credential } = identity
  const fixed = process.env.BUGLE_AGENT_GATEWAY
  const first = fixed ?? identity.gateway
  const through = options.through ?? identity.through ?? []
  if (through.length > 0 && options.relay)
    throw new Error('A relay reaches the server itself: say --through or --relay.')
  const requireSafe = (gateway: string): void => requireSafeGateway(gateway, through.length > 0)
  requireSafe(first)
  // An address given here is meant: nothing that the server tells takes its place.
  const gateways = new Gateways(first, {
    file: join(stateDir, 'gateways.json'),
    isFixed: fixed !== undefined,
    through,
    require: requireSafe,
    log,
  })
  const relay =
    options.relay &&
    new Relay({
      ...options.relay,
      name: identity.agent,
      leadsTo: () => [...gateways.all, ...(identity.server === undefined ? [] : [identity.server])],
      log,
    })
  await relay?.start()
  const agent = new Agent({
    gateways,
    credential,
    stateDir,
    deskDir: deskFolder(desk, stateDir),
    facts: factsOfThisMachine(host, abilities),
    supervisor: supervisorFile(stateDir),
    relay: relay ?? undefined,
    log,
  })
  agent.start()
  const stop = (): void => {
    relay?.stop()
    agent.stop()
    process.exit(0)
  }
  process.on('SIGTERM', stop)
  process.on('SIGINT', stop)
}

/** The one-time key, from the environment or standard input. In the command itself everybody on the machine could read it: there it is taken, hidden at once, and warned about. */
async function enrolmentKey(given: string | undefined): Promise<string> {
  if (given === '-') {
    let text = ''
    for await (const chunk of process.stdin) text += String(chunk)
    return text.trim()
  }
  if (given !== undefined) {
    process.title = 'bugle-agent enrol'
    log(
      'The key stands in the command, where others on this machine may have seen it: give it as BUGLE_ENROL_KEY, or by --key -',
    )
    return given
  }
  const key = process.env.BUGLE_ENROL_KEY
  // It is nobody else's business, least of all a job's.
  delete process.env.BUGLE_ENROL_KEY
  if (!key)
    throw new Error('enrol needs the one-time key: BUGLE_ENROL_KEY=KEY, or --key - to read it from standard input.')
  return key
}

/** HOST:PORT or PORT to listen at; everywhere without a host. */
function listening(text: string | undefined): RunOptions['relay'] {
  if (text === undefined) return null
  const [, host = '0.0.0.0', port = ''] = /^(?:(.+):)?(\d{1,5})$/.exec(text.trim()) ?? []
  if (Number(port) < 1 || Number(port) > 65_535)
    throw new Error(`A relay listens at [HOST:]PORT, for example ${RELAY_PORT}: ${text} is no such place.`)
  return { host: host.replace(/^\[|\]$/g, ''), port: Number(port) }
}

/** A credential goes over the network only under TLS; within this machine, and where a setting says so, also without. */
function requireSafeGateway(gateway: string, isThrough: boolean): void {
  const { protocol, hostname } = new URL(gateway)
  const isHere = !isThrough && /^(localhost|127\.\d+\.\d+\.\d+|\[::1\])$/.test(hostname)
  if (protocol === 'wss:' || isHere || process.env.BUGLE_AGENT_PLAIN === '1') return
  throw new Error(
    `${gateway} is not encrypted: the agent’s credential and the secrets of runs would be read on the way. Let the server speak TLS (see docs/operations.md), or set BUGLE_AGENT_PLAIN=1 where the network is safe.`,
  )
}

/** A private certificate authority that this command was given goes on into the unit. */
function authority(): string {
  const file = process.env.NODE_EXTRA_CA_CERTS
  return file ? `Environment=NODE_EXTRA_CA_CERTS=${resolve(file)}\n` : ''
}

/** The same for the unit. */
const repeated = (given: Readonly<Record<string, string | undefined>>): string =>
  Object.entries(given)
    .flatMap(([name, value]) => (value === undefined ? [] : ` --${name} ${value}`))
    .join('')

/** What the arguments say; what they get wrong is told with the way to help. */
function argumentsOf(args: readonly string[]): ReturnType<typeof parsed> {
  try {
    return parsed(args)
  } catch (error) {
    throw new Error(`${(error as Error).message.split('. ')[0]}. --help says what there is.`, { cause: error })
  }
}

const parsed = (args: readonly string[]) =>
  parseArgs({
    args: [...args],
    allowPositionals: true,
    options: {
      server: { type: 'string' },
      key: { type: 'string' },
      name: { type: 'string' },
      host: { type: 'string' },
      deny: { type: 'string' },
      only: { type: 'string' },
      desk: { type: 'string' },
      through: { type: 'string' },
      relay: { type: 'string' },
      state: { type: 'string', default: join(homedir(), '.bugle-agent') },
      run: { type: 'boolean', default: false },
      help: { type: 'boolean', short: 'h', default: false },
    },
  })

/** Everything that a person types. */
export async function main(args: readonly string[] = process.argv.slice(2)): Promise<void> {
  const { positionals, values } = argumentsOf(args)
  const { server, key, name, host, state, desk, run, help, deny, only, through, relay } = values
  const options: RunOptions = {
    host,
    desk,
    abilities: allowed(deny, only),
    through: through === undefined ? undefined : relaysIn(through),
    relay: listening(relay),
  }
  const command = help ? 'help' : positionals[0]
  switch (command) {
    case 'help':
      console.log(USAGE)
      return
    case 'enrol': {
      if (!server) throw new Error('enrol needs --server.')
      const secret = await enrolmentKey(key)
      const facts = factsOfThisMachine(host, options.abilities)
      const identity = await enrol({
        server: server.replace(/\/$/, ''),
        key: secret,
        stateDir: state,
        facts,
        log,
        ...(name ? { name } : {}),
        ...(options.through ? { through: options.through } : {}),
      })
      log(`enrolled as ${identity.agent}`)
      if (run) await runAgent(state, options)
      return
    }
    case 'run':
      return runAgent(state, options)
    case 'desk': {
      const robot = positionals[1]
      if (robot === undefined) throw new Error('desk needs the robot that you sit at.')
      const own = deskFolder(desk, state, false)
      return sitAt(robot, desk === undefined && !existsSync(own) ? ROOTS_DESKS : own)
    }
    case 'unit':
      console.log(
        `[Unit]\nDescription=Bugle agent\nAfter=network-online.target\nStartLimitIntervalSec=0\n\n[Service]\n${authority()}ExecStart=${process.execPath} ${process.argv[1]} run --state ${state}${repeated({ deny, only, desk, through, relay })}\nRestart=always\nRestartSec=1\nRestartSteps=6\nRestartMaxDelaySec=60\nKillMode=process\n\n[Install]\nWantedBy=multi-user.target`,
      )
      return
    case 'version':
      console.log(AGENT_VERSION)
      return
    case undefined:
      throw new Error(USAGE)
    default:
      throw new Error(`There is no command ${command}.\n\n${USAGE}`)
  }
}
