import { z } from 'zod'
import { titleSchema } from '@/core/schema/text'
import type { Actor } from '@/service/base/actor'
import { invalid, notFound, Problem } from '@/service/base/problem'
import { makeSetupCode } from '@/service/entry/set-up'
import { recordThere, requireServer } from '@/service/people/server-administrators'
import { execute, many, maybeOne, one, sqlState, transaction, UNIQUE_VIOLATION } from '@/store/db'
import { makeSchema } from '@/store/migrate'
import { FIRST, inOrganisation, onServer, organisation, schemaOf } from '@/store/organisation'
import { readOrganisations } from '@/store/organisations'

export const organisationSchema = z.strictObject({ title: titleSchema('An organisation needs a name.', 80) })
export const organisationChangeSchema = z
  .strictObject({ title: organisationSchema.shape.title, active: z.boolean() })
  .partial()

export interface OrganisationRow {
  readonly id: number
  readonly title: string
  readonly active: boolean
  readonly madeBy: string
  readonly madeAt: string
  /** Of its people only how many there are. */
  readonly people: number
  readonly isOwn: boolean
}

/** All organisations of this server, and nothing of what is in them. */
export async function listOrganisations(actor: Actor): Promise<OrganisationRow[]> {
  await requireServer(actor)
  const here = organisation()
  return onServer(async () => {
    const rows = await many<Omit<OrganisationRow, 'people' | 'isOwn'>>(
      null,
      `SELECT id, title, active, made_by AS "madeBy", made_at AS "madeAt" FROM bugle_server.organisations ORDER BY lower(title)`,
    )
    const counts = await many<{ id: number; people: number }>(
      null,
      rows
        .map(
          ({ id }) =>
            `SELECT ${id} AS id, count(*)::int AS people FROM ${schemaOf(id)}.people WHERE active AND kind = 'person'`,
        )
        .join(' UNION ALL '),
    )
    return rows.map((row) => ({
      ...row,
      people: counts.find(({ id }) => id === row.id)?.people ?? 0,
      isOwn: row.id === here,
    }))
  })
}

/** Makes its tables, empty. Its first administrator comes in by the code, which is shown this once, and sees to everything else. */
export async function makeOrganisation(
  actor: Actor,
  { title }: z.output<typeof organisationSchema>,
): Promise<{ id: number; code: string }> {
  await requireServer(actor)
  const here = organisation()
  const id = await onServer(() =>
    transaction(async (tx) => {
      await execute(tx, 'LOCK TABLE bugle_server.organisations IN EXCLUSIVE MODE')
      const { id } = await one<{ id: number }>(tx, 'SELECT max(id) + 1 AS id FROM bugle_server.organisations')
      await execute(tx, 'INSERT INTO bugle_server.organisations (id, title, made_by) VALUES ($1, $2, $3)', [
        id,
        title,
        actor.name,
      ]).catch(titleTaken)
      await makeSchema(tx, id)
      await recordThere(tx, actor, here, 'made', title)
      return id
    }),
  )
  await readOrganisations()
  return { id, ...(await firstCode(id)) }
}

function titleTaken(error: unknown): never {
  if (sqlState(error) === UNIQUE_VIOLATION) throw invalid('title', 'There is an organisation of this name already.')
  throw error
}

async function firstCode(id: number): Promise<{ code: string }> {
  const code = await inOrganisation(id, makeSetupCode)
  if (code === undefined)
    throw new Problem('not-now', 'Its first administrator is there already, and sees to the rest.')
  return { code }
}

/** Another code for the first administrator, while there is none. */
export async function renewFirstCode(actor: Actor, id: number): Promise<{ code: string }> {
  await requireServer(actor)
  if (!(await readOrganisations()).some((one) => one.id === id)) throw notFound('organisation', id)
  return firstCode(id)
}

/** Renames it, or switches it off: then nobody of it is signed in, its agents are not let in, and nothing of it starts; everything is kept. */
export async function changeOrganisation(
  actor: Actor,
  id: number,
  change: z.output<typeof organisationChangeSchema>,
): Promise<void> {
  await requireServer(actor)
  const here = organisation()
  if (change.active === false && id === here)
    throw new Problem('not-now', 'This is your own organisation: you would switch yourself off.')
  if (change.active === false && id === FIRST)
    throw new Problem('not-now', 'The first organisation of a server stays: the server’s own things are kept with it.')
  await onServer(() =>
    transaction(async (tx) => {
      const before = await maybeOne<{ title: string; active: boolean }>(
        tx,
        'SELECT title, active FROM bugle_server.organisations WHERE id = $1 FOR UPDATE',
        [id],
      )
      if (!before) throw notFound('organisation', id)
      const after = { title: change.title ?? before.title, active: change.active ?? before.active }
      await execute(tx, 'UPDATE bugle_server.organisations SET title = $2, active = $3 WHERE id = $1', [
        id,
        after.title,
        after.active,
      ]).catch(titleTaken)
      if (after.title !== before.title) await recordThere(tx, actor, here, `renamed ${before.title}`, after.title)
      if (after.active !== before.active)
        await recordThere(tx, actor, here, after.active ? 'switched on' : 'switched off', after.title)
    }),
  )
  await readOrganisations()
}

export interface ServerAuditRow {
  readonly at: string
  readonly by: string
  readonly action: string
  readonly title: string
}

/** What was done to the list of organisations, the newest first. */
export async function serverAudit(actor: Actor): Promise<ServerAuditRow[]> {
  await requireServer(actor)
  return onServer(() =>
    many<ServerAuditRow>(
      null,
      'SELECT at, person_name AS by, action, object_title AS title FROM bugle_server.audit ORDER BY id DESC LIMIT 100',
    ),
  )
}
