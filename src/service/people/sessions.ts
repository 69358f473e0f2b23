import { levelOf, LEVELS, type Level } from '@/core/people/rights'
import { lesserRole, type Right, type Role } from '@/core/people/roles'
import type { Actor, ActorAreas } from '@/service/base/actor'
import { record } from '@/service/base/audit'
import { rememberPages } from '@/service/base/pages'
import { notFound } from '@/service/base/problem'
import { hashToken, newToken, withToken } from '@/service/base/secrets'
import { db, execute, many, maybeOne, transaction, type Tx } from '@/store/db'
import { limit } from '@/store/limits'
import { seal, sessionContext } from '@/store/seal'
import type { Preferences } from './people'

const SESSION_DAYS = 14
/** So long after showing the password what needs an administrator, and making tokens, asks for it again. */
const CONFIRMED_MINUTES = 10

export interface Caller {
  readonly address: string
  readonly userAgent: string
  /** Where the browser has our pages. */
  readonly pages?: string
}

/** Signs somebody in who has shown who they are, here or (`by`) elsewhere. Returns the cookie's token. */
export async function openSession(
  personId: number,
  caller: Caller,
  oldToken?: string,
  by?: { readonly providerId: number; readonly idToken: string },
): Promise<string> {
  const token = newToken('bgs')
  if (oldToken) await signOut(oldToken)
  const role = await transaction(async (tx) => {
    await execute(tx, 'DELETE FROM sessions WHERE expires_at < now()')
    // Of very many sessions the oldest end.
    await execute(
      tx,
      'DELETE FROM sessions WHERE id IN (SELECT id FROM sessions WHERE person_id = $1 ORDER BY last_seen_at DESC OFFSET $2)',
      [personId, limit('sessions_per_person') - 1],
    )
    const session = await db().sessions.create(
      {
        tokenHash: hashToken(token),
        personId,
        address: caller.address,
        userAgent: caller.userAgent.slice(0, 300),
        expiresAt: new Date(Date.now() + SESSION_DAYS * 86_400_000),
        ...(by ? { providerId: by.providerId, idToken: seal(by.idToken, sessionContext(hashToken(token))) } : {}),
      },
      { transaction: tx },
    )
    const actor = await actorOfSession(tx, session.tokenHash, caller.address)
    if (actor) await record(tx, actor.actor, 'signed in', { type: 'session', id: session.id, title: actor.actor.name })
    return actor?.actor.role
  })
  if (role === 'administrator' && caller.pages) await rememberPages(caller.pages)
  return token
}

/** What areas have to do with a person `p`: grants count wherever they are, walls where something could be hidden. */
const AREAS = `
  p.role = 'none' OR (p.role <> 'administrator' AND EXISTS (SELECT FROM areas WHERE closed)) AS "isWalled",
  (SELECT max(level_height(g.may)) FROM grants g
    WHERE g.person_id = p.id OR g.group_id IN (SELECT m.group_id FROM group_members m WHERE m.person_id = p.id)) AS granted`
interface AreasRow {
  readonly isWalled: boolean
  readonly granted: number | null
}
const areasOf = ({ isWalled, granted }: AreasRow, atMost: Level = 'manage'): ActorAreas => ({
  isWalled,
  granted: LEVELS[(granted ?? 0) - 1] ?? 'none',
  atMost,
})

async function actorOfSession(
  tx: Tx | null,
  tokenHash: string,
  address: string,
  isAttended = true,
): Promise<SignedIn | undefined> {
  const row = await maybeOne<
    {
      id: number
      email: string
      name: string
      role: Role
      sessionId: number
      preferences: Preferences
      seen: Date
      isConfirmed: boolean
    } & AreasRow
  >(
    tx,
    `SELECT p.id, p.email, p.name, p.role, p.preferences, s.id AS "sessionId", s.last_seen_at AS seen, ${AREAS},
            p.password_hash IS NULL OR s.confirmed_at > now() - make_interval(mins => $2) AS "isConfirmed"
       FROM sessions s JOIN people p ON p.id = s.person_id
      WHERE s.token_hash = $1 AND s.expires_at > now() AND s.last_seen_at > now() - make_interval(hours => $3) AND p.active`,
    [tokenHash, CONFIRMED_MINUTES, limit('session_idle_hours')],
  )
  if (!row) return undefined
  // Once a minute is exact enough for “last seen”, and spares a write with every request. What a page asks by itself while nobody is there does not keep a session.
  if (isAttended && Date.now() - new Date(row.seen).getTime() > 60_000) {
    await execute(tx, 'UPDATE sessions SET last_seen_at = now(), address = $2 WHERE id = $1', [row.sessionId, address])
  }
  const { id, email, name, role, sessionId, preferences, isConfirmed } = row
  const actor: Actor = { id, email, name, role, via: 'session', address, sessionId, areas: areasOf(row) }
  return { actor, preferences, isConfirmed }
}

export interface SignedIn {
  readonly actor: Actor
  readonly preferences: Preferences
  /** The password was shown a short while ago, or there is none. */
  readonly isConfirmed: boolean
}

/** `isAttended`: somebody is there; what a page asks by itself after a while keeps no session. */
export function whoHasSession(token: string, address: string, isAttended = true): Promise<SignedIn | undefined> {
  return actorOfSession(null, hashToken(token), address, isAttended)
}

export async function whoHasAccessToken(token: string, address: string): Promise<SignedIn | undefined> {
  const row = await maybeOne<
    {
      id: number
      email: string
      name: string
      role: Role
      preferences: Preferences
      may: Right
    } & AreasRow
  >(
    null,
    `UPDATE access_tokens t SET last_used_at = now() FROM people p
      WHERE p.id = t.person_id AND p.active AND t.token_hash = $1 AND t.revoked_at IS NULL AND t.expires_at > now()
      RETURNING p.id, p.email, p.name, p.role, p.preferences, t.may, ${AREAS}`,
    [hashToken(token)],
  )
  if (!row) return undefined
  const { id, email, name, preferences, may } = row
  const role = lesserRole(row.role, may)
  const areas = areasOf(row, levelOf(may))
  const actor: Actor = { id, email, name, role, via: 'token', address, sessionId: null, areas }
  return { actor, preferences, isConfirmed: true }
}

/** A person who works here, as who asks; undefined: there is none, or not any more. */
export async function actorOfPerson(id: number, address: string): Promise<Actor | undefined> {
  const row = await maybeOne<{ email: string; name: string; role: Role } & AreasRow>(
    null,
    `SELECT p.email, p.name, p.role, ${AREAS} FROM people p WHERE p.id = $1 AND p.active`,
    [id],
  )
  if (!row) return undefined
  const { email, name, role } = row
  return { id, email, name, role, via: 'session', address, sessionId: null, areas: areasOf(row) }
}

/** Ends the session, of whichever organisation it is. */
export async function signOut(token: string): Promise<void> {
  await withToken(token, () => execute(null, 'DELETE FROM sessions WHERE token_hash = $1', [hashToken(token)]))
}

export async function mySessions(actor: Actor): Promise<object[]> {
  return many(
    null,
    `SELECT id, address, user_agent AS "userAgent", created_at AS "createdAt", last_seen_at AS "lastSeenAt", id = $2 AS current
       FROM sessions WHERE person_id = $1 AND expires_at > now() ORDER BY last_seen_at DESC`,
    [actor.id, actor.sessionId],
  )
}

export async function endSession(actor: Actor, id: number): Promise<void> {
  if ((await execute(null, 'DELETE FROM sessions WHERE id = $1 AND person_id = $2', [id, actor.id])) === 0)
    throw notFound('session', id)
}
