import { z } from 'zod'
import { someOf } from '@/core/phrase/some-of'
import { accountRulesSchema, signInFault, type AccountRules, type SignIn } from '@/core/work/account'
import { isConnection } from '@/core/work/connections'
import { slugSchema } from '@/core/work/job'
import { execute, many, maybeOne, one, sqlState, transaction, UNIQUE_VIOLATION, type Tx } from '@/store/db'
import { notify } from '@/store/listen'
import { accountContext, seal, unseal } from '@/store/seal'
import { requireRight, type Actor } from '@/service/base/actor'
import { difference, record } from '@/service/base/audit'
import { invalid, notFound, Problem } from '@/service/base/problem'
import { askForTriesOf } from './sign-ins'

/** User names go into commands of the machine: nothing that reads as an option or a path. */
const userName = z
  .string()
  .trim()
  .min(1, 'Write the user name.')
  .max(100)
  .regex(/^[^\s\0-][^\n\r\0]*$/, 'A user name does not begin with “-”.')
/** Until when its secret is good; null: for ever, as far as anybody knows. */
const goodUntil = z.iso.datetime({ offset: true }).nullable()
const secret = z.string().min(1, 'Write the secret.').max(20_000)
/** What may use it: which agents, and (null: all) which areas. */
const places = {
  areaIds: z.array(z.int().positive()).max(1000).nullable().default(null),
  everywhere: z.boolean().default(false),
  agentIds: z.array(z.int().positive()).max(10_000).default([]),
}

export const accountSchema = z.strictObject({
  name: slugSchema,
  userName,
  /** null: none; work runs under it by the machine's own right. */
  secret: secret.nullable().default(null),
  notes: z.string().max(2000).default(''),
  ...accountRulesSchema.shape,
  ...places,
  goodUntil: goodUntil.default(null),
})
export const accountChangeSchema = z.strictObject({
  userName,
  notes: z.string().max(2000),
  ...accountRulesSchema.shape,
  areaIds: places.areaIds,
  everywhere: z.boolean(),
  agentIds: places.agentIds,
  goodUntil: goodUntil.default(null),
  /** A new one; missing: the old one stays. */
  secret: secret.optional(),
})

/** Its secret is never told: only whether there is one, and since when. */
export interface AccountRow extends AccountRules {
  readonly id: number
  readonly name: string
  readonly userName: string
  readonly notes: string
  readonly hasSecret: boolean
  readonly everywhere: boolean
  readonly agents: readonly { readonly id: number; readonly name: string }[]
  /** Areas whose work may use it; null: all. */
  readonly areaIds: readonly number[] | null
  /** Jobs that use it. */
  readonly jobs: number
  readonly changedBy: string
  readonly changedAt: string
  readonly rotatedAt: string | null
  /** Until when its secret is good; null: for ever. */
  readonly goodUntil: string | null
  /** Robots that work under it. */
  readonly robots: readonly { readonly id: number; readonly name: string }[]
}

const ROWS = `
  SELECT c.id, c.name, c.user_name AS "userName", c.notes, c.secret IS NOT NULL AS "hasSecret", c.everywhere, c.hosts, c.area_ids AS "areaIds", c.plain, c.unknown_hosts AS "unknownHosts", c.changed_by AS "changedBy",
         c.changed_at AS "changedAt", c.rotated_at AS "rotatedAt", c.good_until AS "goodUntil",
         coalesce((SELECT jsonb_agg(jsonb_build_object('id', b.id, 'name', b.name) ORDER BY b.name) FROM robots b WHERE b.account_id = c.id AND b.removed_at IS NULL), '[]') AS robots,
         coalesce((SELECT jsonb_agg(jsonb_build_object('id', a.id, 'name', a.name) ORDER BY a.name) FROM account_agents x JOIN agents a ON a.id = x.agent_id
                    WHERE x.account_id = c.id), '[]') AS agents,
         (SELECT count(*) FROM jobs j JOIN job_versions v ON v.job_id = j.id AND v.version = j.version
           WHERE j.deleted_at IS NULL AND v.definition->>'account' = c.name)::int AS jobs
    FROM accounts c`

export async function listAccounts(actor: Actor): Promise<AccountRow[]> {
  requireRight(actor, 'see')
  return many<AccountRow>(null, `${ROWS} ORDER BY c.name`)
}

export async function addAccount(actor: Actor, request: z.output<typeof accountSchema>): Promise<{ id: number }> {
  requireRight(actor, 'administer')
  try {
    return await transaction((tx) => addAccountIn(tx, actor, request))
  } catch (error) {
    if (sqlState(error) === UNIQUE_VIOLATION)
      throw invalid('name', `There is an account called ${request.name} already.`)
    throw error
  }
}

export async function addAccountIn(
  tx: Tx,
  actor: Actor,
  request: z.output<typeof accountSchema>,
): Promise<{ id: number }> {
  requireRight(actor, 'administer')
  const { id } = await one<{ id: number }>(
    tx,
    `INSERT INTO accounts (name, user_name, notes, everywhere, changed_by, rotated_at, hosts, area_ids, plain, unknown_hosts, good_until)
         VALUES ($1, $2, $3, $4, $5, CASE WHEN $6 THEN now() END, $7, $8, $9, $10, $11) RETURNING id`,
    [
      request.name,
      request.userName,
      request.notes,
      request.everywhere,
      actor.name,
      request.secret !== null,
      ...rulesOf(request),
    ],
  )
  if (request.secret !== null) await keepSecret(tx, id, request.secret)
  await setAgents(tx, id, request.agentIds)
  const { secret: _, ...told } = request
  await record(tx, actor, 'added', { type: 'account', id, title: request.name }, told)
  await notify(tx, { fleet: true, place: true })
  return { id }
}

const rulesOf = (
  request: AccountRules & { readonly areaIds: readonly number[] | null; readonly goodUntil: string | null },
): unknown[] => [request.hosts, request.areaIds, request.plain, request.unknownHosts, request.goodUntil]

/** Changes who it is, where it may be used, and, if a new one is given, its secret: runs that begin from now on get that. */
export async function changeAccount(
  actor: Actor,
  id: number,
  request: z.output<typeof accountChangeSchema>,
): Promise<void> {
  requireRight(actor, 'administer')
  await transaction(async (tx) => {
    const locked = await maybeOne(tx, 'SELECT id FROM accounts WHERE id = $1 FOR UPDATE', [id])
    if (!locked) throw notFound('account', id)
    const before = await one<AccountRow>(tx, `${ROWS} WHERE c.id = $1`, [id])
    await execute(
      tx,
      `UPDATE accounts SET user_name = $2, notes = $3, everywhere = $4, changed_by = $5, changed_at = now(), hosts = $6, area_ids = $7, plain = $8,
              unknown_hosts = $9, good_until = $10 WHERE id = $1`,
      [id, request.userName, request.notes, request.everywhere, actor.name, ...rulesOf(request)],
    )
    if (request.secret !== undefined) {
      await keepSecret(tx, id, request.secret)
      await execute(tx, 'UPDATE accounts SET rotated_at = now() WHERE id = $1', [id])
    }
    await setAgents(tx, id, request.agentIds)
    if (request.secret !== undefined || request.userName !== before.userName) await askForTriesOf(tx, id)
    const { secret: fresh, ...after } = request
    const was = { ...before, agentIds: before.agents.map((agent) => agent.id) }
    await record(
      tx,
      actor,
      fresh === undefined ? 'changed' : 'rotated',
      { type: 'account', id, title: before.name },
      difference(was, after),
    )
    await notify(tx, { fleet: true, place: true })
  })
}

/** Only one that nothing names: what is saved or started meanwhile waits for this, or this for that. */
export async function removeAccount(actor: Actor, id: number): Promise<void> {
  requireRight(actor, 'administer')
  await transaction(async (tx) => {
    const row = await maybeOne<{ name: string }>(tx, 'SELECT name FROM accounts WHERE id = $1 FOR UPDATE', [id])
    if (!row) throw notFound('account', id)
    const users = await many<{ what: string }>(
      tx,
      `SELECT 'the job ' || j.title AS what FROM jobs j JOIN job_versions v ON v.job_id = j.id AND v.version = j.version
        WHERE j.deleted_at IS NULL AND v.definition->>'account' = $2
       UNION ALL SELECT 'the notice ' || title FROM notices WHERE account = $2
       UNION ALL SELECT 'the robot ' || name FROM robots WHERE account_id = $1 AND removed_at IS NULL
       UNION ALL SELECT 'the system ' || title FROM systems WHERE account = $2
       UNION ALL SELECT 'the mail server ' || name FROM mail_servers WHERE account = $2
       UNION ALL SELECT 'the run #' || id FROM runs WHERE account_id = $1 AND state IN ('waiting','ready','running')
       ORDER BY 1 LIMIT 1000`,
      [id, row.name],
    )
    if (users.length > 0)
      throw new Problem(
        'not-now',
        `${someOf(
          users.map(({ what }) => what),
          5,
        )} ${users.length === 1 ? 'uses' : 'use'} it. Give ${users.length === 1 ? 'it' : 'them'} another first.`,
      )
    await execute(tx, 'DELETE FROM accounts WHERE id = $1', [id])
    await record(tx, actor, 'removed', { type: 'account', id, title: row.name })
    await notify(tx, { fleet: true, place: true })
  })
}

const keepSecret = (tx: Tx, id: number, plain: string): Promise<number> =>
  execute(tx, 'UPDATE accounts SET secret = $2 WHERE id = $1', [id, seal(plain, accountContext(id))])

async function setAgents(tx: Tx, id: number, agentIds: readonly number[]): Promise<void> {
  // Where a robot works under it, it stays.
  await execute(
    tx,
    `DELETE FROM account_agents x WHERE x.account_id = $1 AND NOT x.agent_id = ANY($2)
        AND NOT EXISTS (SELECT FROM robots b WHERE b.account_id = $1 AND b.agent_id = x.agent_id AND b.removed_at IS NULL)`,
    [id, agentIds],
  )
  await execute(tx, 'INSERT INTO account_agents SELECT $1, id FROM agents WHERE id = ANY($2) ON CONFLICT DO NOTHING', [
    id,
    agentIds,
  ])
}

export interface AccountUse extends AccountRules {
  readonly id: number
  readonly name: string
  readonly user: string
  readonly secret: Buffer | null
  /** Those named, and all that lie in them. */
  readonly areaIds: readonly number[] | null
}

/** An account as it is used; with a transaction it stays until that is over. */
export function accountNamed(tx: Tx | null, name: string): Promise<AccountUse | undefined> {
  return maybeOne<AccountUse>(
    tx,
    `SELECT id, name, user_name AS user, secret, hosts, plain, unknown_hosts AS "unknownHosts", areas_below(area_ids) AS "areaIds" FROM accounts
      WHERE name = $1 ${tx ? 'FOR KEY SHARE' : ''}`,
    [name],
  )
}

/** Why this account may not be used for this, in a sentence; null: it may. `areaId` null: for work of every area. */
export function accountFault(
  account: AccountUse,
  areaId: number | null,
  action: { readonly kind: string },
  values?: Readonly<Record<string, string>>,
): string | null {
  const { areaIds, name } = account
  if (areaIds !== null && (areaId === null || !areaIds.includes(areaId)))
    return `The account ${name} may not be used ${areaId === null ? 'for work of every area' : 'in this area'}.`
  return isConnection(action) && account.user !== '' ? signInFault(name, account, action, values) : null
}

/** Opens its secret, for whoever signs in with it now. Throws `SealBroken`. */
export const signInOf = ({ id, name, user, secret, hosts, plain, unknownHosts }: AccountUse): SignIn => ({
  account: name,
  user,
  secret: secret ? unseal(secret, accountContext(id)) : '',
  hosts: [...hosts],
  plain,
  unknownHosts,
})

interface JobRequest {
  readonly areaId: number
  readonly definition: {
    readonly account: string | null
    readonly locks: Readonly<Record<string, number>>
    readonly action: { readonly kind: string }
  }
}

/** A job may name only what there is and may be used for it: its account, and its locks with enough units. */
export async function connectionFaultsOf(
  tx: Tx,
  { areaId, definition: { account, locks, action } }: JobRequest,
): Promise<{ path: string; message: string }[]> {
  const faults: { path: string; message: string }[] = []
  if (account !== null) {
    const used = await accountNamed(tx, account)
    const fault = used ? accountFault(used, areaId, action) : `There is no account ${account}.`
    if (fault !== null) faults.push({ path: 'definition.account', message: fault })
  }
  const names = Object.keys(locks)
  if (names.length === 0) return faults
  const rows = await many<{ name: string; units: number }>(tx, 'SELECT name, units FROM locks WHERE name = ANY($1)', [
    names,
  ])
  const units = new Map(rows.map((row) => [row.name, row.units]))
  for (const [name, wanted] of Object.entries(locks)) {
    const there = units.get(name)
    if (there === undefined) faults.push({ path: 'definition.locks', message: `There is no lock ${name}.` })
    else if (there < wanted)
      faults.push({
        path: 'definition.locks',
        message: `The lock ${name} has only ${there} ${there === 1 ? 'unit' : 'units'}.`,
      })
  }
  return faults
}
