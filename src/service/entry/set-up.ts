import { z } from 'zod'
import { COMMAND_LINE } from '@/service/base/actor'
import { invalid, Problem } from '@/service/base/problem'
import { hashToken, newToken } from '@/service/base/secrets'
import { enterServerAdministrator } from '@/service/people/server-administrators'
import { execute, maybeOne, transaction } from '@/store/db'
import { FIRST, onServer, organisation } from '@/store/organisation'
import { countAttempts, forgetAttempts } from '@/service/people/attempts'
import { hashPassword } from '@/service/people/passwords'
import { insertPerson, personSchema, requireGoodPassword } from '@/service/people/people'
import { openSession, type Caller } from '@/service/people/sessions'

/** Wrong codes from one address in a quarter of an hour. */
const MOST_CODES = 16
const WINDOW_MINUTES = 15

export const setupSchema = personSchema.omit({ role: true }).extend({ code: z.string().max(100) })
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
  if (times > MOST_CODES)
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
  const here = organisation()
  // Whoever comes to a new server first looks after it; whoever comes to a new organisation first, after that one.
  if (here === FIRST) await onServer(() => transaction((tx) => enterServerAdministrator(tx, here, made.id)))
  return openSession(made.id, caller)
}
