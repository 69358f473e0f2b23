import { z } from 'zod'
import { heightOf, LEVELS, levelOf, type Level } from '@/core/people/rights'
import type { Right } from '@/core/people/roles'
import { titleSchema } from '@/core/schema/text'
import { requireSomewhere, type Actor } from '@/service/base/actor'
import { requireOn } from '@/service/base/area-rights'
import { difference, record } from '@/service/base/audit'
import { invalid, notFound, Problem } from '@/service/base/problem'
import { hashToken, newToken } from '@/service/base/secrets'
import type { tokenSchema } from '@/service/people/access-tokens'
import { endAccess } from '@/service/people/people'
import { db, execute, many, maybeOne, one, sqlState, transaction, UNIQUE_VIOLATION, type Tx } from '@/store/db'
import { limit } from '@/store/limits'
import { notify } from '@/store/listen'
import { listAreas } from './areas'

export const serviceAccountSchema = z.strictObject({
  title: titleSchema('Say what it is: “Nightly export”.', 80),
  notes: z.string().max(2000).default(''),
  /** Where it belongs: it has its rights there and in all that lies in it, and whoever manages there looks after it. */
  areaId: z.int().positive(),
  may: z.enum(LEVELS),
})
export const serviceAccountChangeSchema = serviceAccountSchema
  .omit({ areaId: true })
  .extend({ notes: z.string().max(2000), active: z.boolean() })
  .partial()

interface ServiceToken {
  readonly id: number
  readonly name: string
  readonly may: Right
  readonly createdAt: string
  readonly expiresAt: string
  readonly lastUsedAt: string | null
  readonly revokedAt: string | null
}

export interface ServiceAccountRow {
  readonly id: number
  readonly title: string
  readonly notes: string
  readonly areaId: number
  readonly area: string
  readonly may: Level
  readonly active: boolean
  readonly lastUsedAt: string | null
  /** To whoever looks after it; else none is told. */
  readonly tokens: readonly ServiceToken[] | null
}

const TOKENS = `coalesce((SELECT jsonb_agg(jsonb_build_object('id', t.id, 'name', t.name, 'may', t.may, 'createdAt', t.created_at, 'expiresAt', t.expires_at,
    'lastUsedAt', t.last_used_at, 'revokedAt', t.revoked_at) ORDER BY t.id DESC) FROM access_tokens t WHERE t.person_id = p.id), '[]')`

/** Those of areas that whoever asks may see. */
export async function listServiceAccounts(actor: Actor): Promise<ServiceAccountRow[]> {
  requireSomewhere(actor, 'see')
  const areas = new Map((await listAreas(actor)).map((area) => [area.id, area]))
  const rows = await many<Omit<ServiceAccountRow, 'area' | 'tokens'> & { tokens: ServiceToken[] }>(
    null,
    `SELECT p.id, p.name AS title, p.notes, p.area_id AS "areaId", g.may, p.active,
            (SELECT max(t.last_used_at) FROM access_tokens t WHERE t.person_id = p.id) AS "lastUsedAt", ${TOKENS} AS tokens
       FROM people p JOIN grants g ON g.person_id = p.id AND g.area_id = p.area_id WHERE p.kind = 'service' ORDER BY lower(p.name), p.id`,
  )
  return rows.flatMap((row) => {
    const area = areas.get(row.areaId)
    if (!area || area.may === 'none') return []
    return [{ ...row, area: area.path, tokens: area.may === 'manage' ? row.tokens : null }]
  })
}

interface Stored {
  readonly title: string
  readonly notes: string
  readonly areaId: number
  readonly may: Level
  readonly active: boolean
}

/** The one, to whoever manages where it belongs. */
async function managed(tx: Tx, actor: Actor, id: number): Promise<Stored> {
  requireSomewhere(actor, 'administer')
  const row = await maybeOne<Stored>(
    tx,
    `SELECT p.name AS title, p.notes, p.area_id AS "areaId", g.may, p.active FROM people p JOIN grants g ON g.person_id = p.id AND g.area_id = p.area_id
      WHERE p.id = $1 AND p.kind = 'service' FOR UPDATE OF p`,
    [id],
  )
  if (!row) throw notFound('service account', id)
  await requireOn(tx, actor, 'administer', 'area', row.areaId)
  return row
}

const named = (error: unknown): never => {
  if (sqlState(error) === UNIQUE_VIOLATION) throw invalid('title', 'There is one of this name in that area already.')
  throw error
}

export async function addServiceAccount(
  actor: Actor,
  { title, notes, areaId, may }: z.output<typeof serviceAccountSchema>,
): Promise<{ id: number }> {
  return transaction(async (tx) => {
    await requireOn(tx, actor, 'administer', 'area', areaId)
    const area = await maybeOne(tx, 'SELECT id FROM areas WHERE id = $1 AND deleted_at IS NULL FOR SHARE', [areaId])
    if (!area) throw invalid('areaId', 'This area does not exist.')
    const { id } = await one<{ id: number }>(
      tx,
      `INSERT INTO people (kind, email, name, role, notes, area_id) VALUES ('service', '', $1, 'none', $2, $3) RETURNING id`,
      [title, notes, areaId],
    )
    await execute(tx, 'INSERT INTO grants (area_id, person_id, may) VALUES ($1, $2, $3)', [areaId, id, may])
    await record(tx, actor, 'added', { type: 'service account', id, title }, { areaId, may, notes })
    await notify(tx, { people: true })
    return { id }
  }).catch(named)
}

export async function changeServiceAccount(
  actor: Actor,
  id: number,
  change: z.output<typeof serviceAccountChangeSchema>,
): Promise<void> {
  await transaction(async (tx) => {
    const { areaId, ...before } = await managed(tx, actor, id)
    const after = {
      title: change.title ?? before.title,
      notes: change.notes ?? before.notes,
      may: change.may ?? before.may,
      active: change.active ?? before.active,
    }
    await execute(tx, 'UPDATE people SET name = $2, notes = $3, active = $4 WHERE id = $1', [
      id,
      after.title,
      after.notes,
      after.active,
    ])
    await execute(tx, 'UPDATE grants SET may = $3 WHERE area_id = $1 AND person_id = $2', [areaId, id, after.may])
    // Switched on again it begins with new ones.
    if (!after.active) await endAccess(tx, id)
    await record(tx, actor, 'changed', { type: 'service account', id, title: after.title }, difference(before, after))
    await notify(tx, { people: true })
  }).catch(named)
}

/** A token of a service account, shown this once; it may no more than the account. */
export async function addServiceToken(
  actor: Actor,
  id: number,
  { name, days, may }: z.output<typeof tokenSchema>,
): Promise<{ id: number; token: string }> {
  const token = newToken('bgt')
  return transaction(async (tx) => {
    const account = await managed(tx, actor, id)
    if (!account.active) throw new Problem('not-now', 'It is switched off: switch it on first.')
    if (heightOf(levelOf(may)) > heightOf(account.may))
      throw invalid('may', `${account.title} may ${account.may} there; a token of it may no more.`)
    const { count } = await one<{ count: number }>(
      tx,
      'SELECT count(*)::int AS count FROM access_tokens WHERE person_id = $1 AND revoked_at IS NULL AND expires_at > now()',
      [id],
    )
    if (count >= limit('tokens_per_person'))
      throw new Problem('not-now', `It has ${count} tokens, the most that there may be. Revoke one first.`)
    const made = await db().accessTokens.create(
      {
        personId: id,
        name,
        may,
        tokenHash: hashToken(token),
        expiresAt: new Date(Date.now() + days * 86_400_000),
      },
      { transaction: tx },
    )
    await record(
      tx,
      actor,
      'made',
      { type: 'access token', id: made.id, title: `${name} of ${account.title}` },
      { days, may },
    )
    return { id: made.id, token }
  })
}

export async function revokeServiceToken(actor: Actor, id: number, tokenId: number): Promise<void> {
  await transaction(async (tx) => {
    const account = await managed(tx, actor, id)
    const [row] = await many<{ name: string }>(
      tx,
      'UPDATE access_tokens SET revoked_at = now() WHERE id = $1 AND person_id = $2 AND revoked_at IS NULL RETURNING name',
      [tokenId, id],
    )
    if (!row) throw notFound('access token', tokenId)
    await record(tx, actor, 'revoked', { type: 'access token', id: tokenId, title: `${row.name} of ${account.title}` })
  })
}
