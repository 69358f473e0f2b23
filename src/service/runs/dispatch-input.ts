import { z } from 'zod'
import { isRobotTarget, PRIORITIES, type AgentState, type DeskAsk, type HeldWork, type ReadyRun } from '@/core/dispatch'
import type { Allowed } from '@/core/fleet/allowance'
import { targetSchema } from '@/core/work/job'
import { config } from '@/store/config'
import { many } from '@/store/db'
import { allowancesNow, type AllowanceNow } from '@/service/fleet/allowances'
import { kindsOff } from '@/service/fleet/kinds'
import { readRobots, robotFaults } from '@/service/fleet/robot-facts'
import { failRuns } from './effects'

/** Taken for the usual length of a job of which nothing is known yet. */
export const DEFAULT_USUAL_MS = 60_000

export interface RunVersion {
  readonly id: number
  readonly version: number
}

/** Numbers and versions of all that is ready: enough to see what changed since the last look. */
export async function readyVersions(): Promise<RunVersion[]> {
  return many<RunVersion>(null, `SELECT id, version FROM runs WHERE state = 'ready' AND kind <> 'flow'`)
}

/** What dispatch needs to know of these runs. One of which what is stored cannot be read has failed, and is not among them. */
export async function readyRuns(ids: readonly number[] | null): Promise<ReadyRun[]> {
  const rows = await many<{
    number: number
    target: ReadyRun['target']
    kind: string
    slots: number
    minVersion: string | null
    priority: number
    usualMs: number | null
    readyAt: Date
    dueAt: Date | null
    chainMs: number | null
    held: boolean
    account: string | null
    locks: Record<string, number>
    active: boolean
    areaId: number
  }>(
    null,
    `SELECT r.id AS number, r.target, r.kind, r.slots, r.min_version AS "minVersion", r.priority, j.usual_ms AS "usualMs",
            r.ready_at AS "readyAt", r.due_at AS "dueAt", r.chain_ms AS "chainMs", r.held_by IS NOT NULL AS held, j.active, r.account, r.locks, r.area_id AS "areaId"
       FROM runs r JOIN jobs j ON j.id = r.job_id
      WHERE r.state = 'ready' AND r.kind <> 'flow' AND ($1::bigint[] IS NULL OR r.id = ANY($1))`,
    [ids],
  )
  const isReadable = (row: (typeof rows)[number]): boolean =>
    targetSchema.safeParse(row.target).success && lockRequestSchema.safeParse(row.locks).success
  await failRuns(
    rows
      .filter((row) => !isReadable(row))
      .map(({ number }) => ({ id: number, reason: 'What is stored of where it is to run cannot be read.' })),
  )
  const readable = rows.filter(isReadable)
  const [off, allowances] = await Promise.all([kindsOff(null), allowancesNow()])
  const desks = await asksOf(readable.flatMap(({ number, target }) => (isRobotTarget(target) ? [number] : [])))
  return readable.map((row) => {
    const usualMs = row.usualMs ?? DEFAULT_USUAL_MS
    const asked = desks.get(row.number)
    // A robot task takes its robot whole, whose account it runs under.
    const slots = isRobotTarget(row.target) ? 1 : row.slots
    const robot = asked?.desk.live?.how === 'agreed' ? 'attended' : 'unattended'
    return {
      number: row.number,
      target: row.target,
      kind: row.kind,
      slots,
      locks: withAllowances(row.locks, allowances, isRobotTarget(row.target) ? robot : 'slots', row.areaId, slots),
      account: isRobotTarget(row.target) ? null : row.account,
      minVersion: row.minVersion,
      priority: PRIORITIES[row.priority] ?? 'normal',
      dueAtMs: row.dueAt?.getTime() ?? null,
      usualMs,
      chainMs: row.chainMs ?? usualMs,
      readyAtMs: row.readyAt.getTime(),
      held: row.held,
      off: !row.active,
      ...(off[row.kind] ? { kindOff: off[row.kind]?.why ?? '' } : {}),
      ...asked,
    }
  })
}

/** What a run takes of allowances it takes as it takes locks, after those. */
function withAllowances(
  locks: Readonly<Record<string, number>>,
  allowances: readonly AllowanceNow[],
  what: Allowed,
  areaId: number,
  units: number,
): Readonly<Record<string, number>> {
  const mine = allowances.filter((one) => one.what === what && (one.areaIds?.includes(areaId) ?? true))
  return mine.length === 0 ? locks : { ...locks, ...Object.fromEntries(mine.map(({ lock }) => [lock, units])) }
}

/** How an answer that was none is told, after the robot's name. */
const ANSWERS = { no: 'the person at it said no', late: 'the person at it gave no answer' } as const

/** Who is, and was, asked about the attempt that each of these runs would be. */
async function asksOf(runIds: readonly number[]): Promise<Map<number, { desk: DeskAsk }>> {
  if (runIds.length === 0) return new Map()
  const rows = await many<{
    run: number
    robot: string
    state: 'asked' | 'later' | 'agreed' | 'no' | 'late'
    at: Date
  }>(
    null,
    `SELECT k.run_id AS run, b.name AS robot, k.state, k.at FROM desk_asks k JOIN runs r ON r.id = k.run_id AND k.attempt = r.attempts + 1 JOIN robots b ON b.id = k.robot_id
      WHERE k.run_id = ANY($1) AND k.state <> 'over' ORDER BY k.id`,
    [runIds],
  )
  const found = new Map<number, { desk: { live: DeskAsk['live']; answers: Record<string, string> } }>()
  for (const { run, robot, state, at } of rows) {
    const { desk } = found.get(run) ?? { desk: { live: null, answers: {} } }
    found.set(run, { desk })
    if (state === 'no' || state === 'late') desk.answers[robot] = ANSWERS[state]
    else desk.live = { robot, how: state, atMs: at.getTime() }
  }
  return found
}

const lockRequestSchema = z.record(z.string(), z.int().min(1))
const isRecord = (value: unknown): value is Record<string, string> =>
  typeof value === 'object' && value !== null && !Array.isArray(value)

/** A place on the board: an agent, or a robot on an agent's machine. */
export interface FleetRow extends Omit<AgentState, 'running'> {
  /** Of the agent. */
  readonly id: number
  readonly robotId: number | null
}

/**
 * The fleet as dispatch sees it. `connected` means: heard of within the time after which an agent counts as away. Read at each placing, so in plain joins: one
 * statement with a list of lists in it takes PostgreSQL a hundred times as long.
 */
export async function fleetForDispatch(): Promise<FleetRow[]> {
  const [agents, robots] = await Promise.all([agentsForDispatch(), robotsForDispatch()])
  return [...agents, ...robots]
}

async function agentsForDispatch(): Promise<FleetRow[]> {
  const [agents, memberships, permits] = await Promise.all([
    many<Omit<FleetRow, 'robot' | 'robotId' | 'lastStartAtMs' | 'pools' | 'accounts'> & { lastStartAt: Date | null }>(
      null,
      `SELECT a.id, a.name, a.slots, a.active AS on, a.draining, c.full_since IS NOT NULL AS full, a.labels, a.version, a.abilities, c.last_start_at AS "lastStartAt",
              a.credential_hash IS NOT NULL AND c.engine_id IS NOT NULL
                AND c.last_contact_at > now() - make_interval(secs => $1) AS connected
         FROM agents a JOIN agent_contacts c ON c.agent_id = a.id`,
      [config().awaySeconds],
    ),
    many<{ agentId: number; pool: string; on: boolean }>(
      null,
      `SELECT m.agent_id AS "agentId", p.name AS pool, m.active AND p.active AS on FROM pool_members m JOIN pools p ON p.id = m.pool_id`,
    ),
    many<{ agentId: number | null; account: string }>(
      null,
      `SELECT NULL AS "agentId", name AS account FROM accounts WHERE everywhere
        UNION ALL SELECT x.agent_id, c.name FROM account_agents x JOIN accounts c ON c.id = x.account_id WHERE NOT c.everywhere`,
    ),
  ])
  const poolsOf = new Map<number, Record<string, boolean>>(agents.map(({ id }) => [id, {}]))
  for (const { agentId, pool, on } of memberships) (poolsOf.get(agentId) ?? {})[pool] = on
  const everywhere = permits.filter(({ agentId }) => agentId === null).map(({ account }) => account)
  const accountsOf = new Map<number, string[]>(agents.map(({ id }) => [id, [...everywhere]]))
  for (const { agentId, account } of permits) if (agentId !== null) accountsOf.get(agentId)?.push(account)
  // What is stored of an agent and cannot be read is as if it were not there: it costs that agent work, and nobody else.
  return agents.map(({ lastStartAt, ...row }) => ({
    ...row,
    labels: isRecord(row.labels) ? row.labels : {},
    abilities: Array.isArray(row.abilities) ? row.abilities : [],
    connected: row.connected === true,
    pools: poolsOf.get(row.id) ?? {},
    accounts: (accountsOf.get(row.id) ?? []).sort(),
    robot: null,
    robotId: null,
    lastStartAtMs: lastStartAt?.getTime() ?? null,
  }))
}

async function robotsForDispatch(): Promise<FleetRow[]> {
  const robots = await readRobots()
  const faults = await robotFaults(robots, Date.now())
  return robots.map((robot, i) => ({
    id: robot.agentId,
    robotId: robot.id,
    name: robot.name,
    robot: {
      agent: robot.agent,
      isAgentOn: robot.isAgentOn,
      isAttended: robot.kind === 'attended',
      outOfHours: faults[i]?.outOfHours ?? null,
      accountFault: faults[i]?.accountFault ?? null,
    },
    slots: 1,
    on: robot.active,
    draining: robot.draining,
    full: robot.full,
    connected: robot.connected,
    pools: Object.fromEntries(robot.pools.map(({ name, on }) => [name, on])),
    labels: isRecord(robot.labels) ? robot.labels : {},
    version: robot.version,
    abilities: Array.isArray(robot.abilities) ? robot.abilities : [],
    accounts: [],
    lastStartAtMs: robot.lastStartAt?.getTime() ?? null,
  }))
}

/** What runs at each place, as the board takes it. */
export function heldAt(running: readonly RunningRow[]): (place: Pick<FleetRow, 'id' | 'robotId'>) => HeldWork[] {
  const byPlace = new Map<string, HeldWork[]>()
  const keyOf = (agentId: number, robotId: number | null): string => `${agentId} ${robotId ?? ''}`
  for (const { agentId, robotId, ...work } of running) {
    const key = keyOf(agentId, robotId)
    const held = byPlace.get(key)
    // Of its agent it takes no slot, and its robot whole.
    const taken = robotId === null ? work : { ...work, slots: 1 }
    if (held) held.push(taken)
    else byPlace.set(key, [taken])
  }
  return ({ id, robotId }) => byPlace.get(keyOf(id, robotId)) ?? []
}

export interface RunningRow {
  readonly number: number
  readonly agentId: number
  /** The robot that does it; null: the agent itself. */
  readonly robotId: number | null
  readonly slots: number
  readonly startedAtMs: number
  readonly usualMs: number
  readonly locks: Readonly<Record<string, number>>
}

/** @param allowed what is allowed, where the caller asks for it already */
export async function runningWork(allowed = allowancesNow()): Promise<RunningRow[]> {
  type Row = Omit<RunningRow, 'startedAtMs' | 'usualMs'> & { handedAt: Date; usualMs: number | null } & {
    areaId: number
    robotKind: 'attended' | 'unattended' | null
  }
  const [rows, allowances] = await Promise.all([
    many<Row>(
      null,
      `SELECT r.id AS number, r.agent_id AS "agentId", r.robot_id AS "robotId", r.slots, r.locks, a.handed_at AS "handedAt", j.usual_ms AS "usualMs", r.area_id AS "areaId", b.kind AS "robotKind"
       FROM attempts a JOIN runs r ON r.id = a.run_id AND r.state = 'running' AND a.number = r.attempts JOIN jobs j ON j.id = r.job_id LEFT JOIN robots b ON b.id = r.robot_id
      WHERE a.state IN ('handed','accepted','running')`,
    ),
    allowed,
  ])
  return rows.map(({ handedAt, usualMs, areaId, robotKind, ...row }) => ({
    ...row,
    locks: withAllowances(
      lockRequestSchema.safeParse(row.locks).data ?? {},
      allowances,
      robotKind ?? 'slots',
      areaId,
      robotKind === null ? row.slots : 1,
    ),
    startedAtMs: handedAt.getTime(),
    usualMs: usualMs ?? DEFAULT_USUAL_MS,
  }))
}

/** Units of each lock in all, and of each allowance. */
export async function lockUnits(allowed = allowancesNow()): Promise<Record<string, number>> {
  const [rows, allowances] = await Promise.all([
    many<{ name: string; units: number }>(null, 'SELECT name, units FROM locks'),
    allowed,
  ])
  return Object.fromEntries([
    ...rows.map(({ name, units }) => [name, units] as const),
    ...allowances.map(({ lock, units }) => [lock, units] as const),
  ])
}
