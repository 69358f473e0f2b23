import { isIP } from 'node:net'
import { generateSecret, generateURI } from 'otplib'
import { generateRegistrationOptions, verifyRegistrationResponse } from '@simplewebauthn/server'
import { z } from 'zod'
import { titleSchema } from '@/core/schema/text'
import type { Actor } from '@/service/base/actor'
import { record } from '@/service/base/audit'
import { invalid, Problem } from '@/service/base/problem'
import { personOf, type KnownPerson } from '@/service/people/people'
import { db, execute, many, maybeOne, transaction, type Tx } from '@/store/db'
import { factorContext, seal, ticketContext, unseal } from '@/store/seal'
import { stepOfCode } from './app-codes'
import { renewCodes } from './factors'
import { endTicket, fillTicket, newTicket, takeTicket, type Purpose, type Ticket } from './tickets'

const MOST_FACTORS = 10
const BUGLE = 'Bugle'

/** What a browser answers for a passkey; its package looks at the rest (WebAuthn Level 3, section 5.1). */
export const passkeyAnswerSchema = z.looseObject({ id: z.string().max(2000), rawId: z.string().max(2000) })
export const newFactorSchema = z.strictObject({
  ticket: z.string().max(200),
  title: titleSchema('Say what it is: “Phone”, or “Key on my ring”.', 60),
  code: z.string().max(20).optional(),
  passkey: passkeyAnswerSchema.optional(),
})

export interface FactorToMake {
  readonly ticket: string
  readonly app: { readonly secret: string; readonly uri: string }
  /** Null: pages that are found by an address instead of a name can have none (WebAuthn, section 5.1.2). */
  readonly passkey: object | null
}

/** The name that passkeys are bound to, of the pages as this browser has them; undefined: it is none. */
export function passkeyHost(pages: string | undefined): string | undefined {
  if (pages === undefined || !URL.canParse(pages)) return undefined
  const { hostname } = new URL(pages)
  return isIP(hostname.replace(/^\[|\]$/g, '')) ? undefined : hostname
}

/** Begins one more, of somebody who is signed in. */
export async function beginFactor(actor: Actor, pages: string | undefined): Promise<FactorToMake> {
  const { id } = actor
  if (id === null || actor.via !== 'session') throw new Problem('not-now', 'Sign in as a person for this.')
  return transaction(async (tx) => {
    const { count } = (await maybeOne<{ count: number }>(
      tx,
      'SELECT count(*)::int AS count FROM second_factors WHERE person_id = $1',
      [id],
    )) as { count: number }
    if (count >= MOST_FACTORS) throw new Problem('not-now', `${count} are enough. Remove one first.`)
    return material(tx, await newTicket(tx, id, 'add'), id, pages)
  })
}

/** Begins the first one, of somebody who has shown the password and whose role asks for it. */
export async function beginFirstFactor(ticket: string, pages: string | undefined): Promise<FactorToMake> {
  const { personId } = await takeTicket(null, ticket, ['make'])
  return transaction((tx) => material(tx, ticket, personId, pages))
}

async function material(tx: Tx, ticket: string, personId: number, pages: string | undefined): Promise<FactorToMake> {
  const person = (await personOf(personId)) as KnownPerson
  const secret = generateSecret()
  const host = passkeyHost(pages)
  const passkey =
    host === undefined
      ? null
      : await generateRegistrationOptions({
          rpName: BUGLE,
          rpID: host,
          userName: person.email,
          userDisplayName: person.name,
          // Every one that is there already is left out: one device is one.
          excludeCredentials: await credentialsOf(tx, personId),
          authenticatorSelection: { residentKey: 'discouraged', userVerification: 'preferred' },
        })
  await fillTicket(tx, ticket, { secret, challenge: passkey?.challenge })
  return { ticket, app: { secret, uri: generateURI({ issuer: BUGLE, label: person.email, secret }) }, passkey }
}

export async function credentialsOf(tx: Tx | null, personId: number): Promise<{ id: string; transports: string[] }[]> {
  return many(
    tx,
    `SELECT credential_id AS id, transports FROM second_factors WHERE person_id = $1 AND kind = 'passkey' ORDER BY id`,
    [personId],
  )
}

/**
 * Takes it, once it has shown that it works: by its first code, or by what the browser answers for it.
 *
 * @returns whose it is; with the first one codes on paper, shown this once
 */
export async function finishFactor(
  { ticket: token, title, code, passkey }: z.output<typeof newFactorSchema>,
  purpose: Purpose,
  { pages, by }: { readonly pages: string | undefined; readonly by: (person: KnownPerson) => Actor },
): Promise<{ personId: number; recoveryCodes: string[] | null }> {
  const ticket = await takeTicket(null, token, [purpose])
  const what = code !== undefined ? await appOf(ticket, code) : await passkeyOf(ticket, passkey, pages)
  const person = (await personOf(ticket.personId)) as KnownPerson
  return transaction(async (tx) => {
    if (!(await endTicket(tx, ticket))) throw new Problem('not-now', 'It is set up already.')
    const { id } = await db().secondFactors.create(
      {
        personId: person.id,
        title,
        kind: what.kind,
        ...(what.kind === 'passkey' ? what.row : { lastStep: what.step }),
      },
      { transaction: tx },
    )
    if (what.kind === 'app')
      await execute(tx, 'UPDATE second_factors SET secret = $2 WHERE id = $1', [
        id,
        seal(what.secret, factorContext(id)),
      ])
    await record(tx, by(person), 'added', { type: 'second factor', id, title }, { kind: what.kind })
    const has = await maybeOne(
      tx,
      'SELECT 1 AS one FROM recovery_codes WHERE person_id = $1 AND used_at IS NULL LIMIT 1',
      [person.id],
    )
    return { personId: person.id, recoveryCodes: has ? null : await renewCodes(tx, person.id) }
  })
}

async function appOf(
  { secret: sealed, tokenHash }: Ticket,
  code: string,
): Promise<{ kind: 'app'; secret: string; step: number }> {
  const secret = sealed === null ? undefined : unseal(sealed, ticketContext(tokenHash))
  const step = secret === undefined ? undefined : await stepOfCode(secret, code, null)
  if (secret === undefined || step === undefined)
    throw invalid('code', 'That is not the code that the app shows now. Is its clock right?')
  return { kind: 'app', secret, step }
}

async function passkeyOf(
  { challenge }: Ticket,
  answer: z.output<typeof passkeyAnswerSchema> | undefined,
  pages: string | undefined,
): Promise<{
  kind: 'passkey'
  row: { credentialId: string; publicKey: Buffer; counter: number; transports: string[] }
}> {
  const host = passkeyHost(pages)
  const refused = invalid('passkey', 'The passkey was not taken: its answer does not fit what was asked for.')
  if (!answer || challenge === null || host === undefined) throw refused
  const read = await verifyRegistrationResponse({
    response: answer as never,
    expectedChallenge: challenge,
    expectedOrigin: pages as string,
    expectedRPID: host,
    requireUserVerification: false,
  }).catch(() => null)
  if (!read?.verified) throw refused
  const { id, publicKey, counter, transports } = read.registrationInfo.credential
  return {
    kind: 'passkey',
    row: { credentialId: id, publicKey: Buffer.from(publicKey), counter, transports: [...(transports ?? [])] },
  }
}
