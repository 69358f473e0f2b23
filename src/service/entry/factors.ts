import { randomBytes } from 'node:crypto'
import type { Role } from '@/core/people/roles'
import { requireRight, type Actor } from '@/service/base/actor'
import { record } from '@/service/base/audit'
import { notFound, Problem } from '@/service/base/problem'
import { hashToken } from '@/service/base/secrets'
import { changeSetting, readSetting, type Setting } from '@/service/base/settings'
import { beyondWalls } from '@/store/walls'
import { execute, many, maybeOne, one, transaction, type Tx } from '@/store/db'

export interface FactorRow {
  readonly id: number
  readonly kind: 'app' | 'passkey'
  readonly title: string
  readonly madeAt: string
  readonly lastUsedAt: string | null
}

export interface MyFactors {
  /** The role asks for one. */
  readonly isAsked: boolean
  readonly factors: readonly FactorRow[]
  /** Codes on paper that are still good. */
  readonly recoveryLeft: number
}

export const isAskedOf = async (tx: Tx | null, role: Role): Promise<boolean> =>
  (await readSetting(tx, 'second-factor')).roles.includes(role)

const own = (actor: Actor): number => {
  if (actor.id === null || actor.via !== 'session') throw new Problem('not-now', 'Sign in as a person for this.')
  return actor.id
}

/** One's own, which stand beyond every wall: whoever reads behind them may read nobody's. */
export function myFactors(actor: Actor): Promise<MyFactors> {
  return beyondWalls(() => factorsOf(own(actor), actor.role))
}

async function factorsOf(personId: number, role: Role): Promise<MyFactors> {
  const factors = await many<FactorRow>(
    null,
    `SELECT id, kind, title, made_at AS "madeAt", last_used_at AS "lastUsedAt" FROM second_factors WHERE person_id = $1 ORDER BY id`,
    [personId],
  )
  const { left } = await one<{ left: number }>(
    null,
    'SELECT count(*)::int AS left FROM recovery_codes WHERE person_id = $1 AND used_at IS NULL',
    [personId],
  )
  return { isAsked: await isAskedOf(null, role), factors, recoveryLeft: left }
}

export async function removeFactor(actor: Actor, id: number): Promise<void> {
  const personId = own(actor)
  await transaction(async (tx) => {
    await maybeOne(tx, 'SELECT id FROM people WHERE id = $1 FOR UPDATE', [personId])
    const [row] = await many<{ title: string }>(
      tx,
      'DELETE FROM second_factors WHERE id = $1 AND person_id = $2 RETURNING title',
      [id, personId],
    )
    if (!row) throw notFound('second factor', id)
    const isLast = !(await maybeOne(tx, 'SELECT 1 AS one FROM second_factors WHERE person_id = $1 LIMIT 1', [personId]))
    if (isLast && (await isAskedOf(tx, actor.role)))
      throw new Problem('not-now', 'Your role asks for a second factor: add another one before you remove the last.')
    if (isLast) await execute(tx, 'DELETE FROM recovery_codes WHERE person_id = $1', [personId])
    await record(tx, actor, 'removed', { type: 'second factor', id, title: row.title })
  })
}

const CODES = 10
/** Without letters that look alike (RFC 4648, section 6, and not 0, 1, 8). */
const LETTERS = 'abcdefghijklmnopqrstuvwxyz234567'

/** 80 bits each, so that a plain hash keeps them. */
function newCode(): string {
  const letters = [...randomBytes(16)].map((byte) => LETTERS[byte % 32])
  return [0, 4, 8, 12].map((from) => letters.slice(from, from + 4).join('')).join('-')
}

/** As somebody may have written it. */
export const plainCode = (text: string): string => text.toLowerCase().replaceAll(/[^a-z2-7]/g, '')

/** New codes in place of the old ones; shown this once. */
export async function renewCodes(tx: Tx, personId: number): Promise<string[]> {
  const codes = Array.from({ length: CODES }, newCode)
  await execute(tx, 'DELETE FROM recovery_codes WHERE person_id = $1', [personId])
  await execute(tx, 'INSERT INTO recovery_codes (person_id, code_hash) SELECT $1, unnest($2::text[])', [
    personId,
    codes.map((code) => hashToken(plainCode(code))),
  ])
  return codes
}

export async function renewMyCodes(actor: Actor): Promise<{ codes: string[] }> {
  const personId = own(actor)
  return transaction(async (tx) => {
    if (!(await maybeOne(tx, 'SELECT 1 AS one FROM second_factors WHERE person_id = $1 LIMIT 1', [personId])))
      throw new Problem('not-now', 'They stand in for a second factor; there is none.')
    const codes = await renewCodes(tx, personId)
    await record(tx, actor, 'made', { type: 'recovery codes', id: personId, title: actor.name })
    return { codes }
  })
}

/** Somebody has lost theirs: with the password alone they come in again, and set up another where it is asked for. */
export async function removeFactorsOf(actor: Actor, personId: number): Promise<void> {
  requireRight(actor, 'administer')
  await transaction(async (tx) => {
    const person = await maybeOne<{ name: string }>(tx, 'SELECT name FROM people WHERE id = $1', [personId])
    if (!person) throw notFound('person', personId)
    const gone = await execute(tx, 'DELETE FROM second_factors WHERE person_id = $1', [personId])
    await execute(tx, 'DELETE FROM recovery_codes WHERE person_id = $1', [personId])
    if (gone === 0) throw new Problem('not-now', `${person.name} has no second factor.`)
    await record(tx, actor, 'removed the second factors of', { type: 'person', id: personId, title: person.name })
  })
}

export async function secondFactorSetting(actor: Actor): Promise<Setting<'second-factor'>> {
  requireRight(actor, 'administer')
  return readSetting(null, 'second-factor')
}

/** Whose role asks for a second factor: at their next signing in. */
export async function saveSecondFactorSetting(actor: Actor, request: Setting<'second-factor'>): Promise<void> {
  requireRight(actor, 'administer')
  await changeSetting(actor, 'second-factor', 'Roles that take a second factor', request)
}
