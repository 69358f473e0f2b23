import { z } from 'zod'
import { LEVELS, type Level } from '@/core/people/rights'
import { ROLES, type Role } from '@/core/people/roles'
import { titleSchema } from '@/core/schema/text'
import { COMMAND_LINE, requireRight, type Actor } from '@/service/base/actor'
import { record } from '@/service/base/audit'
import { invalid, notFound, Problem } from '@/service/base/problem'
import { hashToken, newToken } from '@/service/base/secrets'
import { countAttempts } from '@/service/people/attempts'
import { hashPassword, passwordSchema } from '@/service/people/passwords'
import { insertPerson, requireGoodPassword } from '@/service/people/people'
import { enter, type Entry } from '@/service/entry/entry'
import type { Caller } from '@/service/people/sessions'
import { db, execute, many, maybeOne, sqlState, transaction, UNIQUE_VIOLATION, type Tx } from '@/store/db'
import { notify } from '@/store/listen'
import { letterServer, linkTo, sendLetter } from './letter'

const DAYS = 7
const MOST_ASKED = 100

export const invitationSchema = z.strictObject({
  email: z.email('That is not an e-mail address.').max(200),
  role: z.enum(ROLES),
  areas: z
    .array(z.strictObject({ areaId: z.int().positive(), may: z.enum(LEVELS) }))
    .max(100)
    .default([]),
  /** A sentence for whoever is invited. */
  note: z.string().trim().max(500).default(''),
})
export const tokenSchema = z.strictObject({ token: z.string().max(200) })
export const acceptSchema = tokenSchema.extend({
  name: titleSchema('A name is needed.', 100),
  password: passwordSchema,
})

export interface InvitationRow {
  readonly id: number
  readonly email: string
  readonly role: Role
  readonly areas: readonly { readonly path: string; readonly may: Level }[]
  readonly note: string
  readonly madeBy: string
  readonly madeAt: string
  readonly expiresAt: string
  readonly isOver: boolean
}

const AREAS = `coalesce((SELECT jsonb_agg(jsonb_build_object('path', a.path, 'may', x.may) ORDER BY lower(a.path))
                  FROM jsonb_to_recordset(l.areas) AS x("areaId" bigint, may text) JOIN areas a ON a.id = x."areaId" AND a.deleted_at IS NULL), '[]')`
const OPEN = `l.kind = 'invitation' AND l.used_at IS NULL AND l.withdrawn_at IS NULL`

/** Those that nobody has taken up yet, the newest first. */
export async function listInvitations(actor: Actor): Promise<InvitationRow[]> {
  requireRight(actor, 'administer')
  return many<InvitationRow>(
    null,
    `SELECT l.id, l.email, l.role, ${AREAS} AS areas, l.note, l.made_by AS "madeBy", l.made_at AS "madeAt", l.expires_at AS "expiresAt",
            l.expires_at < now() AS "isOver" FROM letters l WHERE ${OPEN} ORDER BY l.id DESC LIMIT 500`,
  )
}

/** Writes to somebody, with a link that works once and for seven days. Nothing is kept if the mail cannot be sent. */
export async function invite(actor: Actor, request: z.output<typeof invitationSchema>): Promise<{ id: number }> {
  requireRight(actor, 'administer')
  const { email, role, areas, note } = request
  if (role === 'none' && areas.length === 0)
    throw invalid('areas', 'With no role and no area there is nothing to see: give one of them.')
  const token = newToken('bgi')
  return transaction(async (tx) => {
    if (await maybeOne(tx, 'SELECT 1 AS one FROM people WHERE lower(email) = lower($1)', [email]))
      throw invalid('email', 'Somebody with this e-mail address is here already.')
    await requireAreas(tx, areas)
    const server = await requireServer(tx)
    const { id } = await db()
      .letters.create(
        {
          kind: 'invitation',
          tokenHash: hashToken(token),
          email,
          role,
          areas,
          note,
          madeBy: actor.name,
          expiresAt: over(),
        },
        { transaction: tx },
      )
      .catch((error: unknown) => {
        if (sqlState(error) === UNIQUE_VIOLATION)
          throw invalid('email', 'There is an open invitation to this address: renew it, or withdraw it first.')
        throw error
      })
    await record(tx, actor, 'invited', { type: 'person', id: '', title: email }, { role, areas, note })
    await sendLetter(server, await letterOf(actor.name, email, note, token), `invitation ${id} ${Date.now()}`)
    return { id }
  })
}

const over = (): Date => new Date(Date.now() + DAYS * 86_400_000)

async function requireServer(tx: Tx): Promise<string> {
  const server = await letterServer(tx)
  if (server === undefined)
    throw new Problem('not-now', 'There is no mail server to write by: enter one under Settings → Mail.')
  return server
}

async function requireAreas(tx: Tx, areas: readonly { areaId: number }[]): Promise<void> {
  const ids = areas.map(({ areaId }) => areaId)
  if (new Set(ids).size < ids.length) throw invalid('areas', 'An area stands there twice. Give each one level.')
  const there = await many<{ id: number }>(tx, 'SELECT id FROM areas WHERE id = ANY($1) AND deleted_at IS NULL', [ids])
  if (there.length < ids.length) throw invalid('areas', 'One of these areas is not there any more.')
}

async function letterOf(
  by: string,
  to: string,
  note: string,
  token: string,
): Promise<{ to: string; subject: string; text: string }> {
  const lines = [
    `${by} invites you to Bugle, which keeps the night's work on time.`,
    ...(note ? ['', note] : []),
    '',
    'Choose a name and a password here:',
    await linkTo('invited', token),
    '',
    `The link works once, and for ${DAYS} days. If you do not know what this is about, do nothing.`,
  ]
  return { to, subject: `${by} invites you to Bugle`, text: lines.join('\n') }
}

/** Writes once more, with another link; the one before works no longer. */
export async function renewInvitation(actor: Actor, id: number): Promise<void> {
  requireRight(actor, 'administer')
  const token = newToken('bgi')
  await transaction(async (tx) => {
    const [row] = await many<{ email: string; note: string }>(
      tx,
      `UPDATE letters l SET token_hash = $2, expires_at = $3, made_by = $4, made_at = now() WHERE l.id = $1 AND ${OPEN} RETURNING email, note`,
      [id, hashToken(token), over(), actor.name],
    )
    if (!row) throw notFound('open invitation', id)
    await record(tx, actor, 'invited again', { type: 'person', id: '', title: row.email })
    await sendLetter(
      await requireServer(tx),
      await letterOf(actor.name, row.email, row.note, token),
      `invitation ${id} ${Date.now()}`,
    )
  })
}

export async function withdrawInvitation(actor: Actor, id: number): Promise<void> {
  requireRight(actor, 'administer')
  await transaction(async (tx) => {
    const [row] = await many<{ email: string }>(
      tx,
      `UPDATE letters l SET withdrawn_at = now() WHERE l.id = $1 AND ${OPEN} RETURNING email`,
      [id],
    )
    if (!row) throw notFound('open invitation', id)
    await record(tx, actor, 'withdrew the invitation of', { type: 'person', id: '', title: row.email })
  })
}

/** What stands in an invitation that is still good; whoever has its link may read it. */
export async function readInvitation(
  { token }: z.output<typeof tokenSchema>,
  caller: Caller,
): Promise<Pick<InvitationRow, 'email' | 'role' | 'areas' | 'note' | 'madeBy'>> {
  await countAsked(caller)
  const row = await maybeOne<Pick<InvitationRow, 'email' | 'role' | 'areas' | 'note' | 'madeBy'>>(
    null,
    `SELECT l.email, l.role, ${AREAS} AS areas, l.note, l.made_by AS "madeBy" FROM letters l WHERE l.token_hash = $1 AND ${OPEN} AND l.expires_at > now()`,
    [hashToken(token)],
  )
  if (!row) throw noLongerGood()
  return row
}

export const noLongerGood = (): Problem =>
  new Problem(
    'not-now',
    'This link is not good any more: it was used, withdrawn, or its time is over. Ask for another.',
  )

/** Links cannot be guessed; who tries all the same is slowed down. */
export async function countAsked({ address }: Caller): Promise<void> {
  const [times = 1] = await countAttempts([{ kind: 'letter', key: address }])
  if (times > MOST_ASKED)
    throw new Problem('too-many-attempts', 'Too many attempts from your address. Wait up to 15 minutes.')
}

/** Takes the invitation up: the person is there, with role and areas, and is signed in. */
export async function acceptInvitation(
  { token, name, password }: z.output<typeof acceptSchema>,
  caller: Caller,
): Promise<Entry> {
  const { email } = await readInvitation({ token }, caller)
  await requireGoodPassword('password', password, { name, email })
  const passwordHash = await hashPassword(password)
  const { id } = await transaction(async (tx) => {
    const letter = await takeUp(tx, 'l.token_hash = $1', hashToken(token))
    if (!letter) throw noLongerGood()
    const actor: Actor = {
      ...COMMAND_LINE,
      name: `invited by ${letter.madeBy}`,
      via: 'session',
      address: caller.address,
    }
    const person = await insertPerson(tx, actor, { email: letter.email, name, role: letter.role, passwordHash })
    await letter.giveAreas(person.id)
    return person
  })
  return enter(id, caller)
}

interface Taken {
  readonly email: string
  readonly role: Role
  readonly madeBy: string
  readonly giveAreas: (personId: number) => Promise<void>
}

/** Takes an open invitation up, once: the row of this condition on `l`. */
async function takeUp(tx: Tx, which: string, value: string): Promise<Taken | undefined> {
  const [letter] = await many<{ email: string; role: Role; areas: { areaId: number; may: Level }[]; madeBy: string }>(
    tx,
    `UPDATE letters l SET used_at = now() WHERE ${which} AND ${OPEN} AND l.expires_at > now()
     RETURNING email, role, areas, made_by AS "madeBy"`,
    [value],
  )
  if (!letter) return undefined
  const { areas, ...rest } = letter
  const giveAreas = async (personId: number): Promise<void> => {
    await execute(
      tx,
      `INSERT INTO grants (area_id, person_id, may) SELECT a.id, $1, x.may FROM jsonb_to_recordset($2::jsonb) AS x("areaId" bigint, may text)
         JOIN areas a ON a.id = x."areaId" AND a.deleted_at IS NULL`,
      [personId, JSON.stringify(areas)],
    )
    await notify(tx, { people: true })
  }
  return { ...rest, giveAreas }
}

/** The open invitation to an address that somebody has shown to be theirs, as a provider has verified it. */
export const takeUpByAddress = (tx: Tx, email: string): Promise<Taken | undefined> =>
  takeUp(tx, 'lower(l.email) = lower($1)', email)
