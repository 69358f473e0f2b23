import { z } from 'zod'
import { PRIORITIES, type AgentState, type ReadyRun } from '@/core/dispatch'
import { isConnection } from '@/core/work/connections'
import { targetSchema, type JobDefinition } from '@/core/work/job'
import type { Lease } from '@/agent/protocol'
import { config } from '@/store/config'
import { execute, many, maybeOne, transaction, type Tx } from '@/store/db'
import { limit } from '@/store/limits'
import { notify } from '@/store/listen'
import { signInOf, accountFault, type AccountUse } from './accounts'
import { openMatters } from './matters'
import { proofOf } from './restored'
import { changeFor, lockRuns, writeLives, type LifeChange } from './run-life'
import { unsealInputs } from './secrets'

// Whoever changes several rows that others change too locks them first, in the order of their numbers: so each waits for the other at most once, never in a circle.
const CONTACTS_IN_ORDER =
  'SELECT agent_id FROM agent_contacts WHERE agent_id = ANY($1) ORDER BY agent_id FOR NO KEY UPDATE'

/** After a polite signal a process group has this long before it is killed. */
const GRACE_SECONDS = 10
export const DEFAULT_USUAL_MS = 60_000

/** The lead is a lease: a leader that has not renewed it for so long has lost it, whatever it thinks. */
export const LEAD_SECONDS = 12

/** The leader's right to hand out: a hand-out under an older epoch changes nothing. */
export async function takeLeadership(engineId: string): Promise<number> {
  const rows = await many<{ epoch: number }>(
    null,
    'UPDATE leadership SET epoch = epoch + 1, engine_id = $1, lease_until = now() + make_interval(secs => $2) RETURNING epoch',
    [engineId, LEAD_SECONDS],
  )
  return rows[0]?.epoch ?? 0
}

/** Said by the loop that does the leader's work. Throws when another leads by now. */
export async function renewLeadership(epoch: number): Promise<void> {
  const renewed = await execute(
    null,
    'UPDATE leadership SET lease_until = now() + make_interval(secs => $2) WHERE epoch = $1',
    [epoch, LEAD_SECONDS],
  )
  if (renewed === 0) throw new LeadershipLost()
}

/** Whether whoever leads has let its lease run out: it hangs, or cannot reach the database. */
export async function isLeadFree(): Promise<boolean> {
  return (await maybeOne(null, 'SELECT 1 FROM leadership WHERE lease_until < now()')) !== undefined
}

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
  }>(
    null,
    `SELECT r.id AS number, r.target, r.kind, r.slots, r.min_version AS "minVersion", r.priority, j.usual_ms AS "usualMs",
            r.ready_at AS "readyAt", r.due_at AS "dueAt", r.chain_ms AS "chainMs", r.held_by IS NOT NULL AS held, j.active, r.account, r.locks
       FROM runs r JOIN jobs j ON j.id = r.job_id
      WHERE r.state = 'ready' AND r.kind <> 'flow' AND ($1::bigint[] IS NULL OR r.id = ANY($1))`,
    [ids],
  )
  const isReadable = (row: (typeof rows)[number]): boolean =>
    targetSchema.safeParse(row.target).success && lockWishSchema.safeParse(row.locks).success
  await failRuns(
    rows
      .filter((row) => !isReadable(row))
      .map(({ number }) => ({ id: number, reason: 'What is stored of where it is to run cannot be read.' })),
  )
  return rows.filter(isReadable).map((row) => {
    const usualMs = row.usualMs ?? DEFAULT_USUAL_MS
    return {
      number: row.number,
      target: row.target,
      kind: row.kind,
      slots: row.slots,
      locks: row.locks,
      account: row.account,
      minVersion: row.minVersion,
      robot: false,
      priority: PRIORITIES[row.priority] ?? 'normal',
      dueAtMs: row.dueAt?.getTime() ?? null,
      usualMs,
      chainMs: row.chainMs ?? usualMs,
      readyAtMs: row.readyAt.getTime(),
      held: row.held,
      off: !row.active,
    }
  })
}

const lockWishSchema = z.record(z.string(), z.int().min(1))
const isRecord = (value: unknown): value is Record<string, string> =>
  typeof value === 'object' && value !== null && !Array.isArray(value)

export interface FleetRow extends Omit<AgentState, 'running'> {
  readonly id: number
}

/**
 * The fleet as dispatch sees it. `connected` means: heard of within the time after which an agent counts as away. Read at each placing, so in plain joins: one
 * statement with a list of lists in it takes PostgreSQL a hundred times as long.
 */
export async function fleetForDispatch(): Promise<FleetRow[]> {
  const [agents, memberships, permits] = await Promise.all([
    many<Omit<FleetRow, 'robots' | 'lastStartAtMs' | 'pools' | 'accounts'> & { lastStartAt: Date | null }>(
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
    robots: 0,
    lastStartAtMs: lastStartAt?.getTime() ?? null,
  }))
}

export interface RunningRow {
  readonly number: number
  readonly agentId: number
  readonly slots: number
  readonly startedAtMs: number
  readonly usualMs: number
  readonly locks: Readonly<Record<string, number>>
}

export async function runningWork(): Promise<RunningRow[]> {
  const rows = await many<Omit<RunningRow, 'startedAtMs' | 'usualMs'> & { handedAt: Date; usualMs: number | null }>(
    null,
    `SELECT r.id AS number, r.agent_id AS "agentId", r.slots, r.locks, a.handed_at AS "handedAt", j.usual_ms AS "usualMs"
       FROM attempts a JOIN runs r ON r.id = a.run_id AND r.state = 'running' AND a.number = r.attempts JOIN jobs j ON j.id = r.job_id
      WHERE a.state IN ('handed','accepted','running')`,
  )
  return rows.map(({ handedAt, usualMs, ...row }) => ({
    ...row,
    locks: lockWishSchema.safeParse(row.locks).data ?? {},
    startedAtMs: handedAt.getTime(),
    usualMs: usualMs ?? DEFAULT_USUAL_MS,
  }))
}

export interface HandOut {
  readonly runId: number
  readonly agentId: number
}

/** Gives ready runs to agents: each gets a new attempt under a new fencing token. Returns the runs that were really handed out. */
export async function handOut(epoch: number, starts: readonly HandOut[]): Promise<Set<number>> {
  return transaction(async (tx) => {
    await lockLead(tx, epoch)
    const runs = await lockRuns(
      tx,
      starts.map((s) => s.runId),
    )
    const atMs = Date.now()
    const changes: LifeChange[] = []
    for (const { runId, agentId } of starts) {
      const run = runs.get(runId)
      const change = run && changeFor(run, { type: 'handedOut', atMs }, atMs, { agentId })
      if (change && !('ok' in change)) changes.push(change)
    }
    const done = await writeLives(tx, changes)
    const given = changes.filter((c) => done.has(c.run.id))
    if (given.length === 0) return done
    await execute(
      tx,
      `INSERT INTO attempts (run_id, number, agent_id, state, lease_until, handed_at)
       SELECT u.run_id, u.number, u.agent_id, 'handed', to_timestamp($4) + make_interval(secs => $5), to_timestamp($4)
         FROM unnest($1::bigint[], $2::int[], $3::bigint[]) AS u(run_id, number, agent_id)`,
      [
        given.map((c) => c.run.id),
        given.map((c) => c.life.attempts),
        given.map((c) => c.agentId),
        atMs / 1000,
        config().leaseSeconds,
      ],
    )
    await execute(
      tx,
      `UPDATE agent_contacts c SET last_start_at = to_timestamp($2) FROM (${CONTACTS_IN_ORDER}) l WHERE c.agent_id = l.agent_id`,
      [[...new Set(given.map((c) => c.agentId))], atMs / 1000],
    )
    await notify(tx, { runs: [...done], deliver: true })
    return done
  })
}

export class LeadershipLost extends Error {}

/** The transaction is the leader's or fails: a new leader waits for it (FOR SHARE), and under an older epoch nothing is done. */
export async function lockLead(tx: Tx, epoch: number): Promise<void> {
  const leads = await maybeOne(tx, 'SELECT epoch FROM leadership WHERE epoch = $1 FOR SHARE', [epoch])
  if (!leads) throw new LeadershipLost()
}

/** Waiting runs whose time has come are ready. Returns how many. */
export async function releaseDue(): Promise<number> {
  const due = await many<{ id: number }>(
    null,
    `SELECT r.id FROM runs r
      WHERE r.state = 'waiting' AND (r.start_after IS NULL OR r.start_after <= now())
        AND NOT (r.after_earlier AND EXISTS (
              SELECT 1 FROM runs e WHERE e.trigger_id = r.trigger_id AND e.for_agent_id IS NOT DISTINCT FROM r.for_agent_id AND e.id < r.id
                 AND e.state IN ('waiting','ready','running')))
      ORDER BY r.id LIMIT 1000`,
  )
  if (due.length === 0) return 0
  return transaction(async (tx) => {
    const atMs = Date.now()
    const runs = await lockRuns(
      tx,
      due.map((row) => row.id),
    )
    const changes = [...runs.values()]
      .map((run) => changeFor(run, { type: 'due', atMs }, atMs))
      .filter((c) => !('ok' in c)) as LifeChange[]
    const done = await writeLives(tx, changes)
    if (done.size > 0) await notify(tx, { runs: [...done], place: true })
    return done.size
  })
}

/** Gives up attempts whose lease ran out, or that their agent says it does not have. */
export async function giveUpLost(attemptIds: readonly number[] | 'expired', reason: string): Promise<number[]> {
  const found =
    attemptIds === 'expired'
      ? await many<{ runId: number }>(
          null,
          `SELECT run_id AS "runId" FROM attempts WHERE state IN ('handed','accepted','running') AND lease_until < now() ORDER BY run_id LIMIT 500`,
        )
      : await many<{ runId: number }>(null, 'SELECT run_id AS "runId" FROM attempts WHERE id = ANY($1)', [attemptIds])
  if (found.length === 0) return []
  return transaction(async (tx) => {
    const runs = await lockRuns(
      tx,
      found.map((row) => row.runId),
    )
    // Looked at again under the lock: a heartbeat or a report may have come in between.
    const attempts = await many<{ id: number; runId: number; agentId: number; number: number }>(
      tx,
      `SELECT id, run_id AS "runId", agent_id AS "agentId", number FROM attempts
        WHERE run_id = ANY($1) AND state IN ('handed','accepted','running')
          AND ($2::bigint[] IS NULL AND lease_until < now() OR id = ANY($2)) ORDER BY id FOR NO KEY UPDATE`,
      [[...runs.keys()], attemptIds === 'expired' ? null : attemptIds],
    )
    const atMs = Date.now()
    const changes: LifeChange[] = []
    for (const attempt of attempts) {
      const run = runs.get(attempt.runId)
      const change = run && changeFor(run, { type: 'lost', atMs, reason }, atMs)
      if (change && !('ok' in change)) changes.push(change)
    }
    const done = await writeLives(tx, changes)
    await execute(tx, `UPDATE attempts SET state = 'lost', ended_at = now(), reason = $2 WHERE id = ANY($1)`, [
      attempts.map((a) => a.id),
      reason,
    ])
    await openMatters(
      tx,
      changes.filter((c) => c.finished && done.has(c.run.id)),
    )
    await notify(tx, { runs: [...done], matters: true, place: true })
    return [...done]
  })
}

interface LeaseRow {
  readonly attempt: number
  readonly token: number
  readonly run: number
  readonly try: number
  readonly agentId: number
  readonly title: string
  readonly definition: JobDefinition
  readonly inputs: Record<string, string>
  readonly secrets: Buffer | null
  readonly account: string | null
  readonly accountId: number | null
  readonly areaId: number
  readonly accountUser: string
  readonly accountSecret: Buffer | null
  readonly hosts: string[]
  readonly areaIds: number[] | null
  readonly plain: boolean
  readonly unknownHosts: boolean
}

/** An agent, and the connection of this engine that speaks for it. */
export interface Delivery {
  readonly agentId: number
  readonly connection: number
}

const NAMES_NO_ACCOUNT = 'is gone: the run would have been carried out under the agent’s own account.'

/**
 * Leases handed out to these agents that they have not said they have. Secrets are opened here and nowhere before. A lease that cannot be made is sent to nobody: its run fails and says
 * why, and all others go on.
 */
export async function leasesToDeliver(to: readonly Delivery[]): Promise<{ agentId: number; lease: Lease }[]> {
  const rows = await many<LeaseRow>(
    null,
    `SELECT a.id AS attempt, a.token, a.run_id AS run, a.number AS try, a.agent_id AS "agentId", j.title, v.definition, r.inputs, r.secrets,
            r.account, r.area_id AS "areaId", c.id AS "accountId", c.user_name AS "accountUser", c.secret AS "accountSecret", c.hosts,
            c.area_ids AS "areaIds", c.plain, c.unknown_hosts AS "unknownHosts"
       FROM unnest($1::bigint[], $2::bigint[]) AS u(agent_id, connection)
       JOIN agent_contacts k ON k.agent_id = u.agent_id AND k.connection = u.connection
       JOIN attempts a ON a.agent_id = u.agent_id AND a.state = 'handed' JOIN runs r ON r.id = a.run_id JOIN jobs j ON j.id = r.job_id
       JOIN job_versions v ON v.job_id = r.job_id AND v.version = r.job_version LEFT JOIN accounts c ON c.id = r.account_id
      ORDER BY a.id LIMIT 2000`,
    [to.map(({ agentId }) => agentId), to.map(({ connection }) => connection)],
  )
  const broken: { runId: number; attempt: number; reason: string }[] = []
  const leases = rows.flatMap((row) => {
    try {
      if (row.account !== null && row.accountId === null)
        throw new Error(`The account ${row.account} ${NAMES_NO_ACCOUNT}`)
      return [{ agentId: row.agentId, lease: buildLease(row) }]
    } catch (error) {
      broken.push({ runId: row.run, attempt: row.attempt, reason: (error as Error).message })
      return []
    }
  })
  if (broken.length > 0) await failUndeliverable(broken)
  return leases
}

/** These attempts cannot be sent to anybody: their runs have failed, whatever tries they have left. */
async function failUndeliverable(
  broken: readonly { readonly runId: number; readonly attempt: number; readonly reason: string }[],
): Promise<void> {
  await transaction(async (tx) => {
    const atMs = Date.now()
    const runs = await lockRuns(
      tx,
      broken.map(({ runId }) => runId),
    )
    const changes = broken.flatMap(({ runId, reason }): LifeChange[] => {
      const run = runs.get(runId)
      const change = run && changeFor(run, { type: 'undeliverable', atMs, reason }, atMs)
      return change && !('ok' in change) ? [change] : []
    })
    const done = await writeLives(tx, changes)
    await execute(
      tx,
      `UPDATE attempts a SET state = 'failed', ended_at = now(), reason = u.reason
         FROM unnest($1::bigint[], $2::text[]) AS u(id, reason) WHERE a.id = u.id AND a.state = 'handed' AND a.run_id = ANY($3)`,
      [broken.map(({ attempt }) => attempt), broken.map(({ reason }) => reason), [...done]],
    )
    await openMatters(
      tx,
      changes.filter((change) => done.has(change.run.id)),
    )
    await notify(tx, { runs: [...done], matters: true, place: true })
  })
}

/** Ready runs whose account was taken away from under them can go nowhere: they have failed, and say so. */
export async function failWithoutAccount(): Promise<void> {
  const gone = await many<{ id: number; account: string }>(
    null,
    `SELECT id, account FROM runs WHERE state = 'ready' AND account IS NOT NULL AND account_id IS NULL LIMIT 1000`,
  )
  await failRuns(gone.map(({ id, account }) => ({ id, reason: `The account ${account} ${NAMES_NO_ACCOUNT}` })))
}

/** Runs that have not started of jobs that were removed, however the two met: they never will, and say so. */
export async function cancelOfRemoved(): Promise<void> {
  const left = await many<{ id: number }>(
    null,
    `SELECT r.id FROM runs r JOIN jobs j ON j.id = r.job_id WHERE r.state IN ('waiting','ready') AND j.deleted_at IS NOT NULL ORDER BY r.id LIMIT 1000`,
  )
  if (left.length === 0) return
  await transaction(async (tx) => {
    const atMs = Date.now()
    const runs = await lockRuns(
      tx,
      left.map(({ id }) => id),
    )
    const changes = [...runs.values()].flatMap((run): LifeChange[] => {
      const change = changeFor(run, { type: 'stopAsked', atMs, by: 'the removal of its job' }, atMs)
      return 'ok' in change ? [] : [change]
    })
    const done = await writeLives(tx, changes)
    await notify(tx, { runs: [...done] })
  })
}

/** These runs have not started and never can: they have failed, each with its reason. */
export async function failRuns(bad: readonly { readonly id: number; readonly reason: string }[]): Promise<void> {
  if (bad.length === 0) return
  await transaction(async (tx) => {
    const nowMs = Date.now()
    const runs = await lockRuns(
      tx,
      bad.map(({ id }) => id),
    )
    const changes = bad.flatMap(({ id, reason }): LifeChange[] => {
      const run = runs.get(id)
      const change = run && changeFor(run, { type: 'decided', outcome: 'failed', reason }, nowMs)
      return change && !('ok' in change) ? [change] : []
    })
    const done = await writeLives(tx, changes)
    await openMatters(
      tx,
      changes.filter((change) => done.has(change.run.id)),
    )
    await notify(tx, { runs: [...done], matters: true, place: true })
  })
}

function buildLease(row: LeaseRow): Lease {
  const { attempt, token, run, try: number, title, definition, inputs, secrets } = row
  const hidden = unsealInputs(secrets, run)
  const all = { ...inputs, ...hidden }
  const action = actionOf(definition, all)
  const used = row.accountId === null ? null : accountOf(row)
  const fault = used && accountFault(used, row.areaId, definition.action, all)
  if (fault) throw new Error(fault)
  const isAct = action.kind === 'act'
  return {
    attempt,
    token,
    run,
    try: number,
    title,
    action,
    folder: definition.folder,
    environment: definition.environment,
    account: row.account,
    runAs: isAct ? null : (used?.user ?? null),
    signIn: isAct && used ? signInOf(used) : null,
    inputs: all,
    secrets: Object.keys(hidden),
    timeLimitSeconds: definition.timeLimitSeconds,
    graceSeconds: GRACE_SECONDS,
    must: definition.success.must,
    mustNot: definition.success.mustNot,
    maxOutputBytes: limit('output_mib') * 1024 * 1024,
    mayLeave: definition.mayLeave ?? false,
    proof: proofOf({ attempt, token, run }),
  }
}

const accountOf = (row: LeaseRow): AccountUse => ({
  id: row.accountId as number,
  name: row.account as string,
  user: row.accountUser,
  secret: row.accountSecret,
  hosts: row.hosts,
  areaIds: row.areaIds,
  plain: row.plain,
  unknownHosts: row.unknownHosts,
})

function actionOf({ action }: JobDefinition, inputs: Readonly<Record<string, string>>): Lease['action'] {
  if (isConnection(action)) return { kind: 'act', of: action }
  if (action.kind !== 'wait') return action
  const minutes = typeof action.minutes === 'string' ? inputs[action.minutes.slice(2, -1)] : action.minutes
  return { kind: 'wait', seconds: Math.max(0, 60 * (Number(minutes) || 0)) }
}

/** Stop requests for what runs on these agents. Delivered again and again until the run has ended. */
export async function stopsToDeliver(
  agentIds: readonly number[],
): Promise<{ agentId: number; attempt: number; token: number }[]> {
  return many(
    null,
    `SELECT a.agent_id AS "agentId", a.id AS attempt, a.token FROM attempts a JOIN runs r ON r.id = a.run_id
      WHERE a.agent_id = ANY($1) AND a.state IN ('handed','accepted','running') AND r.stop_asked_by IS NOT NULL`,
    [agentIds],
  )
}

export interface Heard {
  readonly agentId: number
  /** The connection it was heard over. */
  readonly connection: number
  readonly load: number | null
  /** Its disk is full. */
  readonly full?: boolean
}

/**
 * Agents that were heard of just now: remembers it, and extends all their leases. Only a connection that still speaks for its agent counts; returned are the agents of which that is so. What
 * was closed or replaced meanwhile must not make the dead look alive.
 */
export async function extendLeases(heard: readonly Heard[]): Promise<Set<number>> {
  return transaction(async (tx) => {
    const held = await many<{ agentId: number }>(
      tx,
      `UPDATE agent_contacts c SET last_contact_at = now(), load = u.load, full_since = CASE WHEN u.is_full THEN coalesce(c.full_since, now()) END
         FROM (${CONTACTS_IN_ORDER}) l JOIN unnest($1::bigint[], $2::real[], $3::bigint[], $4::bool[]) AS u(agent_id, load, connection, is_full) ON u.agent_id = l.agent_id
        WHERE c.agent_id = l.agent_id AND c.connection = u.connection RETURNING c.agent_id AS "agentId"`,
      [
        heard.map((h) => h.agentId),
        heard.map((h) => h.load),
        heard.map((h) => h.connection),
        heard.map((h) => h.full ?? false),
      ],
    )
    const ids = held.map(({ agentId }) => agentId)
    await execute(
      tx,
      `UPDATE attempts a SET lease_until = now() + make_interval(secs => $2)
         FROM (SELECT id FROM attempts WHERE agent_id = ANY($1) AND state IN ('handed','accepted','running') ORDER BY id FOR NO KEY UPDATE) l
        WHERE a.id = l.id`,
      [ids, config().leaseSeconds],
    )
    return new Set(ids)
  })
}

export async function openAttemptsOf(
  tx: Tx | null,
  agentId: number,
): Promise<{ attempt: number; token: number; state: string; reportSeq: number }[]> {
  return many(
    tx,
    `SELECT id AS attempt, token, state, report_seq AS "reportSeq" FROM attempts WHERE agent_id = $1 AND state IN ('handed','accepted','running')`,
    [agentId],
  )
}

/** Units of each lock in all. */
export async function lockUnits(): Promise<Record<string, number>> {
  const rows = await many<{ name: string; units: number }>(null, 'SELECT name, units FROM locks')
  return Object.fromEntries(rows.map(({ name, units }) => [name, units]))
}
