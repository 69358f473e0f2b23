import { z } from 'zod'
import { RIGHTS, type Right } from '@/core/people/roles'
import type { Actor } from '@/service/base/actor'
import { record } from '@/service/base/audit'
import { notFound, Problem } from '@/service/base/problem'
import { hashToken, newToken } from '@/service/base/secrets'
import { db, many, one, transaction, type Tx } from '@/store/db'
import { limit } from '@/store/limits'

export const tokenSchema = z.strictObject({
  name: z.string().trim().min(1, 'Say what the token is for.').max(80),
  days: z.int().min(1).max(366),
  /** The most that it may; never more than its person. */
  may: z.enum(RIGHTS).default('administer'),
})

export interface TokenRow {
  readonly id: number
  readonly name: string
  readonly may: Right
  readonly createdAt: string
  readonly expiresAt: string
  readonly lastUsedAt: string | null
  readonly revokedAt: string | null
}

/** One's newest. */
export async function myTokens(actor: Actor): Promise<TokenRow[]> {
  return many<TokenRow>(
    null,
    `SELECT id, name, may, created_at AS "createdAt", expires_at AS "expiresAt", last_used_at AS "lastUsedAt", revoked_at AS "revokedAt"
       FROM access_tokens WHERE person_id = $1 ORDER BY id DESC LIMIT 100`,
    [actor.id],
  )
}

/** The token is shown this once; only its hash is kept. It can do what its person can. */
export async function addToken(
  actor: Actor,
  request: z.output<typeof tokenSchema>,
): Promise<{ id: number; token: string }> {
  const { id } = actor
  if (id === null || actor.via === 'token') throw new Problem('not-now', 'Sign in as a person to make a token.')
  return transaction((tx) => makeTokenIn(tx, actor, { id, has: 'You have' }, request))
}

/** Whose a token is: a person, or a service account, of which the record says the name. */
interface Owner {
  readonly id: number
  /** Begins the sentence that says that there are enough. */
  readonly has: string
  readonly title?: string
}
const called = (name: string, { title }: Pick<Owner, 'title'>): string =>
  title === undefined ? name : `${name} of ${title}`

export async function makeTokenIn(
  tx: Tx,
  actor: Actor,
  owner: Owner,
  { name, days, may }: z.output<typeof tokenSchema>,
): Promise<{ id: number; token: string }> {
  const token = newToken('bgt')
  const { count } = await one<{ count: number }>(
    tx,
    'SELECT count(*)::int AS count FROM access_tokens WHERE person_id = $1 AND revoked_at IS NULL AND expires_at > now()',
    [owner.id],
  )
  if (count >= limit('tokens_per_person'))
    throw new Problem('not-now', `${owner.has} ${count} tokens, the most that there may be. Revoke one first.`)
  const { id } = await db().accessTokens.create(
    {
      personId: owner.id,
      name,
      may,
      tokenHash: hashToken(token),
      expiresAt: new Date(Date.now() + days * 86_400_000),
    },
    { transaction: tx },
  )
  await record(tx, actor, 'made', { type: 'access token', id, title: called(name, owner) }, { days, may })
  return { id, token }
}

export async function revokeToken(actor: Actor, id: number): Promise<void> {
  await transaction((tx) => revokeTokenIn(tx, actor, { id: actor.id }, id))
}

export async function revokeTokenIn(
  tx: Tx,
  actor: Actor,
  owner: { readonly id: number | null; readonly title?: string },
  id: number,
): Promise<void> {
  const [row] = await many<{ name: string }>(
    tx,
    'UPDATE access_tokens SET revoked_at = now() WHERE id = $1 AND person_id = $2 AND revoked_at IS NULL RETURNING name',
    [id, owner.id],
  )
  if (!row) throw notFound('access token', id)
  await record(tx, actor, 'revoked', { type: 'access token', id, title: called(row.name, owner) })
}
