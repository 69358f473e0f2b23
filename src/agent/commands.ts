import { homedir } from 'node:os'
import { join } from 'node:path'
import { parseArgs } from 'node:util'
import { Agent } from './agent'
import { enrol, factsOfThisMachine, readIdentity } from './enrol'
import { AGENT_VERSION } from './protocol'
import { supervisorFile } from './supervisor-file'

const USAGE = `Bugle agent ${AGENT_VERSION}

  node bugle-agent.cjs enrol --server URL --key KEY [--run] [--name NAME] [--host NAME] [--state DIR]
  node bugle-agent.cjs run [--state DIR]
  node bugle-agent.cjs unit [--state DIR]      prints a systemd unit that keeps the agent running
  node bugle-agent.cjs version

State (credential, runs in hand) is kept in --state, by default ~/.bugle-agent.`

const log = (message: string): void => console.error(`${new Date().toISOString()} ${message}`)

function runAgent(stateDir: string, host: string | undefined): void {
  const identity = readIdentity(stateDir)
  if (!identity)
    throw new Error(
      `This machine is not enrolled: ${stateDir} holds no credential. Ask for the command under Fleet, Enrol.`,
    )
  const { gateway, credential } = identity
  const agent = new Agent({
    gateway: process.env.BUGLE_AGENT_GATEWAY ?? gateway,
    credential,
    stateDir,
    facts: factsOfThisMachine(host),
    supervisor: supervisorFile(stateDir),
    log,
  })
  agent.start()
  const stop = (): void => {
    agent.stop()
    process.exit(0)
  }
  process.on('SIGTERM', stop)
  process.on('SIGINT', stop)
}

/** Everything that a person types. */
export async function main(): Promise<void> {
  const { positionals, values } = parseArgs({
    allowPositionals: true,
    options: {
      server: { type: 'string' },
      key: { type: 'string' },
      name: { type: 'string' },
      host: { type: 'string' },
      state: { type: 'string', default: join(homedir(), '.bugle-agent') },
      run: { type: 'boolean', default: false },
    },
  })
  const { server, key, name, host, state, run } = values
  switch (positionals[0]) {
    case 'enrol': {
      if (!server || !key) throw new Error('enrol needs --server and --key.')
      const facts = factsOfThisMachine(host)
      const identity = await enrol({
        server: server.replace(/\/$/, ''),
        key,
        stateDir: state,
        facts,
        log,
        ...(name ? { name } : {}),
      })
      log(`enrolled as ${identity.agent}`)
      if (run) runAgent(state, host)
      return
    }
    case 'run':
      return runAgent(state, host)
    case 'unit':
      console.log(
        `[Unit]\nDescription=Bugle agent\nAfter=network-online.target\n\n[Service]\nExecStart=${process.execPath} ${process.argv[1]} run --state ${state}\nRestart=always\nKillMode=process\n\n[Install]\nWantedBy=multi-user.target`,
      )
      return
    case 'version':
      console.log(AGENT_VERSION)
      return
    default:
      throw new Error(USAGE)
  }
}
