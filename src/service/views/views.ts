import { z } from 'zod'
import { mayDo } from '@/core/people/roles'
import type { ListName } from '@/core/views/lists'
import { listNameSchema, viewSchema, type Shared, type ViewContent, type ViewValues } from '@/core/views/view'
import { db, execute, many, maybeOne, transaction, type Tx } from '@/store/db'
import { slugOf } from '@/core/schema/slug'
import { requireRight, requireSomewhere, seenBy, type Actor } from '@/service/base/actor'
import { requireOn } from '@/service/base/area-rights'
import { difference, record } from '@/service/base/audit'
import { invalid, notFound, Problem } from '@/service/base/problem'
import { freeSlug } from '@/service/base/slugs'

/** So many of one person; whatever else is kept is theirs to clear away. */
const MOST_VIEWS = 500

const queueId = z.coerce.number().int().positive()
export const viewListSchema = z.strictObject({ list: listNameSchema, of: queueId.optional() })
export const viewSaveSchema = viewSchema.safeExtend({ version: z.int().positive() })
export const firstViewSchema = z.strictObject({
  list: listNameSchema,
  of: z.int().positive().nullable().default(null),
  /** null: the list opens as it is. */
  viewId: z.int().positive().nullable(),
})

export interface ViewRow {
  readonly id: number
  readonly list: ListName
  /** The queue whose items it shows. */
  readonly of: number | null
  readonly title: string
  readonly values: ViewValues
  readonly shared: Shared
  readonly areaId: number | null
  readonly area: string | null
  readonly madeBy: string
  readonly isMine: boolean
  readonly mayChange: boolean
  readonly version: number
  readonly savedBy: string
  readonly savedAt: string
}

export interface Views {
  readonly views: readonly ViewRow[]
  /** The one that opens first for who asks; null: none. */
  readonly first: number | null
}

/** Of a view whose owner does not work here any more administrators take care. */
const isCaretaker = ({ role }: Actor): boolean => mayDo(role, 'administer')

const ROW = `
  v.id, v.list, v.queue_id AS of, v.title, v."values", v.shared, v.area_id AS "areaId", a.path AS area, v.made_by AS "madeBy", v.person_id AS "personId", v.version,
  v.saved_by AS "savedBy", v.saved_at AS "savedAt"
  FROM views v LEFT JOIN areas a ON a.id = v.area_id`
/** $1: who asks; $2: whether they are a caretaker. */
const SEEN = `(v.person_id = $1 OR v.shared <> 'me' OR ($2 AND (SELECT p.active FROM people p WHERE p.id = v.person_id) IS NOT TRUE))`

type Stored = Omit<ViewRow, 'isMine' | 'mayChange'> & { readonly personId: number | null }

function asSeen(actor: Actor, { personId, ...view }: Stored): ViewRow {
  const isMine = personId !== null && personId === actor.id
  return { ...view, isMine, mayChange: isMine || isCaretaker(actor) }
}

/** All of a list that somebody sees: their own first, then by title. */
export async function listViews(actor: Actor, { list, of }: z.output<typeof viewListSchema>): Promise<Views> {
  requireSomewhere(actor, 'see')
  const rows = await many<Stored>(
    null,
    `SELECT ${ROW} WHERE ${SEEN} AND v.list = $3 AND v.queue_id IS NOT DISTINCT FROM $4::bigint
      ORDER BY (v.person_id = $1) IS NOT TRUE, lower(v.title), v.id`,
    [actor.id, isCaretaker(actor), list, of ?? null],
  )
  const first = await maybeOne<{ id: number }>(
    null,
    'SELECT view_id AS id FROM first_views WHERE person_id = $1 AND list = $2 AND of_queue = $3',
    [actor.id, list, of ?? 0],
  )
  const views = rows.map((row) => asSeen(actor, row))
  // What they may not see any more opens no more.
  return { views, first: views.find(({ id }) => id === first?.id)?.id ?? null }
}

/** One, wherever it stands: an address names it by its number alone. */
export async function oneView(actor: Actor, id: number): Promise<ViewRow> {
  requireSomewhere(actor, 'see')
  return asSeen(actor, await seen(null, actor, id))
}

/** The same; null where there is none, or none to be seen. @param tx within a change, which may have made it */
export async function viewIfSeen(actor: Actor, id: number, tx: Tx | null = null): Promise<ViewRow | null> {
  const read = tx ? seen(tx, actor, id).then((row) => asSeen(actor, row)) : seenBy(actor, () => oneView(actor, id))
  return read.catch((error: unknown) => {
    if (error instanceof Problem && error.code === 'not-found') return null
    throw error
  })
}

async function seen(tx: Tx | null, actor: Actor, id: number): Promise<Stored> {
  const row = await maybeOne<Stored>(tx, `SELECT ${ROW} WHERE ${SEEN} AND v.id = $3 ${tx ? 'FOR UPDATE OF v' : ''}`, [
    actor.id,
    isCaretaker(actor),
    id,
  ])
  if (!row) throw notFound('view', id)
  // Of an area's view within a change: reads of pages stand behind walls anyway.
  if (tx && row.areaId !== null && row.personId !== actor.id) await requireOn(tx, actor, 'see', 'area', row.areaId)
  return row
}

/** Whoever shares something puts it before others: that takes the right to operate there. */
async function requireShare(tx: Tx, actor: Actor, { shared, areaId }: ViewContent): Promise<void> {
  if (shared === 'everyone') requireRight(actor, 'operate')
  if (areaId === null) return
  const area = await maybeOne(tx, 'SELECT id FROM areas WHERE id = $1 AND deleted_at IS NULL', [areaId])
  if (!area) throw invalid('areaId', 'There is no such area.')
  await requireOn(tx, actor, 'operate', 'area', areaId)
}

async function requireQueue(tx: Tx, actor: Actor, { of }: ViewContent): Promise<void> {
  if (of === null) return
  const queue = await maybeOne(tx, 'SELECT id FROM queues WHERE id = $1 AND deleted_at IS NULL', [of])
  if (!queue) throw invalid('of', 'There is no such queue.')
  await requireOn(tx, actor, 'see', 'queue', of)
}

const columnsOf = ({ of, ...content }: ViewContent) => ({ ...content, queueId: of })

export async function addView(actor: Actor, content: ViewContent): Promise<{ id: number }> {
  requireSomewhere(actor, 'see')
  if (actor.id === null) throw new Problem('not-allowed', 'A view is a person’s. Sign in, or use a token of your own.')
  return transaction(async (tx) => {
    await requireShare(tx, actor, content)
    await requireQueue(tx, actor, content)
    const mine = await many(tx, 'SELECT id FROM views WHERE person_id = $1', [actor.id])
    if (mine.length >= MOST_VIEWS)
      throw new Problem('too-many', `You keep ${MOST_VIEWS} views already. Remove those that you do not use.`)
    return insertView(tx, actor, content, await freeSlug(tx, 'views', slugOf(content.title)))
  })
}

/** Of a file it has a name of its own, and need not be a person’s. */
export async function insertView(tx: Tx, actor: Actor, content: ViewContent, slug: string): Promise<{ id: number }> {
  const { id } = await db().views.create(
    { ...columnsOf(content), slug, personId: actor.id, madeBy: actor.name, savedBy: actor.name },
    { transaction: tx },
  )
  if (content.shared !== 'me')
    await record(tx, actor, 'shared', { type: 'view', id, title: content.title }, { with: { to: content.shared } })
  return { id }
}

export async function saveView(
  actor: Actor,
  id: number,
  { version, ...content }: z.output<typeof viewSaveSchema>,
): Promise<{ version: number }> {
  requireSomewhere(actor, 'see')
  return transaction(async (tx) => {
    const before = asSeen(actor, await seen(tx, actor, id))
    requireChange(before)
    if (before.list !== content.list || before.of !== content.of)
      throw invalid('list', 'A view stays with its list: keep a new one there.')
    if (before.version !== version)
      throw new Problem(
        'conflict',
        `${before.savedBy} saved this view meanwhile. Nothing of yours is lost: keep it as a new one, or look at theirs first.`,
        [],
        { theirs: before },
      )
    await requireShare(tx, actor, content)
    return updateView(tx, actor, before, content)
  })
}

/** Rights and versions were looked at. */
export async function updateView(
  tx: Tx,
  actor: Actor,
  before: Pick<ViewRow, 'id' | 'version' | 'title' | 'values' | 'shared' | 'areaId'>,
  content: ViewContent,
): Promise<{ version: number }> {
  const { id, version } = before
  await db().views.update(
    { ...columnsOf(content), version: version + 1, savedBy: actor.name, savedAt: new Date() },
    { where: { id }, transaction: tx },
  )
  if (before.shared !== 'me' || content.shared !== 'me')
    await record(
      tx,
      actor,
      'changed',
      { type: 'view', id, title: content.title },
      difference(pick(before), pick(content)),
    )
  return { version: version + 1 }
}

const pick = ({ title, values, shared, areaId }: Pick<ViewRow, 'title' | 'values' | 'shared' | 'areaId'>): object => ({
  title,
  values,
  shared,
  areaId,
})

function requireChange({ mayChange, madeBy }: ViewRow): void {
  if (!mayChange)
    throw new Problem(
      'not-allowed',
      `It is ${madeBy}’s view: only they and administrators change it. Keep yours as a new one.`,
    )
}

export async function removeView(actor: Actor, id: number): Promise<void> {
  requireSomewhere(actor, 'see')
  await transaction(async (tx) => {
    const view = asSeen(actor, await seen(tx, actor, id))
    requireChange(view)
    await db().views.destroy({ where: { id }, transaction: tx })
    if (view.shared !== 'me') await record(tx, actor, 'removed', { type: 'view', id, title: view.title })
  })
}

/** Which view a list opens with, for who asks alone. */
export async function setFirstView(
  actor: Actor,
  { list, of, viewId }: z.output<typeof firstViewSchema>,
): Promise<void> {
  requireSomewhere(actor, 'see')
  if (actor.id === null) throw new Problem('not-allowed', 'What opens first is a person’s own. Sign in.')
  await transaction(async (tx) => {
    if (viewId === null)
      return execute(tx, 'DELETE FROM first_views WHERE person_id = $1 AND list = $2 AND of_queue = $3', [
        actor.id,
        list,
        of ?? 0,
      ])
    const view = await seen(tx, actor, viewId)
    if (view.list !== list || view.of !== of) throw invalid('viewId', 'It is a view of another list.')
    await execute(
      tx,
      `INSERT INTO first_views (person_id, list, of_queue, view_id) VALUES ($1, $2, $3, $4)
       ON CONFLICT (person_id, list, of_queue) DO UPDATE SET view_id = excluded.view_id`,
      [actor.id, list, of ?? 0, viewId],
    )
  })
}
