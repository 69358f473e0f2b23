import { z } from 'zod'
import { changesSchema, type Change } from '@/core/forecast/change'
import { requireRight, requireSomewhere, type Actor } from '@/service/base/actor'
import { record } from '@/service/base/audit'
import { notFound } from '@/service/base/problem'
import { isSeenChange, seenNames } from './seen'
import { db, many, transaction } from '@/store/db'

export const variantSchema = z.strictObject({
  title: z.string().trim().min(1, 'Give it a name.').max(120),
  changes: changesSchema.min(1, 'A variant has at least one change.'),
})

/** A list of changes that was kept, to be looked at again and compared. */
export interface Variant {
  readonly id: number
  readonly title: string
  readonly changes: readonly Change[]
  readonly madeBy: string
  readonly madeAt: string
}

export async function listVariants(actor: Actor): Promise<Variant[]> {
  requireSomewhere(actor, 'see')
  const rows = await many<Variant>(
    null,
    'SELECT id, title, changes, made_by AS "madeBy", made_at AS "madeAt" FROM variants ORDER BY id DESC LIMIT 200',
  )
  const seen = await seenNames()
  // One that was kept by an older Bugle and cannot be read any more is not offered, nor one that is about what whoever asks may not see.
  return rows.filter(({ changes }) => {
    const read = changesSchema.safeParse(changes)
    return read.success && (seen === null || read.data.every((change) => isSeenChange(change, seen)))
  })
}

export async function addVariant(
  actor: Actor,
  { title, changes }: z.output<typeof variantSchema>,
): Promise<{ id: number }> {
  requireRight(actor, 'design')
  return transaction(async (tx) => {
    const { id } = await db().variants.create({ title, changes, madeBy: actor.name }, { transaction: tx })
    await record(tx, actor, 'added', { type: 'variant', id, title }, { changes })
    return { id }
  })
}

export async function removeVariant(actor: Actor, id: number): Promise<void> {
  requireRight(actor, 'design')
  await transaction(async (tx) => {
    const [row] = await many<{ title: string }>(tx, 'DELETE FROM variants WHERE id = $1 RETURNING title', [id])
    if (!row) throw notFound('variant', id)
    await record(tx, actor, 'removed', { type: 'variant', id, title: row.title })
  })
}
