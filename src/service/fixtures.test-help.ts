import { randomUUID } from 'node:crypto'
import { jobDefinitionSchema, type JobDefinition } from '@/core/work/job'
import { db, execute, many, one, transaction } from '@/store/db'
import { PerOrganisation } from '@/store/organisation'
import { ADMIN } from '@/store/database.test-help'
import type { ReportBody } from '@/agent/protocol'
import { storeReports, type StoredReports } from './runs/reports'
import { type Delivery } from './runs/delivery'
import { handOut } from './runs/hand-out'
import { addArea } from './work/areas'
import { addJob } from './work/work'

export async function makeAgent(name: string, slots = 4): Promise<number> {
  const agent = {
    name,
    machineId: name,
    host: name,
    system: 'test',
    arch: 'x64',
    version: '1.0.0',
    runtime: 'node',
    slots,
    abilities: ['command', 'script', 'wait'],
    credentialHash: randomUUID(),
  }
  const { id } = await transaction((tx) => db().agents.create(agent, { transaction: tx }))
  await execute(
    null,
    `INSERT INTO agent_contacts (agent_id, last_contact_at, engine_id, connection) VALUES ($1, now(), $2, nextval('agent_connections'))`,
    [id, randomUUID()],
  )
  return id
}

/** These agents, over the connections that speak for them. */
export function connected(...agentIds: number[]): Promise<Delivery[]> {
  return many<Delivery>(
    null,
    'SELECT agent_id AS "agentId", connection FROM agent_contacts WHERE agent_id = ANY($1) ORDER BY agent_id',
    [agentIds],
  )
}

const areas = new PerOrganisation((): { id?: number } => ({}))

export async function makeJob(definition: Partial<JobDefinition> = {}, title: string = randomUUID()): Promise<number> {
  const area = areas.get()
  const areaId = (area.id ??= (await addArea(ADMIN, { title: randomUUID(), notes: '' })).id)
  const full = jobDefinitionSchema.parse({
    action: { kind: 'command', command: 'true' },
    target: { agent: 'a1' },
    ...definition,
  })
  return (await addJob(ADMIN, { title, notes: '', areaId, active: true, definition: full })).id
}

/** Hands a ready run to an agent; the attempt and its token. */
export async function lease(runId: number, agentId: number): Promise<{ attempt: number; token: number }> {
  const { epoch } = await one<{ epoch: number }>(null, 'SELECT epoch FROM leadership')
  await handOut(epoch, [{ runId, agentId }])
  return one(null, `SELECT id AS attempt, token FROM attempts WHERE run_id = $1 ORDER BY number DESC LIMIT 1`, [runId])
}

export const started: Extract<ReportBody, { kind: 'started' }> = {
  kind: 'started',
  at: Date.now(),
  ran: { argv: ['sh'], environment: {}, folder: '/', user: 'u', pid: 1, agentVersion: '1.0.0' },
}
export const output = (...lines: string[]): ReportBody => ({
  kind: 'output',
  lines: lines.map((text) => [Date.now(), 'o', text]),
})
export const ended = (
  exitCode: number,
  how: 'exited' | 'stopped' = 'exited',
): Extract<ReportBody, { kind: 'ended' }> => ({
  kind: 'ended',
  at: Date.now(),
  outputCut: false,
  outputs: {},
  end: { exitCode, signal: null, how, detail: null, sawMust: null, sawMustNot: null, mustNotLine: null },
})

export function report(
  agentId: number,
  { attempt, token }: { attempt: number; token: number },
  from: number,
  ...bodies: ReportBody[]
): Promise<StoredReports> {
  return storeReports(bodies.map((body, i) => ({ agentId, attempt, token, seq: from + i, body })))
}

export async function stateOf(
  runId: number,
): Promise<{ state: string; version: number; attempts: number; reason: string }> {
  return one(null, 'SELECT state, version, attempts, reason FROM runs WHERE id = $1', [runId])
}

export async function outputOf(attempt: number): Promise<string[]> {
  const chunks = await many<{ lines: [number, string, string][] }>(
    null,
    'SELECT lines FROM output_chunks WHERE attempt_id = $1 ORDER BY first_line',
    [attempt],
  )
  return chunks.flatMap((chunk) => chunk.lines.map((line) => line[2]))
}
