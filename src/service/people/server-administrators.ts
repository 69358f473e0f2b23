import { z } from 'zod'
import { requireRight, type Actor } from '@/service/base/actor'
import { invalid, notFound, Problem } from '@/service/base/problem'
import { execute, many, maybeOne, transaction, type Tx } from '@/store/db'
import { onServer, organisation } from '@/store/organisation'

/** Whether whoever asks looks after this server: a person of one organisation, who sees nothing of the others by it. */
export async function isServerAdministrator(actor: Actor): Promise<boolean> {
  if (actor.via === 'command-line') return true
  if (actor.via !== 'session' || actor.id === null || actor.role !== 'administrator') return false
  const here = organisation()
  const found = await onServer(() =>
    maybeOne(null, 'SELECT 1 AS one FROM bugle_server.administrators WHERE organisation_id = $1 AND person_id = $2', [
      here,
      actor.id,
    ]),
  )
  return found !== undefined
}

export async function requireServer(actor: Actor): Promise<void> {
  requireRight(actor, 'administer')
  if (!(await isServerAdministrator(actor)))
    throw new Problem('not-allowed', 'This takes an administrator of the whole server, signed in.')
}

export interface ServerAdministratorRow {
  readonly personId: number
  readonly organisationId: number
  /** Of other organisations only that there is somebody. */
  readonly name: string | null
  readonly organisation: string
}

export async function listServerAdministrators(actor: Actor): Promise<ServerAdministratorRow[]> {
  await requireServer(actor)
  const here = organisation()
  const rows = await onServer(() =>
    many<Omit<ServerAdministratorRow, 'name'>>(
      null,
      `SELECT a.person_id AS "personId", a.organisation_id AS "organisationId", o.title AS organisation
         FROM bugle_server.administrators a JOIN bugle_server.organisations o ON o.id = a.organisation_id ORDER BY lower(o.title), a.person_id`,
    ),
  )
  const names = await many<{ id: number; name: string }>(null, 'SELECT id, name FROM people WHERE id = ANY($1)', [
    rows.filter(({ organisationId }) => organisationId === here).map(({ personId }) => personId),
  ])
  return rows.map((row) => ({
    ...row,
    name: row.organisationId === here ? (names.find(({ id }) => id === row.personId)?.name ?? null) : null,
  }))
}

export const serverAdministratorSchema = z.strictObject({ personId: z.int().positive() })

/** An administrator of one's own organisation looks after the server, too. */
export async function addServerAdministrator(
  actor: Actor,
  { personId }: z.output<typeof serverAdministratorSchema>,
): Promise<void> {
  await requireServer(actor)
  const here = organisation()
  const person = await maybeOne<{ name: string }>(
    null,
    `SELECT name FROM people WHERE id = $1 AND active AND role = 'administrator'`,
    [personId],
  )
  if (!person) throw invalid('personId', 'Choose an administrator of your organisation.')
  await onServer(() =>
    transaction(async (tx) => {
      await enterServerAdministrator(tx, here, personId)
      await recordThere(tx, actor, here, 'made an administrator of the server', person.name)
    }),
  )
}

export async function enterServerAdministrator(tx: Tx, organisationId: number, personId: number): Promise<void> {
  await execute(tx, 'INSERT INTO bugle_server.administrators VALUES ($1, $2) ON CONFLICT DO NOTHING', [
    organisationId,
    personId,
  ])
}

export async function removeServerAdministrator(actor: Actor, organisationId: number, personId: number): Promise<void> {
  await requireServer(actor)
  const here = organisation()
  await onServer(() =>
    transaction(async (tx) => {
      await execute(tx, 'LOCK TABLE bugle_server.administrators IN EXCLUSIVE MODE')
      const gone = await execute(
        tx,
        'DELETE FROM bugle_server.administrators WHERE organisation_id = $1 AND person_id = $2',
        [organisationId, personId],
      )
      if (gone === 0) throw notFound('administrator of the server', personId)
      if (!(await maybeOne(tx, 'SELECT 1 AS one FROM bugle_server.administrators LIMIT 1')))
        throw new Problem('not-now', 'This is the last administrator of the server. Make somebody else one first.')
      await recordThere(tx, actor, here, 'took the server from', `person ${personId}`)
    }),
  )
}

/** What was done to the list of organisations is kept with it. */
export async function recordThere(tx: Tx, actor: Actor, here: number, action: string, title: string): Promise<void> {
  await execute(
    tx,
    `INSERT INTO bugle_server.audit (organisation_id, person_id, person_name, address, action, object_title) VALUES ($1, $2, $3, $4, $5, $6)`,
    [here, actor.id, actor.name, actor.address, action, title],
  )
}
