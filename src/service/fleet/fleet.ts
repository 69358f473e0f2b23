import { z } from 'zod'
import { titleSchema } from '@/core/schema/text'
import { ACTION_KINDS, labelsSchema, slugSchema } from '@/core/work/job'
import { AGENT_VERSION } from '@/agent/protocol'
import { compareVersions } from '@/core/dispatch'
import { config } from '@/store/config'
import { db, execute, many, maybeOne, sqlState, transaction, UNIQUE_VIOLATION, type Tx } from '@/store/db'
import { notify } from '@/store/listen'
import { requireRight, type Actor } from '@/service/base/actor'
import { difference, record } from '@/service/base/audit'
import { invalid, notFound, Problem } from '@/service/base/problem'

const AGENT_STATES = ['ready', 'busy', 'draining', 'off', 'away', 'revoked'] as const
type AgentStateWord = (typeof AGENT_STATES)[number]

export const agentFilterSchema = z.strictObject({
  text: z.string().max(100).optional(),
  state: z.enum(AGENT_STATES).optional(),
  pool: z.string().max(64).optional(),
  label: z.string().max(130).optional(),
  version: z.string().max(40).optional(),
})
export const agentChangeSchema = z
  .strictObject({ active: z.boolean(), draining: z.boolean(), slots: z.int().min(1).max(1024), labels: labelsSchema })
  .partial()
export const poolSchema = z.strictObject({
  name: slugSchema,
  title: titleSchema('A pool needs a title.', 80),
})
export const poolChangeSchema = z.strictObject({ active: z.boolean() })
export const membershipSchema = z
  .strictObject({
    /** Whose: an agent's or a robot's. */
    agentId: z.int().positive().optional(),
    robotId: z.int().positive().optional(),
    member: z.boolean(),
    active: z.boolean().default(true),
  })
  .refine(({ agentId, robotId }) => (agentId === undefined) !== (robotId === undefined), {
    path: ['agentId'],
    message: 'Say whose membership: an agent’s or a robot’s.',
  })

export interface AgentRow {
  readonly id: number
  readonly name: string
  readonly host: string
  readonly system: string
  readonly arch: string
  readonly version: string
  readonly runtime: string
  readonly labels: Record<string, string>
  readonly abilities: string[]
  /** Kinds of work that it does not carry out: its machine’s owner denies them, or it is older than they are. */
  readonly denies: readonly string[]
  readonly slots: number
  readonly used: number
  readonly active: boolean
  readonly draining: boolean
  /** Since when its disk is full and it takes nothing new; null: it has room. */
  readonly fullSince: string | null
  readonly isSimulated: boolean
  readonly state: AgentStateWord
  readonly lastContactAt: string | null
  readonly enrolledAt: string
  readonly load: number | null
  readonly pools: { name: string; active: boolean }[]
  readonly isOutdated: boolean
  /** The relay that passes on what it says, and the port at which it is a relay itself; null: none, it is none. */
  readonly through: string | null
  readonly relayPort: string | null
}

const AGENT_SELECT = `
  SELECT a.id, a.name, a.host, a.system, a.arch, a.version, a.runtime, a.labels, a.abilities, a.slots, a.active, a.draining, c.full_since AS "fullSince",
         a.is_simulated AS "isSimulated", a.enrolled_at AS "enrolledAt", c.last_contact_at AS "lastContactAt", c.load,
         c.line ->> 'through' AS through, c.line #>> '{relay,port}' AS "relayPort",
         coalesce(r.used, 0)::int AS used,
         coalesce((SELECT jsonb_agg(jsonb_build_object('name', p.name, 'active', m.active) ORDER BY p.name)
                     FROM pool_members m JOIN pools p ON p.id = m.pool_id WHERE m.agent_id = a.id), '[]') AS pools,
         CASE WHEN a.credential_hash IS NULL THEN 'revoked'
              WHEN c.last_contact_at IS NULL OR c.last_contact_at < now() - make_interval(secs => $1) THEN 'away'
              WHEN NOT a.active THEN 'off'
              WHEN a.draining THEN 'draining'
              WHEN coalesce(r.used, 0) > 0 THEN 'busy' ELSE 'ready' END AS state
    FROM agents a
    LEFT JOIN agent_contacts c ON c.agent_id = a.id
    LEFT JOIN (SELECT agent_id, sum(slots) AS used FROM runs WHERE state = 'running' GROUP BY agent_id) r ON r.agent_id = a.id`

/** Every agent that fits, by name. A fleet is at most some thousands of agents, so the list is whole. */
export async function listAgents(actor: Actor, filter: z.output<typeof agentFilterSchema> = {}): Promise<AgentRow[]> {
  requireRight(actor, 'see')
  const rows = await many<StoredAgent>(null, `${AGENT_SELECT} ORDER BY a.name`, [config().awaySeconds])
  const [labelName, labelValue] = filter.label?.split('=') ?? []
  const text = filter.text?.toLowerCase()
  return rows
    .map(withVersionMark)
    .filter(
      (agent) =>
        (!filter.state || agent.state === filter.state) &&
        (!filter.pool || agent.pools.some((pool) => pool.name === filter.pool)) &&
        (!labelName || (labelName in agent.labels && (!labelValue || agent.labels[labelName] === labelValue))) &&
        (!filter.version || agent.version === filter.version) &&
        (!text || `${agent.name} ${agent.host} ${agent.system}`.toLowerCase().includes(text)),
    )
}

export async function oneAgent(actor: Actor, id: number): Promise<AgentRow> {
  requireRight(actor, 'see')
  const row = await maybeOne<StoredAgent>(null, `${AGENT_SELECT} WHERE a.id = $2`, [config().awaySeconds, id])
  if (!row) throw notFound('agent', id)
  return withVersionMark(row)
}

type StoredAgent = Omit<AgentRow, 'isOutdated' | 'denies'>

function withVersionMark(row: StoredAgent): AgentRow {
  const isOutdated = compareVersions(row.version, AGENT_VERSION) < 0
  // Of one that has never called nothing is known.
  const denies = row.abilities.length === 0 ? [] : ACTION_KINDS.filter((kind) => !row.abilities.includes(kind))
  return { ...row, isOutdated, denies }
}

export interface AgentEvent {
  readonly id: number
  readonly at: string
  readonly kind: string
  readonly detail: string
  /** How often it happened within minutes, and when first; null: once. */
  readonly times: number
  readonly firstAt: string | null
}

export async function agentEvents(actor: Actor, id: number): Promise<AgentEvent[]> {
  requireRight(actor, 'see')
  return many(
    null,
    `SELECT id, at, kind, detail, times, first_at AS "firstAt" FROM agent_events WHERE agent_id = $1 ORDER BY at DESC, id DESC LIMIT 100`,
    [id],
  )
}

export interface RefusedRow {
  readonly runId: number | null
  readonly kind: 'stale' | 'unstorable' | 'superseded'
  readonly reason: string
  readonly times: number
  readonly firstAt: string
  readonly lastAt: string
}

/** What this agent said that was not taken: of leases that were not its own any more, what could not be stored, and what came over a connection that was replaced. */
export async function refusedReports(actor: Actor, id: number): Promise<RefusedRow[]> {
  requireRight(actor, 'see')
  return many<RefusedRow>(
    null,
    `SELECT a.run_id AS "runId", k.kind, k.reason, k.times, k.first_at AS "firstAt", k.last_at AS "lastAt"
       FROM refused_reports k LEFT JOIN attempts a ON a.id = k.attempt_id WHERE k.agent_id = $1 ORDER BY k.last_at DESC LIMIT 50`,
    [id],
  )
}

const BUSY_STRETCHES = { hour: [12, 300], day: [48, 1800], week: [84, 7200] } as const
export type BusyStretch = keyof typeof BUSY_STRETCHES

/** Share of an agent's slots in use over the last hour, day or week: `[instant, 0…1]` for each bucket, oldest first. */
export async function agentBusy(
  actor: Actor,
  id: number,
  stretch: BusyStretch,
): Promise<{ at: string; share: number }[]> {
  requireRight(actor, 'see')
  const [buckets, seconds] = BUSY_STRETCHES[stretch]
  return many(
    null,
    `SELECT b.at, least(1, coalesce(sum(s.busy_ms), 0) / (1000.0 * $3 * (SELECT slots FROM agents WHERE id = $1)))::float AS share
       FROM generate_series(date_bin(make_interval(secs => $3), now(), 'epoch') - make_interval(secs => $3 * ($2 - 1)),
                            now(), make_interval(secs => $3)) AS b(at)
       LEFT JOIN load_samples s ON s.agent_id = $1 AND s.at >= b.at AND s.at < b.at + make_interval(secs => $3)
      GROUP BY b.at ORDER BY b.at`,
    [id, buckets, seconds],
  )
}

/** The same kind of event within this time is one row with a count, told with its newest detail: an agent that comes and goes makes no rows without end. */
const SAME_EVENT_MINUTES = 10

export async function addAgentEvent(tx: Tx | null, agentId: number, kind: string, detail = ''): Promise<void> {
  const again = await execute(
    tx,
    `UPDATE agent_events SET times = times + 1, first_at = coalesce(first_at, at), at = now(), detail = $3
      WHERE id = (SELECT id FROM agent_events WHERE agent_id = $1 AND kind = $2 ORDER BY id DESC LIMIT 1) AND at > now() - make_interval(mins => $4)`,
    [agentId, kind, detail, SAME_EVENT_MINUTES],
  )
  if (again === 0) await db().agentEvents.create({ agentId, kind, detail }, { transaction: tx })
}

/** Switch off and on, change slots and labels, for who administers; drain and take work again, for who operates. */
export async function changeAgent(actor: Actor, id: number, change: z.output<typeof agentChangeSchema>): Promise<void> {
  const onlyDrains = Object.entries(change).every(([key, value]) => key === 'draining' || value === undefined)
  requireRight(actor, onlyDrains ? 'operate' : 'administer')
  await transaction(async (tx) => {
    const agent = await db().agents.findByPk(id, { transaction: tx, lock: true })
    if (!agent) throw notFound('agent', id)
    const before = { active: agent.active, draining: agent.draining, slots: agent.slots, labels: agent.labels }
    const defined = Object.fromEntries(Object.entries(change).filter(([, value]) => value !== undefined))
    await agent.update(defined, { transaction: tx })
    const changes = difference(before, defined)
    for (const [key, { to }] of Object.entries(changes))
      await addAgentEvent(tx, id, `${key} changed`, `${JSON.stringify(to)} by ${actor.name}`)
    await record(tx, actor, 'changed', { type: 'agent', id, title: agent.name }, changes)
    await notify(tx, { fleet: true, place: true, deliver: true })
  })
}

/** Takes the credential away: the agent is cut off and can never connect with it again. Its runs are lost when their lease runs out. */
export async function revokeAgent(actor: Actor, id: number): Promise<void> {
  requireRight(actor, 'administer')
  await transaction(async (tx) => {
    const agent = await db().agents.findByPk(id, { transaction: tx, lock: true })
    if (!agent) throw notFound('agent', id)
    if (agent.credentialHash === null) throw new Problem('not-now', 'This agent’s credential is revoked already.')
    await agent.update({ credentialHash: null }, { transaction: tx })
    await addAgentEvent(tx, id, 'revoked', `by ${actor.name}`)
    await record(tx, actor, 'revoked', { type: 'agent', id, title: agent.name })
    await notify(tx, { fleet: true, place: true, deliver: true })
  })
}

export interface PoolRow {
  readonly id: number
  readonly name: string
  readonly title: string
  readonly active: boolean
  readonly members: { agentId: number; name: string; active: boolean }[]
  readonly robots: { robotId: number; name: string; active: boolean }[]
  readonly slots: number
  /** All but one member is switched off; null: not so. `until` null: for good. */
  readonly steer: { readonly onto: string; readonly by: string; readonly until: string | null } | null
}

export async function listPools(actor: Actor): Promise<PoolRow[]> {
  requireRight(actor, 'see')
  return many<PoolRow>(
    null,
    `SELECT p.id, p.name, p.title, p.active, coalesce(sum(a.slots) FILTER (WHERE m.active), 0)::int AS slots,
            coalesce(jsonb_agg(jsonb_build_object('agentId', a.id, 'name', a.name, 'active', m.active) ORDER BY a.name)
                     FILTER (WHERE a.id IS NOT NULL), '[]') AS members,
            coalesce((SELECT jsonb_agg(jsonb_build_object('robotId', b.id, 'name', b.name, 'active', x.active) ORDER BY b.name)
                        FROM robot_pools x JOIN robots b ON b.id = x.robot_id AND b.removed_at IS NULL WHERE x.pool_id = p.id), '[]') AS robots,
            (SELECT jsonb_build_object('onto', s.onto, 'by', s.steered_by, 'until', s.until) FROM pool_steers s WHERE s.pool_id = p.id) AS steer
       FROM pools p LEFT JOIN pool_members m ON m.pool_id = p.id LEFT JOIN agents a ON a.id = m.agent_id
      GROUP BY p.id ORDER BY p.name`,
  )
}

export async function addPool(actor: Actor, pool: z.output<typeof poolSchema>): Promise<{ id: number }> {
  return transaction((tx) => addPoolIn(tx, actor, pool))
}

export async function addPoolIn(tx: Tx, actor: Actor, pool: z.output<typeof poolSchema>): Promise<{ id: number }> {
  requireRight(actor, 'administer')
  try {
    const { id } = await db().pools.create(pool, { transaction: tx })
    await record(tx, actor, 'added', { type: 'pool', id, title: pool.title }, pool)
    await notify(tx, { fleet: true })
    return { id }
  } catch (error) {
    if (sqlState(error) === UNIQUE_VIOLATION) throw invalid('name', `There is a pool called ${pool.name} already.`)
    throw error
  }
}

/** Switches a pool off or on: work for it waits, whichever agents it has. */
export async function changePool(
  actor: Actor,
  id: number,
  { active }: z.output<typeof poolChangeSchema>,
): Promise<void> {
  requireRight(actor, 'administer')
  await transaction(async (tx) => {
    const pool = await db().pools.findByPk(id, { transaction: tx, lock: true })
    if (!pool) throw notFound('pool', id)
    const before = { active: pool.active }
    await pool.update({ active }, { transaction: tx })
    await record(tx, actor, 'changed', { type: 'pool', id, title: pool.title }, difference(before, { active }))
    await notify(tx, { fleet: true, place: true })
  })
}

/** Puts an agent into a pool, takes it out, or switches its membership off and on. */
export async function setMembership(
  actor: Actor,
  poolId: number,
  request: z.output<typeof membershipSchema>,
): Promise<void> {
  requireRight(actor, 'administer')
  await transaction(async (tx) => {
    const pool = await db().pools.findByPk(poolId, { transaction: tx })
    if (!pool) throw notFound('pool', poolId)
    const said = request.member ? (request.active ? 'in' : 'switched off in') : 'taken out of'
    const who =
      request.robotId === undefined ? await setAgentIn(tx, poolId, request) : await setRobotIn(tx, poolId, request)
    await addAgentEvent(
      tx,
      who.agentId,
      `pool ${pool.name}`,
      `${'robot' in who ? `${who.robot} ` : ''}${said} it by ${actor.name}`,
    )
    const { agentId: _, ...named } = who
    await record(tx, actor, 'changed', { type: 'pool', id: poolId, title: pool.title }, { ...named, is: said })
    await notify(tx, { fleet: true, place: true })
  })
}

type Membership = z.output<typeof membershipSchema>

async function setAgentIn(
  tx: Tx,
  poolId: number,
  { agentId, member, active }: Membership,
): Promise<{ agentId: number; agent: string }> {
  const agent = await db().agents.findByPk(agentId, { transaction: tx })
  if (!agent) throw invalid('agentId', `There is no agent ${agentId}.`)
  if (member)
    await execute(
      tx,
      `INSERT INTO pool_members VALUES ($1, $2, $3) ON CONFLICT (pool_id, agent_id) DO UPDATE SET active = $3`,
      [poolId, agent.id, active],
    )
  else await execute(tx, 'DELETE FROM pool_members WHERE pool_id = $1 AND agent_id = $2', [poolId, agent.id])
  return { agentId: agent.id, agent: agent.name }
}

async function setRobotIn(
  tx: Tx,
  poolId: number,
  { robotId, member, active }: Membership,
): Promise<{ agentId: number; robot: string }> {
  const robot = await db().robots.findOne({ where: { id: robotId as number, removedAt: null }, transaction: tx })
  if (!robot) throw invalid('robotId', `There is no robot ${robotId}.`)
  if (member)
    await execute(
      tx,
      `INSERT INTO robot_pools VALUES ($1, $2, $3) ON CONFLICT (pool_id, robot_id) DO UPDATE SET active = $3`,
      [poolId, robot.id, active],
    )
  else await execute(tx, 'DELETE FROM robot_pools WHERE pool_id = $1 AND robot_id = $2', [poolId, robot.id])
  return { agentId: robot.agentId, robot: robot.name }
}
