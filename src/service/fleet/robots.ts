import { z } from 'zod'
import { hoursWords } from '@/core/fleet/hours'
import { ROBOT_STATES, type RobotState } from '@/core/fleet/robot-state'
import { labelsSchema, robotNameSchema, slugSchema } from '@/core/work/job'
import { db, execute, many, maybeOne, sqlState, transaction, UNIQUE_VIOLATION, type Tx } from '@/store/db'
import { notify } from '@/store/listen'
import { beyondWalls } from '@/store/walls'
import { requireRight, type Actor } from '@/service/base/actor'
import { difference, record } from '@/service/base/audit'
import { invalid, notFound, Problem, type FieldFault } from '@/service/base/problem'
import { timingState } from '@/service/base/timing-cache'
import { accountSchema, addAccountIn } from './accounts'
import { requireRobotAllowed } from './allowances'
import { addAgentEvent } from './fleet'
import { readRobots, robotsNow, type RobotFacts, type RobotNow } from './robot-facts'
import { askForTries } from './sign-ins'

const timeSchema = z.string().regex(/^([01]\d|2[0-3]):[0-5]\d$/, 'A time of the day reads like 07:30.')

/** When it may work, what it belongs to, what is said of it. */
const terms = {
  kind: z.enum(['attended', 'unattended']),
  earliest: timeSchema.nullable(),
  latest: timeSchema.nullable(),
  /** Name of a calendar: only on its days; null: every day. */
  calendar: slugSchema.nullable(),
  labels: labelsSchema,
  poolIds: z.array(z.int().positive()).max(50),
  notes: z.string().max(2000),
  /** Of an attended one, who sits at it: what they may, they may start from there. */
  personId: z.int().positive().nullable(),
}

export const robotSchema = z.strictObject({
  name: robotNameSchema,
  agentId: z.int().positive('Choose the agent on whose machine it works.'),
  /** An account that there is, or a new one. */
  account: z.union([
    z.strictObject({ id: z.int().positive() }),
    accountSchema.pick({ name: true, userName: true, secret: true, goodUntil: true }),
  ]),
  kind: terms.kind.default('unattended'),
  earliest: terms.earliest.default(null),
  latest: terms.latest.default(null),
  calendar: terms.calendar.default(null),
  labels: terms.labels.default({}),
  poolIds: terms.poolIds.default([]),
  notes: terms.notes.default(''),
  personId: terms.personId.default(null),
})
export const robotChangeSchema = z
  .strictObject({ ...terms, name: robotNameSchema, accountId: z.int().positive(), active: z.boolean() })
  .partial()
export const robotFilterSchema = z.strictObject({
  text: z.string().max(100).optional(),
  state: z.enum(Object.keys(ROBOT_STATES) as [RobotState, ...RobotState[]]).optional(),
  kind: terms.kind.optional(),
  agent: z.string().max(80).optional(),
  account: z.string().max(64).optional(),
  pool: z.string().max(64).optional(),
  label: z.string().max(130).optional(),
})

export interface RobotRow {
  readonly id: number
  readonly name: string
  readonly kind: 'attended' | 'unattended'
  readonly agentId: number
  readonly agent: string
  readonly host: string
  readonly accountId: number
  readonly account: string
  readonly userName: string
  readonly state: RobotState
  readonly since: Date | null
  /** What keeps it from work, in words that go on from its name; null: nothing but what its state says. */
  readonly why: string | null
  /** The run that it carries out; null: none, or one that this person may not see. */
  readonly runId: number | null
  readonly active: boolean
  readonly earliest: string | null
  readonly latest: string | null
  readonly calendar: string | null
  readonly hours: string
  readonly labels: Readonly<Record<string, string>>
  readonly pools: readonly { readonly name: string; readonly active: boolean }[]
  readonly notes: string
  readonly registeredBy: string
  readonly registeredAt: Date
  readonly lastStartAt: Date | null
  readonly isTrying: boolean
  readonly triedAt: Date | null
  readonly tryFault: string | null
  readonly goodUntil: Date | null
  /** Who sits at it; null: nobody in particular. */
  readonly personId: number | null
  readonly person: string | null
  /** Since when its desk program is open; null: nobody is there. */
  readonly deskSince: Date | null
}

/** Every robot that fits, by name. There are at most some thousands, so the list is whole. */
export async function listRobots(actor: Actor, filter: z.output<typeof robotFilterSchema> = {}): Promise<RobotRow[]> {
  requireRight(actor, 'see')
  const text = filter.text?.toLowerCase()
  const [labelName, labelValue] = filter.label?.split('=') ?? []
  return (await rows(null)).filter(
    (robot) =>
      (!filter.state || robot.state === filter.state) &&
      (!filter.kind || robot.kind === filter.kind) &&
      (!filter.agent || robot.agent === filter.agent) &&
      (!filter.account || robot.account === filter.account) &&
      (!filter.pool || robot.pools.some(({ name }) => name === filter.pool)) &&
      (!labelName || (labelName in robot.labels && (!labelValue || robot.labels[labelName] === labelValue))) &&
      (!text ||
        `${robot.name} ${robot.agent} ${robot.host} ${robot.account} ${robot.userName}`.toLowerCase().includes(text)),
  )
}

export async function oneRobot(actor: Actor, id: number): Promise<RobotRow> {
  requireRight(actor, 'see')
  const [row] = await rows(id)
  if (!row) throw notFound('robot', id)
  return row
}

/** What a robot is does not hang on who looks; which run it has does. */
async function rows(id: number | null): Promise<RobotRow[]> {
  const all = await beyondWalls(async () => {
    const facts = await readRobots(id)
    const now = await robotsNow(facts, Date.now())
    return facts.map((one, i) => ({ one, now: now[i] as RobotNow }))
  })
  const runIds = all.flatMap(({ one }) => one.runId ?? [])
  const seen = new Set(
    runIds.length === 0
      ? []
      : (await many<{ id: number }>(null, 'SELECT id FROM runs WHERE id = ANY($1)', [runIds])).map((run) => run.id),
  )
  return all.map(({ one, now }) => rowOf(one, now, one.runId !== null && seen.has(one.runId) ? one.runId : null))
}

function rowOf(one: RobotFacts, { state, since, outOfHours, accountFault }: RobotNow, runId: number | null): RobotRow {
  const { active, isAgentOn, agent, connected, draining } = one
  const why =
    state === 'off'
      ? active && !isAgentOn
        ? `works on ${agent}, which is switched off`
        : null
      : state === 'away'
        ? `works on ${agent}, which is out of reach`
        : state === 'out-of-hours'
          ? outOfHours
          : state === 'account'
            ? accountFault
            : connected && draining
              ? `works on ${agent}, which is draining`
              : null
  const { id, name, kind, agentId, host, accountId, account, userName, earliest, latest, calendar, labels, notes } = one
  const { registeredBy, registeredAt, lastStartAt, isTrying, triedAt, tryFault, goodUntil, personId, person } = one
  return {
    ...{ id, name, kind, agentId, agent, host, accountId, account, userName, state, since, why, runId, active },
    ...{ earliest, latest, calendar, hours: hoursWords(one), labels, notes, registeredBy, registeredAt, lastStartAt },
    ...{ isTrying, triedAt, tryFault, goodUntil, personId, person },
    deskSince: connected ? one.deskSince : null,
    pools: one.pools.map((pool) => ({ name: pool.name, active: pool.active })),
  }
}

const isTaken = (error: unknown, name: string): unknown =>
  sqlState(error) === UNIQUE_VIOLATION ? invalid('name', `There is a robot called ${name} already.`) : error

export async function addRobot(actor: Actor, request: z.output<typeof robotSchema>): Promise<{ id: number }> {
  requireRight(actor, 'administer')
  try {
    return await transaction((tx) => addRobotIn(tx, actor, request))
  } catch (error) {
    throw isTaken(error, request.name)
  }
}

/** Registers it: its account may be used on its machine from then on, and is tried there as soon as its agent can be reached. */
export async function addRobotIn(tx: Tx, actor: Actor, request: z.output<typeof robotSchema>): Promise<{ id: number }> {
  requireRight(actor, 'administer')
  const { account, poolIds, ...facts } = request
  const agent = await maybeOne<{ name: string; revoked: boolean }>(
    tx,
    'SELECT name, credential_hash IS NULL AS revoked FROM agents WHERE id = $1 FOR KEY SHARE',
    [facts.agentId],
  )
  if (!agent) throw invalid('agentId', `There is no agent ${facts.agentId}.`)
  if (agent.revoked) throw invalid('agentId', `The credential of ${agent.name} is revoked: nothing can work there.`)
  await requireTerms(tx, { calendar: facts.calendar, poolIds, personId: facts.personId })
  await requireRobotAllowed(tx, facts.kind)
  const accountId =
    'id' in account
      ? await lockAccount(tx, account.id)
      : (await addAccountIn(tx, actor, accountSchema.parse({ ...account, agentIds: [facts.agentId] }))).id
  await permit(tx, accountId, facts.agentId)
  const { id } = await db().robots.create({ ...facts, accountId, registeredBy: actor.name }, { transaction: tx })
  await setPools(tx, id, poolIds)
  await askForTries(tx, [id])
  await addAgentEvent(tx, facts.agentId, 'robot', `${facts.name} registered by ${actor.name}`)
  await record(tx, actor, 'registered', { type: 'robot', id, title: facts.name }, { ...facts, accountId, poolIds })
  await notify(tx, { fleet: true, place: true })
  return { id }
}

async function lockAccount(tx: Tx, id: number): Promise<number> {
  if (!(await maybeOne(tx, 'SELECT id FROM accounts WHERE id = $1 FOR KEY SHARE', [id])))
    throw invalid('account', `There is no account ${id}.`)
  return id
}

/** A robot is an account of a machine: whoever registers it lets the account be used there. */
const permit = (tx: Tx, accountId: number, agentId: number): Promise<number> =>
  execute(
    tx,
    'INSERT INTO account_agents SELECT $1, $2 WHERE NOT EXISTS (SELECT FROM accounts WHERE id = $1 AND everywhere) ON CONFLICT DO NOTHING',
    [accountId, agentId],
  )

async function requireTerms(
  tx: Tx,
  {
    calendar,
    poolIds,
    personId,
  }: {
    calendar?: string | null | undefined
    poolIds?: readonly number[] | undefined
    personId?: number | null | undefined
  },
): Promise<void> {
  const faults: FieldFault[] = []
  if (calendar && !(await timingState(tx)).stored.some(({ slug }) => slug === calendar))
    faults.push({ path: 'calendar', message: `There is no calendar ${calendar}.` })
  if (personId && !(await maybeOne(tx, 'SELECT id FROM people WHERE id = $1 AND active', [personId])))
    faults.push({ path: 'personId', message: `There is no person ${personId}.` })
  const known = new Set(
    (await many<{ id: number }>(tx, 'SELECT id FROM pools WHERE id = ANY($1)', [poolIds ?? []])).map(({ id }) => id),
  )
  for (const [i, id] of (poolIds ?? []).entries())
    if (!known.has(id)) faults.push({ path: `poolIds[${i}]`, message: `There is no pool ${id}.` })
  if (faults.length > 0) throw new Problem('invalid-input', faults[0]?.message ?? '', faults)
}

/** Those that it stays in keep their switch. */
async function setPools(tx: Tx, id: number, poolIds: readonly number[]): Promise<void> {
  await execute(tx, 'DELETE FROM robot_pools WHERE robot_id = $1 AND NOT pool_id = ANY($2)', [id, poolIds])
  await execute(
    tx,
    'INSERT INTO robot_pools (pool_id, robot_id) SELECT id, $1 FROM pools WHERE id = ANY($2) ON CONFLICT DO NOTHING',
    [id, poolIds],
  )
}

type RobotChange = z.output<typeof robotChangeSchema>

const requireChange = (actor: Actor, change: RobotChange): void =>
  requireRight(
    actor,
    Object.entries(change).every(([key, value]) => key === 'active' || value === undefined) ? 'operate' : 'administer',
  )

/** Switch it off and on for who operates; all else for who administers. What it does now it does to its end. */
export async function changeRobot(actor: Actor, id: number, change: RobotChange): Promise<void> {
  requireChange(actor, change)
  try {
    await transaction((tx) => changeRobotIn(tx, actor, id, change))
  } catch (error) {
    throw isTaken(error, change.name ?? '')
  }
}

export async function changeRobotIn(tx: Tx, actor: Actor, id: number, change: RobotChange): Promise<void> {
  requireChange(actor, change)
  const asked = Object.entries(change).filter(([, value]) => value !== undefined)
  const robot = await db().robots.findOne({ where: { id, removedAt: null }, transaction: tx, lock: true })
  if (!robot) throw notFound('robot', id)
  const { poolIds, accountId, calendar, active, personId } = change
  if (change.name !== undefined && change.name !== robot.name) await requireNotMeant(tx, robot.name)
  const facts = Object.fromEntries(asked.filter(([key]) => key !== 'poolIds' && key !== 'accountId'))
  await requireTerms(tx, { calendar, poolIds, personId })
  if (change.kind !== undefined && change.kind !== robot.kind) await requireRobotAllowed(tx, change.kind)
  const pools = await many<{ id: number }>(tx, 'SELECT pool_id AS id FROM robot_pools WHERE robot_id = $1 ORDER BY 1', [
    id,
  ])
  const before = { ...robot.get({ plain: true }), poolIds: pools.map((pool) => pool.id) }
  const isSwitched = active !== undefined && active !== robot.active
  await robot.update({ ...facts, ...(isSwitched ? { activeAt: new Date() } : {}) }, { transaction: tx })
  if (accountId !== undefined && accountId !== robot.accountId) {
    await lockAccount(tx, accountId)
    await permit(tx, accountId, robot.agentId)
    await robot.update({ accountId, triedAt: null, tryFault: null }, { transaction: tx })
    await askForTries(tx, [id])
  }
  if (poolIds) await setPools(tx, id, poolIds)
  const sorted = poolIds ? { poolIds: [...poolIds].sort((a, b) => a - b) } : {}
  await record(
    tx,
    actor,
    'changed',
    { type: 'robot', id, title: robot.name },
    difference(before, { ...facts, ...(accountId === undefined ? {} : { accountId }), ...sorted }),
  )
  await notify(tx, { fleet: true, place: true })
}

/** Work that names a robot would wait for it for ever if the name went. */
async function requireNotMeant(tx: Tx, name: string): Promise<void> {
  const job = await maybeOne<{ title: string }>(
    tx,
    `SELECT j.title FROM jobs j JOIN job_versions v ON v.job_id = j.id AND v.version = j.version
      WHERE j.deleted_at IS NULL AND v.definition->'target'->>'robot' = $1 ORDER BY j.title LIMIT 1`,
    [name],
  )
  if (job) throw new Problem('not-now', `The job ${job.title} is meant for it alone. Give that another robot first.`)
  const run = await maybeOne<{ id: number }>(
    tx,
    `SELECT id FROM runs WHERE state IN ('waiting','ready') AND target->>'robot' = $1 ORDER BY id LIMIT 1`,
    [name],
  )
  if (run) throw new Problem('not-now', `#${run.id} waits for it. Let that run first, or cancel it.`)
}

/** Only one that does nothing now and that no work names; what it did stays told. */
export async function removeRobot(actor: Actor, id: number): Promise<void> {
  requireRight(actor, 'administer')
  await transaction(async (tx) => {
    const robot = await db().robots.findOne({ where: { id, removedAt: null }, transaction: tx, lock: true })
    if (!robot) throw notFound('robot', id)
    const busy = await maybeOne<{ id: number }>(tx, `SELECT id FROM runs WHERE robot_id = $1 AND state = 'running'`, [
      id,
    ])
    if (busy)
      throw new Problem('not-now', `It is busy with #${busy.id}. Switch it off, and remove it when that has ended.`)
    await requireNotMeant(tx, robot.name)
    await robot.update({ removedAt: new Date(), active: false, tryToken: null }, { transaction: tx })
    await execute(tx, 'DELETE FROM robot_pools WHERE robot_id = $1', [id])
    await addAgentEvent(tx, robot.agentId, 'robot', `${robot.name} removed by ${actor.name}`)
    await record(tx, actor, 'removed', { type: 'robot', id, title: robot.name })
    await notify(tx, { fleet: true, place: true })
  })
}

/** Signs in under its account on its machine, and says what came of it, as soon as its agent can be reached. */
export async function tryRobot(actor: Actor, id: number): Promise<void> {
  requireRight(actor, 'operate')
  await transaction(async (tx) => {
    const robot = await db().robots.findOne({ where: { id, removedAt: null }, transaction: tx })
    if (!robot) throw notFound('robot', id)
    await askForTries(tx, [id])
    await record(tx, actor, 'tried', { type: 'robot', id, title: robot.name })
  })
}
