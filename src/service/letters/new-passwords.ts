import { z } from 'zod'
import { clipText } from '@/core/schema/plain-text'
import { COMMAND_LINE, type Actor } from '@/service/base/actor'
import { record } from '@/service/base/audit'
import { Problem } from '@/service/base/problem'
import { hashToken, newToken } from '@/service/base/secrets'
import { countAttempts } from '@/service/people/attempts'
import { hashPassword, passwordSchema } from '@/service/people/passwords'
import { endAccess, requireGoodPassword } from '@/service/people/people'
import { enter, type Entry } from '@/service/entry/entry'
import type { Caller } from '@/service/people/sessions'
import { db, execute, many, maybeOne, transaction } from '@/store/db'
import { countAsked, noLongerGood, tokenSchema } from './invitations'
import { letterServer, linkTo, sendLetter } from './letter'
import { accountsWith, leaveIdentity } from '@/service/people/identities'
import { inOrganisation, organisation } from '@/store/organisation'
import { inEach, knownOrganisations } from '@/store/organisations'

const HOURS = 1
/** Letters to one address in a quarter of an hour: nobody's mailbox is filled. */
const MOST_LETTERS = 3

export const forgottenSchema = z.strictObject({ email: z.string().max(200) })
export const newPasswordSchema = tokenSchema.extend({ password: passwordSchema })

/**
 * Writes to whoever has an account with this address and signs in with a password. The answer is the same, and as quick, whether there is one: nobody learns from it who has an account.
 *
 * @param later what is done after the answer; a test waits for it
 */
export async function forgotten(
  { email }: z.output<typeof forgottenSchema>,
  caller: Caller,
  later: (work: Promise<void>) => void = () => undefined,
): Promise<void> {
  await countAsked(caller)
  const servers = await inEach(() => letterServer(null))
  if (servers.every((server) => server === undefined))
    throw new Problem('not-now', 'This Bugle sends no mail. Ask an administrator to set a new password for you.')
  const address = clipText(email.trim().toLowerCase(), 200)
  const [times = 1] = await countAttempts([{ kind: 'letter', key: `to ${address}` }])
  if (times > MOST_LETTERS) return
  later(writeAll(address, caller))
}

/** One for each organisation that the address is of: its own account, its own mail server. */
async function writeAll(address: string, caller: Caller): Promise<void> {
  try {
    for (const { organisationId } of await accountsWith(address))
      await inOrganisation(organisationId, () => write(address, caller))
  } catch (error) {
    process.stderr.write(`A letter with a new password could not be sent: ${(error as Error).message}\n`)
  }
}

async function write(address: string, caller: Caller): Promise<void> {
  const token = newToken('bgp')
  await transaction(async (tx) => {
    const person = await maybeOne<{ id: number; email: string; name: string }>(
      tx,
      'SELECT id, email, name FROM people WHERE lower(email) = $1 AND active AND password_hash IS NOT NULL',
      [address],
    )
    const server = await letterServer(tx)
    if (!person || server === undefined) return
    const { id } = await db().letters.create(
      {
        kind: 'password',
        tokenHash: hashToken(token),
        email: person.email,
        personId: person.id,
        madeBy: person.name,
        expiresAt: new Date(Date.now() + HOURS * 3_600_000),
      },
      { transaction: tx },
    )
    await record(tx, nobodyAt(caller), 'asked for a new password', {
      type: 'person',
      id: person.id,
      title: person.name,
    })
    const known = await knownOrganisations()
    const where = known.length > 1 ? ` of ${known.find(({ id }) => id === organisation())?.title}` : ''
    const text = [
      `Somebody at ${caller.address} asked for a new password for you in Bugle${where}.`,
      '',
      'Choose it here:',
      await linkTo('new-password', token),
      '',
      `The link works once, and for an hour. If it was not you, do nothing: your password stays.`,
    ].join('\n')
    await sendLetter(server, { to: person.email, subject: 'A new password for Bugle', text }, `password ${id}`)
  })
}

const nobodyAt = ({ address }: Caller): Actor => ({ ...COMMAND_LINE, name: '(nobody)', via: 'session', address })

/** Sets it; every session, token and other letter of the person ends, and they are signed in here. */
export async function setNewPassword(
  { token, password }: z.output<typeof newPasswordSchema>,
  caller: Caller,
): Promise<Entry> {
  await countAsked(caller)
  const GOOD = `l.token_hash = $1 AND l.kind = 'password' AND l.used_at IS NULL AND l.expires_at > now()`
  const person = await maybeOne<{ id: number; name: string; email: string }>(
    null,
    `SELECT p.id, p.name, p.email FROM letters l JOIN people p ON p.id = l.person_id AND p.active WHERE ${GOOD}`,
    [hashToken(token)],
  )
  if (!person) throw noLongerGood()
  await requireGoodPassword('password', password, person)
  const passwordHash = await hashPassword(password)
  await transaction(async (tx) => {
    const [used] = await many<{ id: number }>(tx, `UPDATE letters l SET used_at = now() WHERE ${GOOD} RETURNING id`, [
      hashToken(token),
    ])
    if (!used) throw noLongerGood()
    await execute(tx, 'UPDATE people SET password_hash = $2 WHERE id = $1', [person.id, passwordHash])
    await endAccess(tx, person.id)
    const actor: Actor = { ...nobodyAt(caller), id: person.id, name: person.name }
    await record(
      tx,
      actor,
      'changed password',
      { type: 'person', id: person.id, title: person.name },
      { by: 'a letter' },
    )
  })
  // The letter went by this organisation's mail server: what it opens is of this organisation.
  await leaveIdentity({ organisationId: organisation(), personId: person.id })
  return enter(person.id, caller)
}
