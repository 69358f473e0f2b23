import { execute, many, type Tx } from '@/store/db'
import { likeText } from '@/store/like'
import { requireRight, type Actor } from './actor'

export interface AuditObject {
  readonly type: string
  readonly id: number | string
  readonly title: string
}

/** Writes who changed what, in the transaction of the change itself. Never pass secrets in `changes`. */
export function record(
  tx: Tx,
  actor: Actor,
  action: string,
  object: AuditObject,
  changes: Readonly<Record<string, unknown>> = {},
): Promise<void> {
  return recordAll(tx, actor, action, [{ object, changes }])
}

/** The same of many objects at once. */
export async function recordAll(
  tx: Tx,
  actor: Actor,
  action: string,
  entries: readonly { readonly object: AuditObject; readonly changes: Readonly<Record<string, unknown>> }[],
): Promise<void> {
  await execute(
    tx,
    `INSERT INTO audit (person_id, person_name, via, address, action, object_type, object_id, object_title, changes)
     SELECT $1, $2, $3, $4, $5, u.type, u.id, u.title, u.changes
       FROM unnest($6::text[], $7::text[], $8::text[], $9::jsonb[]) WITH ORDINALITY AS u(type, id, title, changes, n) ORDER BY u.n`,
    [
      actor.id,
      actor.name,
      actor.via,
      actor.address,
      action,
      entries.map(({ object }) => object.type),
      entries.map(({ object }) => String(object.id)),
      entries.map(({ object }) => object.title),
      entries.map(({ changes }) => JSON.stringify(changes)),
    ],
  )
}

/** Only what differs, as `{ field: { from, to } }`, compared as JSON. */
export function difference(before: object, after: object): Record<string, { from: unknown; to: unknown }> {
  const changes: Record<string, { from: unknown; to: unknown }> = {}
  const old = before as Record<string, unknown>
  for (const [key, to] of Object.entries(after)) {
    const from = old[key]
    if (JSON.stringify(from) !== JSON.stringify(to)) changes[key] = { from: from ?? null, to: to ?? null }
  }
  return changes
}

export interface AuditEntry {
  readonly id: number
  readonly at: string
  readonly personName: string
  readonly via: string
  readonly address: string
  readonly action: string
  readonly objectType: string
  readonly objectId: string
  readonly objectTitle: string
  readonly changes: Record<string, unknown>
}

/** Newest first, 100 at a time. */
export async function listAudit(
  actor: Actor,
  query: { before?: number | undefined; text?: string | undefined },
): Promise<AuditEntry[]> {
  requireRight(actor, 'administer')
  return many<AuditEntry>(
    null,
    `SELECT id, at, person_name AS "personName", via, address, action, object_type AS "objectType", object_id AS "objectId",
            object_title AS "objectTitle", changes
       FROM audit
      WHERE ($1::bigint IS NULL OR id < $1)
        AND ($2::text IS NULL OR concat_ws(' ', person_name, action, object_type, object_title) ILIKE '%' || $2 || '%')
      ORDER BY id DESC LIMIT 100`,
    [query.before ?? null, query.text ? likeText(query.text) : null],
  )
}
