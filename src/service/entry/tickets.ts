import { hashToken, newToken } from '@/service/base/secrets'
import { Problem } from '@/service/base/problem'
import { db, execute, many, type Tx } from '@/store/db'
import { seal, ticketContext } from '@/store/seal'

/** From the password to the second factor, or from seeing the picture to the first code. */
const MINUTES = 10
const MOST_TRIES = 8

export type Purpose = 'show' | 'make' | 'add'

export interface Ticket {
  readonly tokenHash: string
  readonly personId: number
  readonly secret: Buffer | null
  readonly challenge: string | null
}

/** A ticket is good for one thing, for some minutes and some tries. Returns what its holder shows. */
export async function newTicket(tx: Tx, personId: number, purpose: Purpose): Promise<string> {
  const token = newToken('bge')
  await execute(tx, 'DELETE FROM entry_tickets WHERE expires_at < now()')
  await db().entryTickets.create(
    { tokenHash: hashToken(token), personId, purpose, expiresAt: new Date(Date.now() + MINUTES * 60_000) },
    { transaction: tx },
  )
  return token
}

/** What belongs to a ticket while it is carried: of an app that is being set up the secret, of a passkey the challenge. */
export async function fillTicket(
  tx: Tx,
  token: string,
  { secret, challenge }: { readonly secret?: string; readonly challenge?: string | undefined },
): Promise<void> {
  const tokenHash = hashToken(token)
  await execute(
    tx,
    'UPDATE entry_tickets SET secret = coalesce($2, secret), challenge = coalesce($3, challenge) WHERE token_hash = $1',
    [tokenHash, secret === undefined ? null : seal(secret, ticketContext(tokenHash)), challenge ?? null],
  )
}

export const ticketOver = (): Problem => new Problem('not-now', 'That took too long, or too many tries. Begin again.')

/** Counts one try, before it is looked at whether it fits. */
export async function takeTicket(tx: Tx | null, token: string, purposes: readonly Purpose[]): Promise<Ticket> {
  const [row] = await many<Ticket>(
    tx,
    `UPDATE entry_tickets SET tries = tries + 1 WHERE token_hash = $1 AND purpose = ANY($2) AND expires_at > now() AND tries < $3
     RETURNING token_hash AS "tokenHash", person_id AS "personId", secret, challenge`,
    [hashToken(token), purposes, MOST_TRIES],
  )
  if (!row) throw ticketOver()
  return row
}

/** It has served. False: somebody else was quicker. */
export const endTicket = async (tx: Tx, { tokenHash }: Ticket): Promise<boolean> =>
  (await execute(tx, 'DELETE FROM entry_tickets WHERE token_hash = $1', [tokenHash])) === 1
