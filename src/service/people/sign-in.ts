import { z } from 'zod'
import { clipText } from '@/core/schema/plain-text'
import { config } from '@/store/config'
import { db, execute, many, maybeOne, one, transaction, type Tx } from '@/store/db'
import { limit } from '@/store/limits'
import { lesserRole, RIGHTS, type Right, type Role } from '@/core/people/roles'
import { COMMAND_LINE, type Actor, type ActorAreas } from '@/service/base/actor'
import { levelOf, LEVELS, type Level } from '@/core/people/rights'
import { countAttempts, forgetAttempts, isWorkDone, makeWork, workFirst, type AttemptKind } from './attempts'
import { record } from '@/service/base/audit'
import { rememberPages } from '@/service/base/pages'
import { hashPassword, isPassword, MOST_PASSWORD, passwordSchema } from './passwords'
import { insertPerson, personSchema, requireGoodPassword, type Preferences } from './people'
import { invalid, notFound, Problem } from '@/service/base/problem'
import { hashToken, newToken } from '@/service/base/secrets'

const given = z.string().max(MOST_PASSWORD)
export const signInSchema = z.strictObject({
  email: z.string().max(200),
  password: given,
  /** Work that an earlier answer asked for. */
  work: z.strictObject({ challenge: z.string().max(300), nonce: z.string().max(50) }).optional(),
})
export const passwordChangeSchema = z.strictObject({ current: given, next: passwordSchema })
export const confirmSchema = z.strictObject({ password: given })
export const setupSchema = personSchema.omit({ role: true }).extend({ code: z.string().max(100) })
export const tokenSchema = z.strictObject({
  name: z.string().trim().min(1, 'Say what the token is for.').max(80),
  days: z.int().min(1).max(366),
  /** The most that it may; never more than its person. */
  may: z.enum(RIGHTS).default('administer'),
})

const SESSION_DAYS = 14
const WINDOW_MINUTES = 15
/** Wrong tries in a quarter of an hour after which each further one takes some work: of one account from one address, of an address, of an account from anywhere. */
const MOST_PAIR = 8
const MOST_ADDRESS = 40
const MOST_ACCOUNT = 50
/** From one address, beyond which nothing is looked at any more. */
const CLOSED_ADDRESS = 1000
/** So long after showing the password what needs an administrator, and making tokens, asks for it again. */
const CONFIRMED_MINUTES = 10

export interface Caller {
  readonly address: string
  readonly userAgent: string
  /** Where the browser has our pages. */
  readonly pages?: string
}

/** Checks e-mail and password and opens a session; the old session of this browser, if any, ends. Returns the cookie's token. */
export async function signIn(
  request: z.output<typeof signInSchema>,
  caller: Caller,
  oldToken?: string,
): Promise<string> {
  const account = clipText(request.email.trim().toLowerCase(), 200)
  const keys = keysOf(account, caller.address)
  const tries = await countTries(account, caller, keys)
  if (tries.needsWork && !(request.work && (await isWorkDone(account, request.work))))
    throw workFirst(makeWork(account, tries.most))
  const person = await maybeOne<{ id: number; passwordHash: string | null; active: boolean }>(
    null,
    'SELECT id, password_hash AS "passwordHash", active FROM people WHERE lower(email) = $1',
    [account],
  )
  // Unknown accounts cost as much time as known ones.
  const fits = await isPassword(person?.passwordHash ?? (await decoyHash()), request.password)
  const ok = fits && person?.active === true && person.passwordHash !== null
  if (!ok || !person) {
    if (tries.most <= MOST_PAIR) await recordFailure(account, caller)
    throw new Problem('wrong-credentials', 'Check both and try again. An administrator can set a new password for you.')
  }
  await forgetAttempts(keys)
  return openSession(person.id, caller, oldToken)
}

let decoy: Promise<string> | undefined
const decoyHash = (): Promise<string> => (decoy ??= hashPassword('no one has this password'))

type Key = { readonly kind: AttemptKind; readonly key: string }
const keysOf = (account: string, address: string): readonly [Key, Key, Key] => [
  { kind: 'sign-in', key: `${account} ${address}` },
  { kind: 'sign-in-address', key: address },
  { kind: 'sign-in-account', key: account },
]

/**
 * Counts this try, as wrong until it turns out right. Somebody else's wrong tries make the owner of an account do some work, and never keep the owner out.
 */
async function countTries(
  account: string,
  caller: Caller,
  keys: readonly Key[],
): Promise<{ readonly needsWork: boolean; readonly most: number }> {
  const [pair = 1, address = 1, all = 1] = await countAttempts(keys)
  if (pair === MOST_PAIR + 1) await recordFailure(account, caller, 'too many wrong tries: work is asked for')
  if (address > CLOSED_ADDRESS)
    throw new Problem(
      'too-many-attempts',
      `Sign-in from your address is closed for up to ${WINDOW_MINUTES} minutes after too many wrong attempts.`,
    )
  return {
    needsWork: pair > MOST_PAIR || address > MOST_ADDRESS || all > MOST_ACCOUNT,
    most: Math.max(pair, Math.floor(address / 5), Math.floor(all / 6)),
  }
}

function recordFailure(account: string, { address }: Caller, why = 'wrong e-mail or password'): Promise<void> {
  const nobody: Actor = { ...COMMAND_LINE, name: '(nobody)', via: 'session', address }
  return transaction((tx) =>
    record(tx, nobody, 'sign-in failed', { type: 'session', id: '', title: clipText(account, 100) }, { why }),
  )
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
      ORDER BY role_height(role) DESC, name`,
  )
}

/** Signs somebody in who has shown who they are. Returns the cookie's token. */
export async function openSession(personId: number, caller: Caller, oldToken?: string): Promise<string> {
  const token = newToken('bgs')
  const role = await transaction(async (tx) => {
    if (oldToken) await execute(tx, 'DELETE FROM sessions WHERE token_hash = $1', [hashToken(oldToken)])
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

/** Shows the password again, for what asks for it. */
export async function confirmSession(actor: Actor, { password }: z.output<typeof confirmSchema>): Promise<void> {
  const person = actor.id === null ? null : await db().people.findByPk(actor.id)
  if (!person || actor.sessionId === null) throw new Problem('not-now', 'Only a person who is signed in confirms.')
  await requireOwnPassword(actor, person.passwordHash, password, 'password')
  await execute(null, 'UPDATE sessions SET confirmed_at = now() WHERE id = $1', [actor.sessionId])
}

/** The present password of whoever is signed in; wrong ones are counted by session's person. */
async function requireOwnPassword(actor: Actor, hash: string | null, password: string, path: string): Promise<void> {
  if (hash === null) return
  const key = { kind: 'confirm' as const, key: String(actor.id) }
  const [times = 1] = await countAttempts([key])
  if (times > 2 * MOST_PAIR)
    throw new Problem('too-many-attempts', `Too many wrong passwords. Wait up to ${WINDOW_MINUTES} minutes.`)
  if (!(await isPassword(hash, password))) throw invalid(path, 'That is not your present password.')
  await forgetAttempts([key])
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

export async function signOut(token: string): Promise<void> {
  await execute(null, 'DELETE FROM sessions WHERE token_hash = $1', [hashToken(token)])
}

/** Asks for the present password; every other session of the person ends. */
export async function changePassword(actor: Actor, change: z.output<typeof passwordChangeSchema>): Promise<void> {
  const person = actor.id === null ? null : await db().people.findByPk(actor.id)
  if (!person) throw notFound('person', actor.id ?? '')
  await requireOwnPassword(actor, person.passwordHash, change.current, 'current')
  await requireGoodPassword('next', change.next, person)
  const passwordHash = await hashPassword(change.next)
  await transaction(async (tx) => {
    await person.update({ passwordHash }, { transaction: tx })
    await execute(tx, 'DELETE FROM sessions WHERE person_id = $1 AND id IS DISTINCT FROM $2', [
      person.id,
      actor.sessionId,
    ])
    if (actor.sessionId !== null)
      await execute(tx, 'UPDATE sessions SET confirmed_at = now() WHERE id = $1', [actor.sessionId])
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
  if (actor.id === null || actor.via === 'token') throw new Problem('not-now', 'Sign in as a person to make a token.')
  const token = newToken('bgt')
  const personId = actor.id
  return transaction(async (tx) => {
    const { count } = await one<{ count: number }>(
      tx,
      'SELECT count(*)::int AS count FROM access_tokens WHERE person_id = $1 AND revoked_at IS NULL AND expires_at > now()',
      [personId],
    )
    if (count >= limit('tokens_per_person'))
      throw new Problem('not-now', `You have ${count} tokens, the most that there may be. Revoke one first.`)
    const { id } = await db().accessTokens.create(
      {
        personId,
        name: request.name,
        may: request.may,
        tokenHash: hashToken(token),
        expiresAt: new Date(Date.now() + request.days * 86_400_000),
      },
      { transaction: tx },
    )
    await record(
      tx,
      actor,
      'made',
      { type: 'access token', id, title: request.name },
      { days: request.days, may: request.may },
    )
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
  const key = { kind: 'set-up' as const, key: caller.address }
  const [times = 1] = await countAttempts([key])
  if (times > 2 * MOST_PAIR)
    throw new Problem('too-many-attempts', `Too many wrong codes. Wait up to ${WINDOW_MINUTES} minutes.`)
  await requireGoodPassword('password', given.password, given)
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
  if (!made) throw invalid('code', 'This code is not the one the server printed, or it has expired.')
  await forgetAttempts([key])
  return openSession(made.id, caller)
}
