import { z } from 'zod'
import { config } from '@/store/config'
import { db, execute, many, maybeOne, one, transaction, type Tx } from '@/store/db'
import type { Role } from '@/core/people/roles'
import { COMMAND_LINE, type Actor } from './actor'
import { record } from './audit'
import { hashPassword, insertPerson, isPassword, passwordSchema, personSchema, type Preferences } from './people'
import { invalid, notFound, Problem } from './problem'
import { hashToken, newToken } from './secrets'

export const signInSchema = z.strictObject({ email: z.string().max(200), password: z.string().max(200) })
export const passwordChangeSchema = z.strictObject({ current: z.string().max(200), next: passwordSchema })
export const setupSchema = personSchema.omit({ role: true }).extend({ code: z.string().max(100) })
export const tokenSchema = z.strictObject({
  name: z.string().trim().min(1, 'Say what the token is for.').max(80),
  days: z.int().min(1).max(366),
})

const SESSION_DAYS = 14
const WINDOW_MINUTES = 15
const MOST_FOR_ACCOUNT = 8
const MOST_FOR_ADDRESS = 40

export interface Caller {
  readonly address: string
  readonly userAgent: string
}

/** Checks e-mail and password and opens a session; the old session of this browser, if any, ends. Returns the cookie's token. */
export async function signIn(given: z.output<typeof signInSchema>, caller: Caller, oldToken?: string): Promise<string> {
  const account = given.email.trim().toLowerCase()
  await refuseIfTooMany(account, caller.address)
  const person = await maybeOne<{ id: number; passwordHash: string | null; active: boolean }>(
    null,
    'SELECT id, password_hash AS "passwordHash", active FROM people WHERE lower(email) = $1',
    [account],
  )
  // Unknown accounts cost as much time as known ones.
  const fits = await isPassword(person?.passwordHash ?? (await decoyHash()), given.password)
  const ok = fits && person?.active === true && person.passwordHash !== null
  await execute(null, 'INSERT INTO sign_in_attempts (account, address, succeeded) VALUES ($1, $2, $3)', [
    account,
    caller.address,
    ok,
  ])
  if (!ok || !person)
    throw new Problem('wrong-credentials', 'Check both and try again. An administrator can set a new password for you.')
  return openSession(person.id, caller, oldToken)
}

let decoy: Promise<string> | undefined
const decoyHash = (): Promise<string> => (decoy ??= hashPassword('no one has this password'))

async function refuseIfTooMany(account: string, address: string): Promise<void> {
  const counts = await one<{ account: number; address: number }>(
    null,
    `SELECT count(*) FILTER (WHERE account = $1)::int AS account, count(*) FILTER (WHERE address = $2)::int AS address
       FROM sign_in_attempts
      WHERE NOT succeeded AND at > now() - make_interval(mins => $3) AND (account = $1 OR address = $2)`,
    [account, address, WINDOW_MINUTES],
  )
  if (counts.account >= MOST_FOR_ACCOUNT || counts.address >= MOST_FOR_ADDRESS) {
    throw new Problem(
      'too-many-attempts',
      `Sign-in is closed for ${WINDOW_MINUTES} minutes after too many wrong attempts.`,
    )
  }
}

/** One click, in demo mode, and only for people who came with the demo. */
export async function signInAsDemoPerson(personId: number, caller: Caller, oldToken?: string): Promise<string> {
  const person = config().isDemo
    ? await maybeOne(null, 'SELECT id FROM people WHERE id = $1 AND is_demo AND active', [personId])
    : undefined
  if (!person) throw notFound('demo person', personId)
  return openSession(personId, caller, oldToken)
}

export async function demoPeople(): Promise<{ id: number; name: string; role: Role }[]> {
  if (!config().isDemo) return []
  return many(
    null,
    `SELECT id, name, role FROM people WHERE is_demo AND active
      ORDER BY array_position(ARRAY['administrator','designer','operator','viewer'], role), name`,
  )
}

async function openSession(personId: number, caller: Caller, oldToken?: string): Promise<string> {
  const token = newToken('bgs')
  await transaction(async (tx) => {
    if (oldToken) await execute(tx, 'DELETE FROM sessions WHERE token_hash = $1', [hashToken(oldToken)])
    await execute(tx, 'DELETE FROM sessions WHERE expires_at < now()')
    const session = await db().Session.create(
      {
        tokenHash: hashToken(token),
        personId,
        address: caller.address,
        userAgent: caller.userAgent.slice(0, 300),
        expiresAt: new Date(Date.now() + SESSION_DAYS * 86_400_000),
      },
      { transaction: tx },
    )
    const actor = await actorOfSession(tx, session.tokenHash, caller.address)
    if (actor) await record(tx, actor.actor, 'signed in', { type: 'session', id: session.id, title: actor.actor.name })
  })
  return token
}

async function actorOfSession(tx: Tx | null, tokenHash: string, address: string): Promise<SignedIn | undefined> {
  const row = await maybeOne<{
    id: number
    email: string
    name: string
    role: Role
    sessionId: number
    preferences: Preferences
    seen: Date
  }>(
    tx,
    `SELECT p.id, p.email, p.name, p.role, p.preferences, s.id AS "sessionId", s.last_seen_at AS seen
       FROM sessions s JOIN people p ON p.id = s.person_id
      WHERE s.token_hash = $1 AND s.expires_at > now() AND p.active`,
    [tokenHash],
  )
  if (!row) return undefined
  // Once a minute is exact enough for “last seen”, and spares a write with every request.
  if (Date.now() - new Date(row.seen).getTime() > 60_000) {
    await execute(tx, 'UPDATE sessions SET last_seen_at = now(), address = $2 WHERE id = $1', [row.sessionId, address])
  }
  const { id, email, name, role, sessionId, preferences } = row
  return { actor: { id, email, name, role, via: 'session', address, sessionId }, preferences }
}

export interface SignedIn {
  readonly actor: Actor
  readonly preferences: Preferences
}

export function whoHasSession(token: string, address: string): Promise<SignedIn | undefined> {
  return actorOfSession(null, hashToken(token), address)
}

export async function whoHasAccessToken(token: string, address: string): Promise<SignedIn | undefined> {
  const row = await maybeOne<{ id: number; email: string; name: string; role: Role; preferences: Preferences }>(
    null,
    `UPDATE access_tokens t SET last_used_at = now() FROM people p
      WHERE p.id = t.person_id AND p.active AND t.token_hash = $1 AND t.revoked_at IS NULL AND t.expires_at > now()
      RETURNING p.id, p.email, p.name, p.role, p.preferences`,
    [hashToken(token)],
  )
  if (!row) return undefined
  const { preferences, ...person } = row
  return { actor: { ...person, via: 'token', address, sessionId: null }, preferences }
}

export async function signOut(token: string): Promise<void> {
  await execute(null, 'DELETE FROM sessions WHERE token_hash = $1', [hashToken(token)])
}

/** Asks for the present password; every other session of the person ends. */
export async function changePassword(actor: Actor, change: z.output<typeof passwordChangeSchema>): Promise<void> {
  const person = actor.id === null ? null : await db().Person.findByPk(actor.id)
  if (!person) throw notFound('person', actor.id ?? '')
  await refuseIfTooMany(`password of ${person.id}`, '')
  if (person.passwordHash !== null && !(await isPassword(person.passwordHash, change.current))) {
    await execute(null, 'INSERT INTO sign_in_attempts (account, address, succeeded) VALUES ($1, $2, false)', [
      `password of ${person.id}`,
      actor.address,
    ])
    throw invalid('current', 'That is not your present password.')
  }
  const passwordHash = await hashPassword(change.next)
  await transaction(async (tx) => {
    await person.update({ passwordHash }, { transaction: tx })
    await execute(tx, 'DELETE FROM sessions WHERE person_id = $1 AND id IS DISTINCT FROM $2', [
      person.id,
      actor.sessionId,
    ])
    await record(tx, actor, 'changed password', { type: 'person', id: person.id, title: person.name })
  })
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

export async function myTokens(actor: Actor): Promise<object[]> {
  return many(
    null,
    `SELECT id, name, created_at AS "createdAt", expires_at AS "expiresAt", last_used_at AS "lastUsedAt", revoked_at AS "revokedAt"
       FROM access_tokens WHERE person_id = $1 ORDER BY id DESC LIMIT 100`,
    [actor.id],
  )
}

/** The token is shown this once; only its hash is kept. It can do what its person can. */
export async function addToken(
  actor: Actor,
  wish: z.output<typeof tokenSchema>,
): Promise<{ id: number; token: string }> {
  if (actor.id === null || actor.via === 'token') throw new Problem('not-now', 'Sign in as a person to make a token.')
  const token = newToken('bgt')
  const personId = actor.id
  return transaction(async (tx) => {
    const { id } = await db().AccessToken.create(
      {
        personId,
        name: wish.name,
        tokenHash: hashToken(token),
        expiresAt: new Date(Date.now() + wish.days * 86_400_000),
      },
      { transaction: tx },
    )
    await record(tx, actor, 'made', { type: 'access token', id, title: wish.name }, { days: wish.days })
    return { id, token }
  })
}

export async function revokeToken(actor: Actor, id: number): Promise<void> {
  await transaction(async (tx) => {
    const [row] = await many<{ name: string }>(
      tx,
      'UPDATE access_tokens SET revoked_at = now() WHERE id = $1 AND person_id = $2 AND revoked_at IS NULL RETURNING name',
      [id, actor.id],
    )
    if (!row) throw notFound('access token', id)
    await record(tx, actor, 'revoked', { type: 'access token', id, title: row.name })
  })
}

/** While nobody is here yet: a one-time code for the first administrator, good for a day. Undefined once somebody is. */
export async function makeSetupCode(): Promise<string | undefined> {
  if (await maybeOne(null, 'SELECT 1 AS one FROM people LIMIT 1')) return undefined
  const code = newToken('first').slice(0, 22)
  await execute(null, `INSERT INTO setup_codes VALUES ($1, now() + interval '1 day')`, [hashToken(code)])
  return code
}

export async function needsSetup(): Promise<boolean> {
  return !(await maybeOne(null, 'SELECT 1 AS one FROM people LIMIT 1'))
}

export async function setUpFirstAdministrator(given: z.output<typeof setupSchema>, caller: Caller): Promise<string> {
  await refuseIfTooMany('setup', caller.address)
  const passwordHash = await hashPassword(given.password)
  const made = await transaction(async (tx) => {
    await execute(tx, 'LOCK TABLE people IN EXCLUSIVE MODE')
    if (await maybeOne(tx, 'SELECT 1 AS one FROM people LIMIT 1'))
      throw new Problem('not-now', 'The first administrator is there already. Sign in.')
    const used = await execute(tx, 'DELETE FROM setup_codes WHERE code_hash = $1 AND expires_at > now()', [
      hashToken(given.code.trim()),
    ])
    if (used === 0) return undefined
    await execute(tx, 'DELETE FROM setup_codes')
    return insertPerson(
      tx,
      { ...COMMAND_LINE, name: 'set-up', address: caller.address },
      { ...given, role: 'administrator', passwordHash },
    )
  })
  if (!made) {
    await execute(null, 'INSERT INTO sign_in_attempts (account, address, succeeded) VALUES ($1, $2, false)', [
      'setup',
      caller.address,
    ])
    throw invalid('code', 'This code is not the one the server printed, or it has expired.')
  }
  return openSession(made.id, caller)
}
