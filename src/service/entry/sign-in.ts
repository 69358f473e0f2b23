import { z } from 'zod'
import type { Role } from '@/core/people/roles'
import { clipText } from '@/core/schema/plain-text'
import { COMMAND_LINE, type Actor } from '@/service/base/actor'
import { record } from '@/service/base/audit'
import { invalid, notFound, Problem } from '@/service/base/problem'
import { accountsWith, joinIdentities, type Account } from '@/service/people/identities'
import { config } from '@/store/config'
import { execute, many, maybeOne, transaction } from '@/store/db'
import { FIRST, inOrganisation } from '@/store/organisation'
import { inEach, knownOrganisations } from '@/store/organisations'
import {
  countAttempts,
  forgetAttempts,
  isWorkDone,
  makeWork,
  workFirst,
  type AttemptKind,
} from '@/service/people/attempts'
import { hashPassword, isPassword, MOST_PASSWORD, passwordSchema } from '@/service/people/passwords'
import { personOf, requireGoodPassword } from '@/service/people/people'
import { openSession, type Caller } from '@/service/people/sessions'
import { enter, type Entry } from './entry'

const given = z.string().max(MOST_PASSWORD)
export const signInSchema = z.strictObject({
  email: z.string().max(200),
  password: given,
  /** Work that an earlier answer asked for. */
  work: z.strictObject({ challenge: z.string().max(300), nonce: z.string().max(50) }).optional(),
})
export const passwordChangeSchema = z.strictObject({ current: given, next: passwordSchema })
export const confirmSchema = z.strictObject({ password: given })
const WINDOW_MINUTES = 15
/** Wrong tries in a quarter of an hour after which each further one takes some work: of one account from one address, of an address, of an account from anywhere. */
const MOST_PAIR = 8
const MOST_ADDRESS = 40
const MOST_ACCOUNT = 50
/** From one address, beyond which nothing is looked at any more. */
const CLOSED_ADDRESS = 1000
/**
 * Checks e-mail and password and opens a session; the old session of this browser, if any, ends. Whoever is of several organisations comes to where they were last.
 */
export async function signIn(
  request: z.output<typeof signInSchema>,
  caller: Caller,
  oldToken?: string,
): Promise<Entry> {
  const fitting = await accountsFitting(request, caller)
  const [there] = [...fitting].sort((a, b) => b.lastSeenMs - a.lastSeenMs || a.organisationId - b.organisationId)
  if (!there)
    throw new Problem('wrong-credentials', 'Check both and try again. An administrator can set a new password for you.')
  // The same password in several has shown that it is one person.
  if (fitting.length > 1) await joinIdentities(fitting)
  return inOrganisation(there.organisationId, () => enter(there.personId, caller, oldToken))
}

/** Accounts that these sign in to, in whatever organisation; none: they are wrong, which is counted. */
export async function accountsFitting(request: z.output<typeof signInSchema>, caller: Caller): Promise<Account[]> {
  const account = clipText(request.email.trim().toLowerCase(), 200)
  return inOrganisation(FIRST, async () => {
    const keys = keysOf(account, caller.address)
    const there = await accountsWith(account)
    const failed = async (why?: string): Promise<void> => {
      // It concerns those who know the address; one that nobody has concerns whoever looks after the server.
      const whose = there.length > 0 ? there.map(({ organisationId }) => organisationId) : [FIRST]
      for (const id of whose) await inOrganisation(id, () => recordFailure(account, caller, why))
    }
    const tries = await countTries(keys, failed)
    if (tries.needsWork && !(request.work && (await isWorkDone(account, request.work))))
      throw workFirst(makeWork(account, tries.most))
    // Unknown accounts cost as much time as known ones, and those of two organisations as much as those of one.
    const looks = Math.max(there.length, Math.min(2, (await knownOrganisations()).length))
    const fitting: Account[] = []
    for (let i = 0; i < looks; i++) {
      const one = there[i]
      const fits = await isPassword(one?.passwordHash ?? (await decoyHash()), request.password)
      if (one && fits && one.active && one.passwordHash !== null) fitting.push(one)
    }
    if (fitting.length > 0) await forgetAttempts(keys)
    else if (tries.most <= MOST_PAIR) await failed()
    return fitting
  })
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
  keys: readonly Key[],
  failed: (why: string) => Promise<void>,
): Promise<{ readonly needsWork: boolean; readonly most: number }> {
  const [pair = 1, address = 1, all = 1] = await countAttempts(keys)
  if (pair === MOST_PAIR + 1) await failed('too many wrong tries: work is asked for')
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

export interface DemoPeople {
  readonly organisation: number
  readonly title: string
  readonly people: readonly { readonly id: number; readonly name: string; readonly role: Role }[]
}

/** Who came with the demo, by organisation. */
export async function demoPeople(): Promise<DemoPeople[]> {
  if (!config().isDemo) return []
  const found = await inEach(async ({ id, title }) => ({
    organisation: id,
    title,
    people: await many<DemoPeople['people'][number]>(
      null,
      `SELECT id, name, role FROM people WHERE is_demo AND active ORDER BY role_height(role) DESC, name`,
    ),
  }))
  return found.filter(({ people }) => people.length > 0)
}

/** Shows the password again, for what asks for it. */
export async function confirmSession(actor: Actor, { password }: z.output<typeof confirmSchema>): Promise<void> {
  const person = actor.id === null ? null : await personOf(actor.id)
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

/** Asks for the present password; every other session of the person ends. */
export async function changePassword(actor: Actor, change: z.output<typeof passwordChangeSchema>): Promise<void> {
  const person = actor.id === null ? null : await personOf(actor.id)
  if (!person) throw notFound('person', actor.id ?? '')
  await requireOwnPassword(actor, person.passwordHash, change.current, 'current')
  await requireGoodPassword('next', change.next, person)
  const passwordHash = await hashPassword(change.next)
  await transaction(async (tx) => {
    await execute(tx, 'UPDATE people SET password_hash = $2 WHERE id = $1', [person.id, passwordHash])
    await execute(tx, 'DELETE FROM sessions WHERE person_id = $1 AND id IS DISTINCT FROM $2', [
      person.id,
      actor.sessionId,
    ])
    if (actor.sessionId !== null)
      await execute(tx, 'UPDATE sessions SET confirmed_at = now() WHERE id = $1', [actor.sessionId])
    await record(tx, actor, 'changed password', { type: 'person', id: person.id, title: person.name })
  })
}
