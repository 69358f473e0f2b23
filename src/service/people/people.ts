import { z } from 'zod'
import { titleSchema } from '@/core/schema/text'
import { OPENS } from '@/core/people/opens'
import { ROLES, type Role } from '@/core/people/roles'
import { triggerDefaultsSchema } from '@/core/work/trigger'
import { db, execute, many, maybeOne, one, sqlState, transaction, UNIQUE_VIOLATION, type Tx } from '@/store/db'
import { requireRight, type Actor } from '@/service/base/actor'
import { difference, record } from '@/service/base/audit'
import { notify } from '@/store/listen'
import { hashPassword, passwordFault, passwordSchema } from './passwords'
import { invalid, notFound, Problem } from '@/service/base/problem'
import { leaveIdentity } from './identities'
import { organisation } from '@/store/organisation'

export const personSchema = z.strictObject({
  email: z.email('That is not an e-mail address.').max(200),
  name: titleSchema('A name is needed.', 100),
  role: z.enum(ROLES),
  password: passwordSchema,
})
export const personChangeSchema = z
  .strictObject({
    name: z.string().trim().min(1).max(100),
    role: z.enum(ROLES),
    active: z.boolean(),
    password: passwordSchema,
  })
  .partial()
export const preferencesSchema = z
  .strictObject({
    zone: z.string().max(60).refine(isZone, 'That is not an IANA time zone.'),
    theme: z.enum(['light', 'dark', 'system']),
    paceSeconds: z.union([z.literal(1), z.literal(5), z.literal(15), z.literal(60)]),
    /** How days are written in fields. */
    dateFormat: z.enum(['iso', 'day-first', 'month-first']),
    /** Where Bugle opens. */
    opens: z.enum(OPENS),
    /** What new triggers of this person begin with. */
    newTrigger: triggerDefaultsSchema,
  })
  .partial()
export type Preferences = z.output<typeof preferencesSchema>

function isZone(zone: string): boolean {
  try {
    new Intl.DateTimeFormat('en', { timeZone: zone })
    return true
  } catch {
    return false
  }
}

export interface PersonRow {
  readonly id: number
  readonly email: string
  readonly name: string
  readonly role: Role
  readonly active: boolean
  readonly lastSeenAt: string | null
  readonly groups: readonly string[]
  /** Whether they show more than a password; told to administrators. */
  readonly secondFactor?: boolean
}

const SECOND_FACTOR = ', EXISTS (SELECT FROM second_factors f WHERE f.person_id = p.id) AS "secondFactor"'

export async function listPeople(actor: Actor): Promise<PersonRow[]> {
  requireRight(actor, 'see')
  return many<PersonRow>(
    null,
    `SELECT p.id, p.email, p.name, p.role, p.active, max(s.last_seen_at) AS "lastSeenAt",
            coalesce((SELECT array_agg(g.title ORDER BY lower(g.title)) FROM group_members m JOIN groups g ON g.id = m.group_id WHERE m.person_id = p.id), '{}') AS groups${actor.role === 'administrator' ? SECOND_FACTOR : ''}
       FROM people p LEFT JOIN sessions s ON s.person_id = p.id WHERE p.kind = 'person' GROUP BY p.id ORDER BY lower(p.name)`,
  )
}

/** Refuses a password that is guessed early. */
export async function requireGoodPassword(
  path: string,
  password: string,
  { name, email }: { readonly name: string; readonly email: string },
): Promise<void> {
  const fault = await passwordFault(password, [name, email])
  if (fault !== null) throw invalid(path, fault)
}

export async function addPerson(actor: Actor, person: z.output<typeof personSchema>): Promise<{ id: number }> {
  requireRight(actor, 'administer')
  await requireGoodPassword('password', person.password, person)
  const passwordHash = await hashPassword(person.password)
  return transaction((tx) => insertPerson(tx, actor, { ...person, passwordHash }))
}

export async function insertPerson(
  tx: Tx,
  actor: Actor,
  person: { email: string; name: string; role: Role; passwordHash: string | null; isDemo?: boolean },
): Promise<{ id: number }> {
  try {
    const { id } = await db().people.create(
      {
        email: person.email,
        name: person.name,
        role: person.role,
        passwordHash: person.passwordHash,
        isDemo: person.isDemo ?? false,
      },
      { transaction: tx },
    )
    await record(
      tx,
      actor,
      'added',
      { type: 'person', id, title: person.name },
      { email: person.email, role: person.role },
    )
    return { id }
  } catch (error) {
    if (sqlState(error) === UNIQUE_VIOLATION)
      throw invalid('email', 'Somebody with this e-mail address is here already.')
    throw error
  }
}

export async function changePerson(
  actor: Actor,
  id: number,
  change: z.output<typeof personChangeSchema>,
): Promise<void> {
  requireRight(actor, 'administer')
  const passwordHash = change.password === undefined ? undefined : await newPasswordOf(id, change.password)
  await transaction(async (tx) => {
    const person = await db().people.findByPk(id, { transaction: tx, lock: true })
    if (person?.kind !== 'person') throw notFound('person', id)
    const before = { name: person.name, role: person.role, active: person.active }
    const after = {
      name: change.name ?? before.name,
      role: change.role ?? before.role,
      active: change.active ?? before.active,
    }
    await person.update({ ...after, ...(passwordHash ? { passwordHash } : {}) }, { transaction: tx })
    const { left } = await one<{ left: number }>(
      tx,
      `SELECT count(*)::int AS left FROM people WHERE role = 'administrator' AND active`,
    )
    if (left === 0) throw new Problem('not-now', 'This is the last administrator. Make somebody else one first.')
    // Who sets a password anew may do so because somebody else knows it: nothing opened with the old one goes on.
    if (passwordHash !== undefined || !after.active) await endAccess(tx, id)
    const changes = { ...difference(before, after), ...(passwordHash ? { password: 'set anew' } : {}) }
    await record(tx, actor, 'changed', { type: 'person', id, title: after.name }, changes)
    await notify(tx, { people: true })
  })
  // What opens the account here from now on was given by somebody else: it opens nothing elsewhere.
  if (passwordHash !== undefined) await leaveIdentity({ organisationId: organisation(), personId: id })
}

/** Sessions, tokens and links for a new password of somebody end. */
export async function endAccess(tx: Tx, personId: number): Promise<void> {
  await execute(tx, 'DELETE FROM sessions WHERE person_id = $1', [personId])
  await execute(tx, 'UPDATE access_tokens SET revoked_at = now() WHERE person_id = $1 AND revoked_at IS NULL', [
    personId,
  ])
  await execute(tx, 'UPDATE letters SET used_at = now() WHERE person_id = $1 AND used_at IS NULL', [personId])
}

export interface KnownPerson {
  readonly id: number
  readonly name: string
  readonly email: string
  readonly passwordHash: string | null
}

export const personOf = (id: number): Promise<KnownPerson | undefined> =>
  maybeOne<KnownPerson>(null, 'SELECT id, name, email, password_hash AS "passwordHash" FROM people WHERE id = $1', [id])

async function newPasswordOf(id: number, password: string): Promise<string> {
  const person = await personOf(id)
  if (!person) throw notFound('person', id)
  await requireGoodPassword('password', password, person)
  return hashPassword(password)
}

export async function savePreferences(actor: Actor, preferences: Preferences): Promise<void> {
  if (actor.id === null) throw new Problem('not-now', 'Only a person has preferences.')
  await execute(null, 'UPDATE people SET preferences = preferences || $2::jsonb WHERE id = $1', [
    actor.id,
    JSON.stringify(preferences),
  ])
}
