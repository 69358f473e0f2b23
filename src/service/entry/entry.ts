import { generateAuthenticationOptions, verifyAuthenticationResponse } from '@simplewebauthn/server'
import { z } from 'zod'
import type { Role } from '@/core/people/roles'
import { COMMAND_LINE, type Actor } from '@/service/base/actor'
import { record } from '@/service/base/audit'
import { invalid, Problem } from '@/service/base/problem'
import { hashToken } from '@/service/base/secrets'
import { countAttempts, forgetAttempts } from '@/service/people/attempts'
import type { KnownPerson } from '@/service/people/people'
import { openSession, type Caller } from '@/service/people/sessions'
import { execute, many, maybeOne, one, transaction } from '@/store/db'
import { factorContext, unseal } from '@/store/seal'
import { stepOfCode } from './app-codes'
import { isAskedOf, plainCode } from './factors'
import type { newFactorSchema } from './make-factor'
import { credentialsOf, finishFactor, passkeyAnswerSchema, passkeyHost } from './make-factor'
import { endTicket, fillTicket, newTicket, takeTicket, ticketOver, type Ticket } from './tickets'

/** Wrong codes of one person in a quarter of an hour; passkeys cannot be guessed and are not counted. */
const MOST_CODES = 10

/** What comes of the password: in, or one thing more. */
export type Entry =
  { readonly kind: 'in'; readonly token: string } | { readonly kind: 'more'; readonly more: SecondFactorAsked }

export interface SecondFactorAsked {
  readonly ticket: string
  /** show: one of theirs; make: the first one, which their role asks for. */
  readonly needs: 'show' | 'make'
  readonly hasApp: boolean
  /** What the browser is to ask a passkey; null: there is none for these pages. */
  readonly passkey: object | null
}

/** Somebody has shown the password, or what stands for it: they are in, unless a second factor is there or asked for. */
export async function enter(personId: number, caller: Caller, oldToken?: string): Promise<Entry> {
  const { role, kinds } = await one<{ role: Role; kinds: ('app' | 'passkey')[] }>(
    null,
    `SELECT p.role, coalesce((SELECT array_agg(DISTINCT f.kind) FROM second_factors f WHERE f.person_id = p.id), '{}') AS kinds FROM people p WHERE p.id = $1`,
    [personId],
  )
  const isThere = kinds.length > 0
  if (!isThere && !(await isAskedOf(null, role)))
    return { kind: 'in', token: await openSession(personId, caller, oldToken) }
  return transaction(async (tx) => {
    const ticket = await newTicket(tx, personId, isThere ? 'show' : 'make')
    const host = passkeyHost(caller.pages)
    const passkey =
      host === undefined || !kinds.includes('passkey')
        ? null
        : await generateAuthenticationOptions({
            rpID: host,
            allowCredentials: (await credentialsOf(tx, personId)) as never,
            userVerification: 'preferred',
          })
    await fillTicket(tx, ticket, { challenge: passkey?.challenge })
    return {
      kind: 'more',
      more: { ticket, needs: isThere ? 'show' : 'make', hasApp: kinds.includes('app'), passkey },
    }
  })
}

export const secondFactorSchema = z.strictObject({
  ticket: z.string().max(200),
  code: z.string().max(20).optional(),
  recovery: z.string().max(60).optional(),
  passkey: passkeyAnswerSchema.optional(),
})

/** Shows the second factor. Returns the cookie's token. */
export async function showSecondFactor(
  { ticket: token, code, recovery, passkey }: z.output<typeof secondFactorSchema>,
  caller: Caller,
  oldToken?: string,
): Promise<string> {
  const ticket = await takeTicket(null, token, ['show'])
  const path = code !== undefined ? 'code' : recovery !== undefined ? 'recovery' : 'passkey'
  const key = { kind: 'second' as const, key: String(ticket.personId) }
  if (path !== 'passkey') {
    const [times = 1] = await countAttempts([key])
    if (times > MOST_CODES)
      throw new Problem('too-many-attempts', 'Too many wrong codes. Wait up to 15 minutes, or use a passkey.')
  }
  const fits =
    code !== undefined
      ? await takeCode(ticket.personId, code)
      : recovery !== undefined
        ? await takeRecovery(ticket.personId, recovery)
        : await takePasskey(ticket, passkey, caller.pages)
  if (!fits) {
    await transaction((tx) =>
      record(
        tx,
        nobodyAt(caller),
        'second factor refused',
        { type: 'person', id: ticket.personId, title: '' },
        { by: path },
      ),
    )
    throw invalid(path, REFUSED[path])
  }
  if (path !== 'passkey') await forgetAttempts([key])
  // Of two at the same moment, whatever each of them showed, one is in.
  if (!(await transaction((tx) => endTicket(tx, ticket)))) throw ticketOver()
  return openSession(ticket.personId, caller, oldToken)
}

const REFUSED = {
  code: 'That is not the code that your app shows now. Each code is good once.',
  recovery: 'That is none of your codes on paper, or it was used.',
  passkey: 'The passkey was not taken. Try again, or use a code.',
} as const

const nobodyAt = ({ address }: Caller): Actor => ({ ...COMMAND_LINE, name: '(nobody)', via: 'session', address })

async function takeCode(personId: number, code: string): Promise<boolean> {
  return transaction(async (tx) => {
    const apps = await many<{ id: number; secret: Buffer; lastStep: number | null }>(
      tx,
      `SELECT id, secret, last_step AS "lastStep" FROM second_factors WHERE person_id = $1 AND kind = 'app' ORDER BY id FOR UPDATE`,
      [personId],
    )
    for (const { id, secret, lastStep } of apps) {
      const step = await stepOfCode(unseal(secret, factorContext(id)), code, lastStep)
      if (step === undefined) continue
      await execute(tx, 'UPDATE second_factors SET last_step = $2, last_used_at = now() WHERE id = $1', [id, step])
      return true
    }
    return false
  })
}

const takeRecovery = async (personId: number, code: string): Promise<boolean> =>
  (await execute(
    null,
    'UPDATE recovery_codes SET used_at = now() WHERE person_id = $1 AND code_hash = $2 AND used_at IS NULL',
    [personId, hashToken(plainCode(code))],
  )) > 0

async function takePasskey(
  { personId, challenge }: Ticket,
  answer: z.output<typeof passkeyAnswerSchema> | undefined,
  pages: string | undefined,
): Promise<boolean> {
  const host = passkeyHost(pages)
  if (!answer || challenge === null || host === undefined) return false
  const row = await maybeOne<{ id: number; publicKey: Buffer; counter: number }>(
    null,
    'SELECT id, public_key AS "publicKey", counter FROM second_factors WHERE person_id = $1 AND credential_id = $2',
    [personId, answer.id],
  )
  if (!row) return false
  const read = await verifyAuthenticationResponse({
    response: answer as never,
    expectedChallenge: challenge,
    expectedOrigin: pages as string,
    expectedRPID: host,
    credential: { id: answer.id, publicKey: new Uint8Array(row.publicKey), counter: row.counter },
    requireUserVerification: false,
  }).catch(() => null)
  if (!read?.verified) return false
  // One that was copied counts less than its copy (WebAuthn, section 6.1.1): the package has refused it.
  await execute(null, 'UPDATE second_factors SET counter = $2, last_used_at = now() WHERE id = $1', [
    row.id,
    read.authenticationInfo.newCounter,
  ])
  return true
}

/** Sets up the first one, which the role asks for, and is in. */
export async function makeFirstFactor(
  given: z.output<typeof newFactorSchema>,
  caller: Caller,
  oldToken?: string,
): Promise<{ token: string; recoveryCodes: string[] }> {
  const as = ({ id, name }: KnownPerson): Actor => ({ ...nobodyAt(caller), id, name })
  const { personId, recoveryCodes } = await finishFactor(given, 'make', { pages: caller.pages, by: as })
  return { token: await openSession(personId, caller, oldToken), recoveryCodes: recoveryCodes ?? [] }
}

/** Adds one more, as somebody who is signed in. */
export async function addFactor(
  actor: Actor,
  given: z.output<typeof newFactorSchema>,
  pages: string | undefined,
): Promise<{ recoveryCodes: string[] | null }> {
  const { recoveryCodes } = await finishFactor(given, 'add', {
    pages,
    by: (person) => {
      if (person.id !== actor.id) throw new Problem('not-now', 'That was begun by somebody else.')
      return actor
    },
  })
  return { recoveryCodes }
}
