import { z } from 'zod'
import { ROLES } from '@/core/people/roles'
import { titleSchema } from '@/core/schema/text'
import { requireRight, type Actor } from '@/service/base/actor'
import { difference, record } from '@/service/base/audit'
import { invalid, notFound } from '@/service/base/problem'
import { execute, many, maybeOne, one, sqlState, transaction, UNIQUE_VIOLATION, type Tx } from '@/store/db'
import { organisation } from '@/store/organisation'
import { inEach } from '@/store/organisations'
import { providerContext, seal } from '@/store/seal'

/** By TLS, or on this machine. */
function isSafe(text: string): boolean {
  if (!URL.canParse(text)) return false
  const { protocol, hostname, search, hash } = new URL(text)
  const isHere = ['localhost', '127.0.0.1', '[::1]'].includes(hostname)
  return (protocol === 'https:' || (protocol === 'http:' && isHere)) && search === '' && hash === ''
}

const ruleSchema = z
  .strictObject({
    value: z.string().trim().min(1, 'Write the value.').max(200),
    role: z.enum(ROLES).optional(),
    groupId: z.int().positive().optional(),
  })
  .refine(({ role, groupId }) => role !== undefined || groupId !== undefined, {
    message: 'Say what the value gives: a role, or a group.',
  })

export const providerSchema = z.strictObject({
  title: titleSchema('Say how people know it: “Ferries’ sign-in”.', 60),
  issuer: z
    .string()
    .trim()
    .max(500)
    .refine(isSafe, 'Expected an address such as https://sign-in.example, without ? and #; http only on this machine.'),
  clientId: z.string().trim().min(1, 'Write the client id that the provider gave.').max(200),
  /** A new one; missing: the one that is there stays. Null: there is none, a public client. */
  clientSecret: z.string().min(1).max(2000).nullable().optional(),
  claim: z.string().trim().min(1, 'Write the name of a claim.').max(100).default('groups'),
  rules: z.array(ruleSchema).max(200).default([]),
  makesPeople: z.boolean().default(false),
  role: z.enum(ROLES).default('none'),
  active: z.boolean().default(true),
})
export type ProviderContent = z.output<typeof providerSchema>

export interface ProviderRow extends Omit<ProviderContent, 'clientSecret'> {
  readonly id: number
  readonly hasSecret: boolean
  /** People who have come by it. */
  readonly people: number
  readonly changedBy: string
  readonly changedAt: string
}

export interface Provider extends Omit<ProviderContent, 'clientSecret'> {
  readonly id: number
  readonly secret: Buffer | null
  readonly changedAt: string
}

const COLUMNS = `v.id, v.title, v.issuer, v.client_id AS "clientId", v.claim, v.rules, v.makes_people AS "makesPeople", v.role, v.active, v.changed_at AS "changedAt"`

export async function listProviders(actor: Actor): Promise<ProviderRow[]> {
  requireRight(actor, 'administer')
  return many<ProviderRow>(
    null,
    `SELECT ${COLUMNS}, v.client_secret IS NOT NULL AS "hasSecret", v.changed_by AS "changedBy",
            (SELECT count(*) FROM provider_people p WHERE p.provider_id = v.id)::int AS people FROM providers v ORDER BY lower(v.title)`,
  )
}

/** The one, if it is switched on. */
export const activeProvider = (tx: Tx | null, id: number): Promise<Provider | undefined> =>
  maybeOne<Provider>(tx, `SELECT ${COLUMNS}, v.client_secret AS secret FROM providers v WHERE v.id = $1 AND v.active`, [
    id,
  ])

export interface DoorElsewhere {
  /** `2.1`: of which organisation, and which. */
  readonly id: string
  readonly title: string
}

/** By which providers of this organisation somebody may sign in: told to everybody who comes to the door. */
export async function doorsHere(): Promise<DoorElsewhere[]> {
  const rows = await many<{ id: number; title: string }>(
    null,
    'SELECT id, title FROM providers WHERE active ORDER BY lower(title)',
  )
  return rows.map(({ id, title }) => ({ id: `${organisation()}.${id}`, title }))
}

/** The same of all organisations. */
export const doorsElsewhere = async (): Promise<DoorElsewhere[]> => (await inEach(doorsHere)).flat()

async function check(tx: Tx, { rules }: ProviderContent): Promise<void> {
  const ids = rules.flatMap(({ groupId }) => groupId ?? [])
  const there = await many<{ id: number }>(tx, 'SELECT id FROM groups WHERE id = ANY($1)', [ids])
  const known = new Set(there.map(({ id }) => id))
  const bad = rules.findIndex(({ groupId }) => groupId !== undefined && !known.has(groupId))
  if (bad >= 0) throw invalid(`rules[${bad}].groupId`, 'This group is not there any more.')
}

const valuesOf = (content: ProviderContent): unknown[] => [
  content.title,
  content.issuer,
  content.clientId,
  content.claim,
  JSON.stringify(content.rules),
  content.makesPeople,
  content.role,
  content.active,
]

const named = (error: unknown): never => {
  if (sqlState(error) === UNIQUE_VIOLATION) throw invalid('title', 'There is one of this name already.')
  throw error
}

async function keepSecret(tx: Tx, id: number, { clientSecret }: ProviderContent): Promise<void> {
  if (clientSecret === undefined) return
  await execute(tx, 'UPDATE providers SET client_secret = $2 WHERE id = $1', [
    id,
    clientSecret === null ? null : seal(clientSecret, providerContext(id)),
  ])
}

export async function addProvider(actor: Actor, content: ProviderContent): Promise<{ id: number }> {
  requireRight(actor, 'administer')
  return transaction(async (tx) => {
    await check(tx, content)
    const { id } = await one<{ id: number }>(
      tx,
      `INSERT INTO providers (title, issuer, client_id, claim, rules, makes_people, role, active, changed_by)
       VALUES ($1, $2, $3, $4, $5, $6, $7, $8, $9) RETURNING id`,
      [...valuesOf(content), actor.name],
    )
    await keepSecret(tx, id, content)
    const { clientSecret: _, ...told } = content
    await record(tx, actor, 'added', { type: 'sign-in elsewhere', id, title: content.title }, told)
    return { id }
  }).catch(named)
}

export async function changeProvider(actor: Actor, id: number, content: ProviderContent): Promise<void> {
  requireRight(actor, 'administer')
  await transaction(async (tx) => {
    const before = await maybeOne<Provider>(
      tx,
      `SELECT ${COLUMNS}, v.client_secret AS secret FROM providers v WHERE v.id = $1 FOR UPDATE`,
      [id],
    )
    if (!before) throw notFound('provider', id)
    await check(tx, content)
    // Who is who there is known by another issuer's numbers no more.
    if (before.issuer !== content.issuer) {
      await execute(tx, 'DELETE FROM provider_people WHERE provider_id = $1', [id])
      await execute(tx, 'DELETE FROM sessions WHERE provider_id = $1', [id])
    }
    if (!content.active) await execute(tx, 'DELETE FROM sessions WHERE provider_id = $1', [id])
    await execute(
      tx,
      `UPDATE providers SET title = $2, issuer = $3, client_id = $4, claim = $5, rules = $6, makes_people = $7, role = $8, active = $9, changed_by = $10, changed_at = now() WHERE id = $1`,
      [id, ...valuesOf(content), actor.name],
    )
    await keepSecret(tx, id, content)
    const { clientSecret, ...after } = content
    const { id: _id, secret: _secret, changedAt: _at, ...was } = before
    const changes = { ...difference(was, after), ...(clientSecret === undefined ? {} : { secret: 'set anew' }) }
    await record(tx, actor, 'changed', { type: 'sign-in elsewhere', id, title: content.title }, changes)
  }).catch(named)
}

/** Its sessions end; the people who came by it stay. */
export async function removeProvider(actor: Actor, id: number): Promise<void> {
  requireRight(actor, 'administer')
  await transaction(async (tx) => {
    const [row] = await many<{ title: string }>(tx, 'DELETE FROM providers WHERE id = $1 RETURNING title', [id])
    if (!row) throw notFound('provider', id)
    await record(tx, actor, 'removed', { type: 'sign-in elsewhere', id, title: row.title })
  })
}
