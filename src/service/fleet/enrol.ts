import { z } from 'zod'
import { labelsSchema } from '@/core/work/job'
import type { AgentFacts, EnrolAnswer, enrolRequestSchema } from '@/agent/protocol'
import { config } from '@/store/config'
import { db, execute, many, maybeOne, one, transaction, type Tx } from '@/store/db'
import { likeText } from '@/store/like'
import { notify } from '@/store/listen'
import { requireRight, type Actor } from '@/service/base/actor'
import { record } from '@/service/base/audit'
import { addAgentEvent } from './fleet'
import { invalid, notFound, Problem } from '@/service/base/problem'
import { addRobotIn, robotSchema } from './robots'
import { hashToken, newToken } from '@/service/base/secrets'

const robotOfKeySchema = z.strictObject({
  /** What they are called; `{agent}` stands for the agent's name. */
  name: z
    .string()
    .min(1, 'Write what they are called.')
    .max(80)
    .regex(/\{agent\}/, 'With {agent} in it, so that each agent’s has a name of its own.'),
  accountId: z.int().positive('Choose their account.'),
  kind: z.enum(['attended', 'unattended']).default('unattended'),
  poolIds: z.array(z.int().positive()).max(50).default([]),
})
type RobotOfKey = z.output<typeof robotOfKeySchema>

export const enrolmentKeySchema = z.strictObject({
  uses: z.int().min(1).max(500).default(1),
  minutes: z
    .int()
    .min(1)
    .max(7 * 1440)
    .default(60),
  slots: z.int().min(1).max(1024).default(2),
  labels: labelsSchema.default({}),
  poolIds: z.array(z.int().positive()).max(50).default([]),
  /** Robots of each agent that is enrolled with it. */
  robots: z.array(robotOfKeySchema).max(20).default([]),
})
export const answerSchema = z.strictObject({ answer: z.enum(['replace', 'add', 'refuse']) })

/** The key is shown this once; it expires, and each enrolment takes one of its uses. */
export async function addEnrolmentKey(
  actor: Actor,
  request: z.output<typeof enrolmentKeySchema>,
): Promise<{ id: number; key: string; expiresAt: string }> {
  requireRight(actor, 'administer')
  const key = newToken('bgk')
  return transaction(async (tx) => {
    for (const [i, { accountId }] of request.robots.entries())
      if (!(await db().accounts.findByPk(accountId, { transaction: tx })))
        throw invalid(`robots[${i}].accountId`, `There is no account ${accountId}.`)
    const row = await one<{ id: number; expiresAt: string }>(
      tx,
      `INSERT INTO enrolment_keys (key_hash, labels, pool_ids, slots, uses_left, expires_at, created_by, robots)
       VALUES ($1, $2, $3, $4, $5, now() + make_interval(mins => $6), $7, $8) RETURNING id, expires_at AS "expiresAt"`,
      [
        hashToken(key),
        JSON.stringify(request.labels),
        JSON.stringify(request.poolIds),
        request.slots,
        request.uses,
        request.minutes,
        actor.name,
        JSON.stringify(request.robots),
      ],
    )
    const { labels, poolIds, uses, minutes, slots, robots } = request
    await record(
      tx,
      actor,
      'made',
      { type: 'enrolment key', id: row.id, title: `key ${row.id}` },
      { labels, poolIds, uses, minutes, slots, robots },
    )
    return { ...row, key }
  })
}

export async function revokeEnrolmentKey(actor: Actor, id: number): Promise<void> {
  requireRight(actor, 'administer')
  await transaction(async (tx) => {
    const done = await execute(
      tx,
      'UPDATE enrolment_keys SET revoked_at = now() WHERE id = $1 AND revoked_at IS NULL',
      [id],
    )
    if (done === 0) throw notFound('enrolment key', id)
    await record(tx, actor, 'revoked', { type: 'enrolment key', id, title: `key ${id}` })
  })
}

export interface EnrolmentRow {
  readonly id: number
  readonly state: 'asking' | 'granted' | 'refused'
  readonly host: string
  readonly existingName: string | null
  readonly existingContactAt: string | null
  readonly agentId: number | null
  readonly agentName: string | null
  readonly connected: boolean
}

/** What came of a key so far, for the page that waits. */
export async function enrolmentsOfKey(actor: Actor, keyId: number): Promise<EnrolmentRow[]> {
  requireRight(actor, 'administer')
  return many<EnrolmentRow>(
    null,
    `SELECT e.id, e.state, e.facts->>'host' AS host, x.name AS "existingName", xc.last_contact_at AS "existingContactAt",
            e.agent_id AS "agentId", a.name AS "agentName", coalesce(c.last_contact_at >= e.created_at, false) AS connected
       FROM enrolments e
       LEFT JOIN agents x ON x.id = e.existing_agent_id LEFT JOIN agent_contacts xc ON xc.agent_id = x.id
       LEFT JOIN agents a ON a.id = e.agent_id LEFT JOIN agent_contacts c ON c.agent_id = a.id
      WHERE e.key_id = $1 ORDER BY e.id`,
    [keyId],
  )
}

interface KeyRow {
  readonly id: number
  readonly labels: Record<string, string>
  readonly poolIds: number[]
  readonly slots: number
  readonly createdBy: string
  readonly robots: RobotOfKey[]
}

/**
 * An agent trades a key for its own credential. A machine that is known already and has been heard of is asked about first: the agent
 * gets a token to ask again with until a person has answered.
 */
export async function enrol(request: z.output<typeof enrolRequestSchema>, gateway: string): Promise<EnrolAnswer> {
  return transaction(async (tx) => {
    const key = await maybeOne<KeyRow>(
      tx,
      `UPDATE enrolment_keys SET uses_left = uses_left - 1
        WHERE key_hash = $1 AND uses_left > 0 AND expires_at > now() AND revoked_at IS NULL
        RETURNING id, labels, pool_ids AS "poolIds", slots, created_by AS "createdBy", robots`,
      [hashToken(request.key)],
    )
    if (!key)
      throw new Problem(
        'not-allowed',
        'This enrolment key is unknown, used up, expired or revoked. Ask for a new one under Fleet, Enrol.',
      )
    const existing = await maybeOne<{ id: number; name: string; heard: boolean }>(
      tx,
      `SELECT a.id, a.name, c.last_contact_at IS NOT NULL AS heard FROM agents a LEFT JOIN agent_contacts c ON c.agent_id = a.id
        WHERE a.machine_id = $1 AND a.credential_hash IS NOT NULL ORDER BY a.id DESC LIMIT 1`,
      [request.facts.machineId],
    )
    const poll = newToken('bgp')
    const asks = existing?.heard === true && request.name === undefined
    const enrolment = await db().enrolments.create(
      {
        keyId: key.id,
        pollHash: hashToken(poll),
        state: asks ? 'asking' : 'granted',
        facts: request.facts,
        existingAgentId: asks ? existing.id : null,
      },
      { transaction: tx },
    )
    await notify(tx, { fleet: true })
    if (asks) {
      return {
        state: 'asking',
        poll,
        message: `This machine is enrolled already as ${existing.name}. An administrator is asked on the enrolment page whether to replace it.`,
      }
    }
    const replaced = existing && !existing.heard ? existing.id : null
    const agent = await grant(tx, enrolment.id, key, request.facts, replaced, request.name, request.simulated)
    return { state: 'granted', gateway, ...agent }
  })
}

async function grant(
  tx: Tx,
  enrolmentId: number,
  key: KeyRow,
  facts: AgentFacts,
  replacedId: number | null,
  name: string | undefined,
  isSimulated: boolean,
): Promise<{ agent: string; credential: string }> {
  const credential = newToken('bga')
  const known = {
    machineId: facts.machineId,
    host: facts.host,
    system: facts.system,
    arch: facts.arch,
    version: facts.version,
    runtime: facts.runtime,
    abilities: facts.abilities,
    credentialHash: hashToken(credential),
  }
  let agentId = replacedId
  let agentName: string
  if (agentId !== null) {
    const agent = await db().agents.findByPk(agentId, { transaction: tx, lock: true })
    if (!agent) throw notFound('agent', agentId)
    await agent.update(known, { transaction: tx })
    agentName = agent.name
    await addAgentEvent(
      tx,
      agentId,
      'enrolled again',
      `with a key of ${key.createdBy}; the old credential no longer works`,
    )
  } else {
    agentName = await freeName(tx, name ?? facts.host)
    const agent = await db().agents.create(
      { ...known, name: agentName, labels: key.labels, slots: key.slots, enrolledBy: key.createdBy, isSimulated },
      { transaction: tx },
    )
    agentId = agent.id
    await db().agentContacts.create({ agentId }, { transaction: tx })
    for (const poolId of key.poolIds) {
      await execute(tx, 'INSERT INTO pool_members SELECT id, $2 FROM pools WHERE id = $1', [poolId, agentId])
    }
    await addAgentEvent(tx, agentId, 'enrolled', `with a key of ${key.createdBy}`)
    await bringRobots(tx, key, agentId, agentName)
  }
  await execute(tx, `UPDATE enrolments SET state = 'granted', agent_id = $2, fetched_at = now() WHERE id = $1`, [
    enrolmentId,
    agentId,
  ])
  await record(
    tx,
    actorOf(key, facts.host),
    replacedId === null ? 'enrolled' : 'enrolled again',
    { type: 'agent', id: agentId, title: agentName },
    { host: facts.host, version: facts.version },
  )
  return { agent: agentName, credential }
}

const actorOf = (key: KeyRow, host: string): Actor => ({
  id: null,
  name: `key of ${key.createdBy}`,
  email: '',
  role: 'administrator',
  via: 'token',
  address: host,
  sessionId: null,
})

/** Robots that a key brings along. One whose account or name is gone meanwhile is told of among the agent's events; the agent is there all the same. */
async function bringRobots(tx: Tx, key: KeyRow, agentId: number, agent: string): Promise<void> {
  const taken = new Set(
    (await many<{ name: string }>(tx, 'SELECT lower(name) AS name FROM robots WHERE removed_at IS NULL')).map(
      (one) => one.name,
    ),
  )
  for (const { name: pattern, accountId, kind, poolIds } of key.robots) {
    const wanted = pattern.replaceAll('{agent}', agent)
    let name = wanted
    for (let n = 2; taken.has(name.toLowerCase()); n++) name = `${wanted}-${n}`
    const pools = await many<{ id: number }>(tx, 'SELECT id FROM pools WHERE id = ANY($1)', [poolIds])
    const request = robotSchema.safeParse({
      name,
      agentId,
      account: { id: accountId },
      kind,
      poolIds: pools.map(({ id }) => id),
    })
    const account = await db().accounts.findByPk(accountId, { transaction: tx })
    if (!request.success || account === null) {
      await addAgentEvent(tx, agentId, 'robot', `${name} could not be registered: its account or its name is none`)
      continue
    }
    taken.add(name.toLowerCase())
    await addRobotIn(tx, actorOf(key, agent), request.data)
  }
}

async function freeName(tx: Tx, wanted: string): Promise<string> {
  // In forecasts “robot …” is what a robot's place is called.
  const base = wanted.slice(0, 70).replace(/^robot /, 'robot-')
  const taken = new Set(
    (await many<{ name: string }>(tx, 'SELECT name FROM agents WHERE name LIKE $1', [`${likeText(base)}%`])).map(
      (row) => row.name,
    ),
  )
  for (let n = 1; ; n++) {
    const name = n === 1 ? base : `${base}-${n}`
    if (!taken.has(name)) return name
  }
}

/** A person's answer for a machine that is known already. */
export async function answerEnrolment(actor: Actor, id: number, answer: 'replace' | 'add' | 'refuse'): Promise<void> {
  requireRight(actor, 'administer')
  await transaction(async (tx) => {
    const done = await execute(
      tx,
      `UPDATE enrolments SET state = CASE WHEN $2 = 'refuse' THEN 'refused' ELSE 'granted' END,
              existing_agent_id = CASE WHEN $2 = 'add' THEN NULL ELSE existing_agent_id END
        WHERE id = $1 AND state = 'asking'`,
      [id, answer],
    )
    if (done === 0) throw new Problem('not-now', 'This enrolment is not waiting for an answer any more.')
    await record(tx, actor, 'answered', { type: 'enrolment', id, title: `enrolment ${id}` }, { answer })
    await notify(tx, { fleet: true })
  })
}

/** The agent asks what was answered. Once granted it gets its credential, this once: whoever learns of the poll later gets nothing by it. */
export async function pollEnrolment(poll: string, gateway: string): Promise<EnrolAnswer> {
  return transaction(async (tx) => {
    const row = await maybeOne<{
      id: number
      state: string
      facts: AgentFacts
      existingId: number | null
      agentId: number | null
      keyId: number
      isFetched: boolean
    }>(
      tx,
      `SELECT id, state, facts, existing_agent_id AS "existingId", agent_id AS "agentId", key_id AS "keyId",
              fetched_at IS NOT NULL AS "isFetched" FROM enrolments WHERE poll_hash = $1 AND created_at > now() - interval '1 day' FOR UPDATE`,
      [hashToken(poll)],
    )
    if (!row) throw new Problem('not-found', 'This enrolment is unknown or too old. Start again with a new key.')
    if (row.state === 'asking') return { state: 'asking', poll, message: 'Waiting for an administrator’s answer.' }
    if (row.state === 'refused') return { state: 'refused', message: 'An administrator refused this enrolment.' }
    if (row.isFetched)
      throw new Problem(
        'not-found',
        'The credential of this enrolment was fetched already. Start again with a new key.',
      )
    const key = await one<KeyRow>(
      tx,
      'SELECT id, labels, pool_ids AS "poolIds", slots, created_by AS "createdBy", robots FROM enrolment_keys WHERE id = $1',
      [row.keyId],
    )
    const again = row.agentId ?? row.existingId
    const agent = await grant(tx, row.id, key, row.facts, again, undefined, false)
    await notify(tx, { fleet: true, deliver: true })
    return { state: 'granted', gateway, ...agent }
  })
}

/** Where agents that enrol at this host find a gateway. */
export function gatewayFor({ host, isHttps }: { readonly host: string; readonly isHttps: boolean }): string {
  const name = host.replace(/:\d+$/, '')
  const scheme = isHttps || config().tls !== null ? 'wss' : 'ws'
  return config().gatewayUrls[0] ?? `${scheme}://${name}:${config().gatewayPort}/agent`
}
