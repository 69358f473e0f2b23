import { createHash } from 'node:crypto'
import { existsSync, mkdirSync, readFileSync } from 'node:fs'
import { request as plainRequest } from 'node:http'
import { request as tlsRequest } from 'node:https'
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
import { Way } from './ways'
import { writeWhole } from './whole-file'

/** All that an agent can do: kinds of work, looking for files, asking people at robots, and telling what it does. */
export const ABILITIES: readonly string[] = [...ACTION_KINDS, LOOKS_FOR_FILES, HAS_DESKS, TRACES]

export interface Identity {
  readonly agent: string
  readonly credential: string
  readonly gateway: string
  /** The server, and the relays by which it was enrolled; identities of before they were kept have neither. */
  readonly server?: string
  readonly through?: readonly string[]
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
  /** Relays that lead to the server, as `relaysIn` gives them; the first that does is used. */
  through?: readonly string[]
  log: (message: string) => void
}): Promise<Identity> {
  const { server, through = [] } = options
  const request = { key: options.key, facts: options.facts, ...(options.name ? { name: options.name } : {}) }
  const ask = askingBy(through.length > 0 ? through.map((relay) => new Way(relay)) : [new Way(null)])
  let answer = await ask(`${server}/api/agent/enrol`, request)
  if (answer.state === 'asking') options.log(answer.message)
  while (answer.state === 'asking') {
    await new Promise((resolve) => setTimeout(resolve, 2000))
    answer = await ask(`${server}/api/agent/enrol/poll`, { poll: answer.poll })
  }
  if (answer.state === 'refused') throw new Error(answer.message)
  const { agent, credential, gateway } = answer
  const identity = { agent, credential, gateway, server, ...(through.length > 0 ? { through } : {}) }
  writeIdentity(options.stateDir, identity)
  return identity
}

/** Asks by the first way that leads there, and from then on by that one alone: a key is good for one asking. */
function askingBy(ways: readonly Way[]): (url: string, body: object) => Promise<EnrolAnswer> {
  let left = [...ways]
  return async (url, body) => {
    const why: string[] = []
    for (const way of left) {
      const answered = await post(url, JSON.stringify(body), way).catch((error: Error) => {
        why.push(`${way.through === null ? '' : `through ${way.through}: `}${error.message}`)
        return null
      })
      if (!answered) continue
      left = [way]
      const { status, text } = answered
      const answer = parsed(text) as { detail?: string; message?: string }
      if (status < 200 || status > 299) throw new Error(answer.detail ?? answer.message ?? `${url} answered ${status}.`)
      return enrolAnswerSchema.parse(answer)
    }
    throw new Error(`${url} cannot be reached: ${why.join('; ')}`)
  }
}

function parsed(text: string): unknown {
  try {
    return JSON.parse(text) as unknown
  } catch {
    return {}
  }
}

const MOST_ANSWER = 1024 * 1024
const PATIENCE_MS = 30_000

/** What was answered; rejects where nothing is, or by a relay that does not lead there. */
function post(url: string, body: string, way: Way): Promise<{ status: number; text: string }> {
  return new Promise((resolve, reject) => {
    const request = (url.startsWith('https:') ? tlsRequest : plainRequest)(url, {
      method: 'POST',
      headers: { 'content-type': 'application/json', 'content-length': Buffer.byteLength(body) },
      timeout: PATIENCE_MS,
      ...way.optionsTo(url),
    })
    let refused = false
    request.on('proxyConnect', ({ statusCode }: { statusCode: number }) => (refused = statusCode !== 200))
    request.once('timeout', () => request.destroy(new Error('nobody answers')))
    request.once('error', reject)
    request.once('response', (response) => {
      let text = ''
      response.setEncoding('utf8')
      response.on('data', (part: string) => {
        text += part
        if (text.length > MOST_ANSWER) response.destroy(new Error('the answer is too long'))
      })
      response.once('error', reject)
      response.once('end', () => {
        if (refused) reject(new Error((parsed(text) as { message?: string }).message ?? 'the relay refuses'))
        else resolve({ status: response.statusCode ?? 0, text })
      })
    })
    request.end(body)
  })
}
