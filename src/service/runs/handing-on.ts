import { z } from 'zod'
import { requireRight, type Actor } from '@/service/base/actor'
import { record } from '@/service/base/audit'
import { invalid, notFound } from '@/service/base/problem'
import { many, maybeOne, transaction, type Tx } from '@/store/db'
import { notify } from '@/store/listen'

export const handOnSchema = z.strictObject({
  /** Who takes over; null: nobody, what was taken is open again. */
  to: z.int().positive().nullable(),
})

export interface Owns {
  readonly matters: readonly { readonly id: number; readonly title: string }[]
}

const OWNED = `state = 'taken' AND taken_by_id = $1`

/** What somebody has taken upon them, that goes to nobody by itself when they are switched off. */
export async function ownsWhat(actor: Actor, personId: number): Promise<Owns> {
  requireRight(actor, 'administer')
  return {
    matters: await many(
      null,
      `SELECT m.id, coalesce(nullif(m.title, ''), j.title, m.subject) AS title FROM matters m LEFT JOIN runs r ON r.id = m.run_id LEFT JOIN jobs j ON j.id = r.job_id
        WHERE m.state = 'taken' AND m.taken_by_id = $1 ORDER BY m.taken_at`,
      [personId],
    ),
  }
}

const nameOf = (tx: Tx, id: number): Promise<{ name: string; active: boolean } | undefined> =>
  maybeOne(tx, `SELECT name, active FROM people WHERE id = $1 AND kind = 'person'`, [id])

/** Hands all of it on. Returns how much that was. */
export async function handOn(
  actor: Actor,
  personId: number,
  { to }: z.output<typeof handOnSchema>,
): Promise<{ matters: number }> {
  requireRight(actor, 'administer')
  return transaction(async (tx) => {
    const from = await nameOf(tx, personId)
    if (!from) throw notFound('person', personId)
    const heir = to === null ? null : await nameOf(tx, to)
    if (to !== null && (!heir?.active || to === personId))
      throw invalid('to', 'Choose somebody else who may sign in here.')
    const rows = heir
      ? await many(tx, `UPDATE matters SET taken_by = $2, taken_by_id = $3 WHERE ${OWNED} RETURNING id`, [
          personId,
          heir.name,
          to,
        ])
      : await many(
          tx,
          `UPDATE matters SET state = 'open', taken_by = NULL, taken_by_id = NULL, taken_at = NULL WHERE ${OWNED} RETURNING id`,
          [personId],
        )
    await record(
      tx,
      actor,
      'handed on what was of',
      { type: 'person', id: personId, title: from.name },
      { to: heir?.name ?? 'nobody', matters: rows.length },
    )
    await notify(tx, { matters: true })
    return { matters: rows.length }
  })
}
