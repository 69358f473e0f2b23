import { z } from 'zod'
import { heightOf, LEVELS, levelOf, type Level } from '@/core/people/rights'
import { titleSchema } from '@/core/schema/text'
import { requireSomewhere, type Actor } from '@/service/base/actor'
import { requireOn } from '@/service/base/area-rights'
import { difference, record } from '@/service/base/audit'
import { invalid, notFound, Problem } from '@/service/base/problem'
import { makeTokenIn, revokeTokenIn, type TokenRow, type tokenSchema } from '@/service/people/access-tokens'
import { endAccess } from '@/service/people/people'
import { execute, many, maybeOne, one, sqlState, transaction, UNIQUE_VIOLATION, type Tx } from '@/store/db'
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

export interface ServiceAccountRow {
  readonly id: number
  readonly title: string
  readonly notes: string
  readonly areaId: number
  readonly area: string
  readonly may: Level
  readonly active: boolean
  readonly lastUsedAt: string | null
  /** The newest, to whoever looks after it; else none is told. */
  readonly tokens: readonly TokenRow[] | null
}

const TOKENS = `coalesce((SELECT jsonb_agg(jsonb_build_object('id', t.id, 'name', t.name, 'may', t.may, 'createdAt', t.created_at, 'expiresAt', t.expires_at,
    'lastUsedAt', t.last_used_at, 'revokedAt', t.revoked_at) ORDER BY t.id DESC)
    FROM (SELECT * FROM access_tokens a WHERE a.person_id = p.id ORDER BY a.id DESC LIMIT 100) t), '[]')`

/** Those of areas that whoever asks may see. */
export async function listServiceAccounts(actor: Actor): Promise<ServiceAccountRow[]> {
  requireSomewhere(actor, 'see')
  const areas = new Map((await listAreas(actor)).map((area) => [area.id, area]))
  const rows = await many<Omit<ServiceAccountRow, 'area' | 'tokens'> & { tokens: TokenRow[] }>(
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
  request: z.output<typeof tokenSchema>,
): Promise<{ id: number; token: string }> {
  return transaction(async (tx) => {
    const { title, active, may } = await managed(tx, actor, id)
    if (!active) throw new Problem('not-now', 'It is switched off: switch it on first.')
    if (heightOf(levelOf(request.may)) > heightOf(may))
      throw invalid('may', `${title} may ${may} there; a token of it may no more.`)
    return makeTokenIn(tx, actor, { id, title, has: 'It has' }, request)
  })
}

export async function revokeServiceToken(actor: Actor, id: number, tokenId: number): Promise<void> {
  await transaction(async (tx) => {
    const { title } = await managed(tx, actor, id)
    await revokeTokenIn(tx, actor, { id, title }, tokenId)
  })
}
