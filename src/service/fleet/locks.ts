import { z } from 'zod'
import { titleSchema } from '@/core/schema/text'
import { slugSchema } from '@/core/work/job'
import { db, execute, many, maybeOne, sqlState, transaction, UNIQUE_VIOLATION, type Tx } from '@/store/db'
import { notify } from '@/store/listen'
import { requireRight, type Actor } from '@/service/base/actor'
import { difference, record } from '@/service/base/audit'
import { invalid, notFound, Problem } from '@/service/base/problem'

const units = z.int('A number of units.').min(1, 'At least one unit.').max(1000)
export const lockSchema = z.strictObject({
  name: slugSchema,
  title: titleSchema('A lock needs a title.', 80),
  units,
})
export const lockChangeSchema = lockSchema.omit({ name: true })

export interface LockRow {
  readonly id: number
  readonly name: string
  readonly title: string
  readonly units: number
  readonly used: number
  readonly jobs: number
  /** Runs that hold units now. */
  readonly holders: readonly { readonly runId: number; readonly title: string; readonly units: number }[]
  readonly waiting: number
}

const ROWS = `
  SELECT l.id, l.name, l.title, l.units,
         (SELECT count(*) FROM jobs j JOIN job_versions v ON v.job_id = j.id AND v.version = j.version
           WHERE j.deleted_at IS NULL AND v.definition->'locks' ? l.name)::int AS jobs,
         coalesce((SELECT sum((r.locks->>l.name)::int) FROM runs r WHERE r.state = 'running' AND r.locks ? l.name), 0)::int AS used,
         coalesce((SELECT jsonb_agg(jsonb_build_object('runId', r.id, 'title', j.title, 'units', (r.locks->>l.name)::int) ORDER BY r.id)
                     FROM runs r JOIN jobs j ON j.id = r.job_id WHERE r.state = 'running' AND r.locks ? l.name), '[]') AS holders,
         (SELECT count(*) FROM runs r WHERE r.state = 'ready' AND r.locks ? l.name)::int AS waiting
    FROM locks l`

/** Named units that runs hold while they go on: so many at once, wherever they run. */
export async function listLocks(actor: Actor): Promise<LockRow[]> {
  requireRight(actor, 'see')
  return many<LockRow>(null, `${ROWS} ORDER BY l.name`)
}

export async function addLock(actor: Actor, lock: z.output<typeof lockSchema>): Promise<{ id: number }> {
  try {
    return await transaction((tx) => addLockIn(tx, actor, lock))
  } catch (error) {
    if (sqlState(error) === UNIQUE_VIOLATION) throw invalid('name', `There is a lock called ${lock.name} already.`)
    throw error
  }
}

export async function addLockIn(tx: Tx, actor: Actor, lock: z.output<typeof lockSchema>): Promise<{ id: number }> {
  requireRight(actor, 'administer')
  const { id } = await db().locks.create(lock, { transaction: tx })
  await record(tx, actor, 'added', { type: 'lock', id, title: lock.title }, lock)
  await notify(tx, { fleet: true, place: true })
  return { id }
}

/** Fewer units than are held now is no harm: nothing more begins until enough are free. */
export async function changeLock(actor: Actor, id: number, request: z.output<typeof lockChangeSchema>): Promise<void> {
  await transaction((tx) => changeLockIn(tx, actor, id, request))
}

export async function changeLockIn(
  tx: Tx,
  actor: Actor,
  id: number,
  request: z.output<typeof lockChangeSchema>,
): Promise<void> {
  requireRight(actor, 'administer')
  const before = await maybeOne<{ title: string; units: number }>(
    tx,
    'SELECT title, units FROM locks WHERE id = $1 FOR UPDATE',
    [id],
  )
  if (!before) throw notFound('lock', id)
  await execute(tx, 'UPDATE locks SET title = $2, units = $3 WHERE id = $1', [id, request.title, request.units])
  await record(tx, actor, 'changed', { type: 'lock', id, title: request.title }, difference(before, request))
  await notify(tx, { fleet: true, place: true })
}

export async function removeLock(actor: Actor, id: number): Promise<void> {
  requireRight(actor, 'administer')
  await transaction(async (tx) => {
    const row = await maybeOne<LockRow>(tx, `${ROWS} WHERE l.id = $1`, [id])
    if (!row) throw notFound('lock', id)
    if (row.jobs > 0)
      throw new Problem('not-now', `${row.jobs === 1 ? 'A job takes' : `${row.jobs} jobs take`} it. Change them first.`)
    await execute(tx, 'DELETE FROM locks WHERE id = $1', [id])
    await record(tx, actor, 'removed', { type: 'lock', id, title: row.title })
    await notify(tx, { fleet: true, place: true })
  })
}
