import { createHash } from 'node:crypto'
import { existsSync, mkdirSync, readFileSync } from 'node:fs'
import { arch, hostname, release, type } from 'node:os'
import { join } from 'node:path'
import { ACTION_KINDS } from '@/core/work/job'
import {
  AGENT_VERSION,
  enrolAnswerSchema,
  HAS_DESKS,
  LOOKS_FOR_FILES,
  TRACES,
  type AgentFacts,
  type EnrolAnswer,
} from './protocol'
import { writeWhole } from './whole-file'

/** All that an agent can do: kinds of work, looking for files, asking people at robots, and telling what it does. */
export const ABILITIES: readonly string[] = [...ACTION_KINDS, LOOKS_FOR_FILES, HAS_DESKS, TRACES]

export interface Identity {
  readonly agent: string
  readonly credential: string
  readonly gateway: string
}

/** @param abilities what it carries out; all that it can without it */
export function factsOfThisMachine(hostOverride?: string, abilities: readonly string[] = ABILITIES): AgentFacts {
  const host = hostOverride ?? hostname()
  return {
    host,
    machineId: machineId(host),
    system: systemName(),
    arch: arch(),
    version: AGENT_VERSION,
    runtime: `node ${process.versions.node}`,
    abilities: [...abilities],
  }
}

/** The same for this machine for ever, and nothing that tells the machine's own id (machine-id(5) asks for a hash). */
function machineId(host: string): string {
  const own = ['/etc/machine-id', '/var/lib/dbus/machine-id'].find((file) => existsSync(file))
  return createHash('sha256')
    .update(`bugle ${own ? readFileSync(own, 'utf8').trim() : ''} ${host}`)
    .digest('hex')
    .slice(0, 32)
}

function systemName(): string {
  try {
    const pretty = /^PRETTY_NAME="?([^"\n]+)/m.exec(readFileSync('/etc/os-release', 'utf8'))?.[1]
    if (pretty) return pretty
  } catch {
    // No such file outside Linux.
  }
  return `${type()} ${release()}`
}

export function readIdentity(stateDir: string): Identity | null {
  const file = join(stateDir, 'identity.json')
  return existsSync(file) ? (JSON.parse(readFileSync(file, 'utf8')) as Identity) : null
}

function writeIdentity(stateDir: string, identity: Identity): void {
  mkdirSync(stateDir, { recursive: true, mode: 0o700 })
  writeWhole(join(stateDir, 'identity.json'), JSON.stringify(identity))
}

/** Trades the key for this agent's own credential and keeps it. Waits for a person when the machine is known already. */
export async function enrol(options: {
  server: string
  key: string
  stateDir: string
  facts: AgentFacts
  name?: string
  log: (message: string) => void
}): Promise<Identity> {
  const request = { key: options.key, facts: options.facts, ...(options.name ? { name: options.name } : {}) }
  let answer = await ask(`${options.server}/api/agent/enrol`, request)
  if (answer.state === 'asking') options.log(answer.message)
  while (answer.state === 'asking') {
    await new Promise((resolve) => setTimeout(resolve, 2000))
    answer = await ask(`${options.server}/api/agent/enrol/poll`, { poll: answer.poll })
  }
  if (answer.state === 'refused') throw new Error(answer.message)
  const { agent, credential, gateway } = answer
  writeIdentity(options.stateDir, { agent, credential, gateway })
  return { agent, credential, gateway }
}

async function ask(url: string, body: object): Promise<EnrolAnswer> {
  const response = await fetch(url, {
    method: 'POST',
    headers: { 'content-type': 'application/json' },
    body: JSON.stringify(body),
  }).catch((error: Error) => {
    throw new Error(`${url} cannot be reached: ${(error.cause as Error | undefined)?.message ?? error.message}`)
  })
  const answer = (await response.json().catch(() => ({}))) as { detail?: string }
  if (!response.ok) throw new Error(answer.detail ?? `${url} answered ${response.status}.`)
  return enrolAnswerSchema.parse(answer)
}
