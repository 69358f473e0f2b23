import { z } from 'zod'
import { reportSchema, type ReportContent } from '@/core/reports/definition'
import { contentOf, type ReportKind } from '@/core/reports/kinds'
import { mayDo } from '@/core/people/roles'
import { slugOf } from '@/core/schema/slug'
import { db, many, maybeOne, transaction, type Tx } from '@/store/db'
import { notify } from '@/store/listen'
import { requireSomewhere, type Actor } from '@/service/base/actor'
import { requireOn } from '@/service/base/area-rights'
import { difference, record } from '@/service/base/audit'
import { invalid, notFound, Problem } from '@/service/base/problem'
import { viewIfSeen } from '@/service/views/views'
import { freeSlug } from '@/service/base/slugs'

/** So many of one person. */
const MOST_REPORTS = 200

export const reportSaveSchema = reportSchema.safeExtend({ version: z.int().positive() })

export interface ReportRow extends ReportContent {
  readonly id: number
  readonly slug: string
  readonly kind: ReportKind
  readonly version: number
  readonly madeBy: string
  /** With whose rights it is made; null: whoever owned it is gone. */
  readonly owner: string | null
  readonly isMine: boolean
  readonly mayChange: boolean
  readonly savedBy: string
  readonly savedAt: string
  /** The newest result that was made, and the newest at all. */
  readonly lastMade: { readonly id: number; readonly at: string; readonly period: string } | null
  readonly last: { readonly id: number; readonly state: string } | null
}

/** Of a report whose owner is gone administrators take care. */
const isCaretaker = ({ role }: Actor): boolean => mayDo(role, 'administer')

/**
 * Who reads a report `d`, and what came of it: its owner, people and roles that it names, and who may see one of the areas that it names; of one whose owner does not work here any more also administrators.
 * @param from the number of the first of four parameters, which are those of `readBy`
 */
export const readIf = (from = 1): string => {
  const [me, role, everywhere, caretaker] = [0, 1, 2, 3].map((i) => `$${from + i}`)
  return `(d.person_id = ${me} OR d.readers->'people' @> to_jsonb(${me}::bigint) OR d.readers->'roles' ? ${role}
  OR (${everywhere} AND jsonb_array_length(d.readers->'areas') > 0) OR EXISTS (SELECT FROM area_rights(${me}) a WHERE a.height > 0 AND d.readers->'areas' @> to_jsonb(a.area_id))
  OR (${caretaker} AND (SELECT p.active FROM people p WHERE p.id = d.person_id) IS NOT TRUE))`
}
const READ = readIf()
export const readBy = (actor: Actor): unknown[] => [
  actor.id,
  actor.role,
  actor.role !== 'none' && actor.areas?.isWalled !== true,
  isCaretaker(actor),
]

const ROW = `d.id, d.slug, d.title, d.notes, d.kind, d.period, d.zone, d.filter, d.options, d.readers, d.mail, d.keep_days AS "keepDays", d.version, d.made_by AS "madeBy",
  CASE WHEN p.active THEN d.person_id END AS "personId", CASE WHEN p.active THEN p.name END AS owner, d.saved_by AS "savedBy", d.saved_at AS "savedAt",
  (SELECT jsonb_build_object('id', r.id, 'at', r.ended_at, 'period', r.period) FROM report_results r WHERE r.report_id = d.id AND r.state = 'made' ORDER BY r.id DESC LIMIT 1) AS "lastMade",
  (SELECT jsonb_build_object('id', r.id, 'state', r.state) FROM report_results r WHERE r.report_id = d.id ORDER BY r.id DESC LIMIT 1) AS last
  FROM reports d LEFT JOIN people p ON p.id = d.person_id`

type Stored = Omit<ReportRow, 'isMine' | 'mayChange'> & { readonly personId: number | null }

function asSeen(actor: Actor, { personId, ...report }: Stored): ReportRow {
  const isMine = personId !== null && personId === actor.id
  return { ...report, isMine, mayChange: isMine || (personId === null && isCaretaker(actor)) }
}

/** Whoever sits at the server's own command line carries all of them, whoever's they are; nothing is made with its rights. */
const carriesAll = ({ id, via }: Actor): boolean => id === null && via === 'command-line'

/** One by its id of files, for whoever brings it in; null: there is none. `mayChange`: whether they may change it. */
export async function reportToBringIn(tx: Tx, actor: Actor, slug: string): Promise<ReportRow | null> {
  const row = await maybeOne<Stored>(tx, `SELECT ${ROW} WHERE d.slug = $1 FOR UPDATE OF d`, [slug])
  if (!row) return null
  const report = asSeen(actor, row)
  return { ...report, mayChange: report.mayChange || carriesAll(actor) }
}

/** All that somebody reads, by title. */
export async function listReports(actor: Actor): Promise<ReportRow[]> {
  requireSomewhere(actor, 'see')
  const [where, bind] = carriesAll(actor) ? ['true', []] : [READ, readBy(actor)]
  const rows = await many<Stored>(null, `SELECT ${ROW} WHERE ${where} ORDER BY lower(d.title), d.id`, bind)
  return rows.map((row) => asSeen(actor, row))
}

export async function oneReport(actor: Actor, id: number): Promise<ReportRow> {
  requireSomewhere(actor, 'see')
  return readReport(null, actor, id)
}

export async function readReport(tx: Tx | null, actor: Actor, id: number): Promise<ReportRow> {
  const row = await maybeOne<Stored>(tx, `SELECT ${ROW} WHERE ${READ} AND d.id = $5 ${tx ? 'FOR UPDATE OF d' : ''}`, [
    ...readBy(actor),
    id,
  ])
  if (!row) throw notFound('report', id)
  return asSeen(actor, row)
}

/** Whoever shows or sends something to others puts it before them: that takes the right to operate. What a report is about must be there to be seen. */
async function requireContent(tx: Tx, actor: Actor, { readers, mail, filter }: ReportContent): Promise<void> {
  if (readers.roles.length > 0 || readers.people.length > 0 || mail.length > 0) requireSomewhere(actor, 'operate')
  for (const areaId of readers.areas) await requireOn(tx, actor, 'operate', 'area', areaId)
  const known = async (path: string, sql: string, ids: readonly number[] | undefined): Promise<void> => {
    if (!ids || ids.length === 0) return
    const found = new Set((await many<{ id: number }>(tx, sql, [ids])).map(({ id }) => id))
    const at = ids.findIndex((id) => !found.has(id))
    if (at >= 0) throw invalid(`${path}[${at}]`, 'There is no such thing.')
  }
  await known('readers.people', `SELECT id FROM people WHERE id = ANY ($1) AND kind = 'person'`, readers.people)
  await known('filter.person', 'SELECT id FROM people WHERE id = ANY ($1)', filter.person)
  for (const id of filter.job ?? []) await requireOn(tx, actor, 'see', 'job', id)
  for (const id of filter.area ?? []) await requireOn(tx, actor, 'see', 'area', id)
  for (const id of filter.trigger ?? []) await requireOn(tx, actor, 'see', 'trigger', id)
  // Only now: whoever may not see something is told no more of it than of what is not there.
  await known('filter.job', 'SELECT id FROM jobs WHERE id = ANY ($1) AND deleted_at IS NULL', filter.job)
  await known('filter.area', 'SELECT id FROM areas WHERE id = ANY ($1) AND deleted_at IS NULL', filter.area)
  await known('filter.trigger', 'SELECT id FROM triggers WHERE id = ANY ($1) AND deleted_at IS NULL', filter.trigger)
  await known('filter.agent', 'SELECT id FROM agents WHERE id = ANY ($1)', filter.agent)
  await known('filter.robot', 'SELECT id FROM robots WHERE id = ANY ($1)', filter.robot)
  if (filter.view !== undefined && (await viewIfSeen(actor, filter.view, tx))?.list !== 'runs')
    throw invalid('filter.view', 'There is no such view of runs.')
  await known('readers.areas', 'SELECT id FROM areas WHERE id = ANY ($1) AND deleted_at IS NULL', readers.areas)
}

export async function addReport(actor: Actor, content: ReportContent): Promise<{ id: number }> {
  requireSomewhere(actor, 'see')
  if (actor.id === null)
    throw new Problem('not-allowed', 'A report is made with a person’s rights. Sign in, or use a token of your own.')
  return transaction(async (tx) => {
    await requireContent(tx, actor, content)
    return insertReport(tx, actor, content, await freeSlug(tx, 'reports', slugOf(content.title)), actor.id)
  })
}

/** @param ownerId with whose rights it is made; null: nobody’s yet, and it is not made until an administrator takes it over */
export async function insertReport(
  tx: Tx,
  actor: Actor,
  content: ReportContent,
  slug: string,
  ownerId: number | null,
): Promise<{ id: number }> {
  const theirs = await many(tx, 'SELECT id FROM reports WHERE person_id = $1', [ownerId])
  if (theirs.length >= MOST_REPORTS)
    throw new Problem(
      'too-many',
      `${ownerId === actor.id ? 'You keep' : 'Its owner keeps'} ${MOST_REPORTS} reports already. Remove those that nobody reads.`,
    )
  const { id } = await db().reports.create(
    { ...content, slug, personId: ownerId, madeBy: actor.name, savedBy: actor.name },
    { transaction: tx },
  )
  await record(tx, actor, 'added', { type: 'report', id, title: content.title }, content)
  await notify(tx, { reports: true })
  return { id }
}

export async function saveReport(
  actor: Actor,
  id: number,
  { version, ...content }: z.output<typeof reportSaveSchema>,
): Promise<{ version: number }> {
  requireSomewhere(actor, 'see')
  return transaction(async (tx) => {
    const before = await readReport(tx, actor, id)
    requireChange(before)
    if (before.version !== version)
      throw new Problem(
        'conflict',
        `${before.savedBy} saved this report meanwhile. Look at theirs first; nothing was changed.`,
        [],
        { theirs: before },
      )
    await updateReport(tx, actor, before, content)
    return { version: version + 1 }
  })
}

export async function updateReport(tx: Tx, actor: Actor, before: ReportRow, content: ReportContent): Promise<void> {
  await requireContent(tx, actor, content)
  await db().reports.update(
    // Who takes care of one whose owner is gone is its owner from then on: it is made with their rights.
    {
      ...content,
      version: before.version + 1,
      savedBy: actor.name,
      savedAt: new Date(),
      ...(before.owner === null && actor.id !== null ? { personId: actor.id } : {}),
    },
    { where: { id: before.id }, transaction: tx },
  )
  await record(
    tx,
    actor,
    'changed',
    { type: 'report', id: before.id, title: content.title },
    difference(contentOf(before), content),
  )
  await notify(tx, { reports: true })
}

export function requireChange({ mayChange, owner, madeBy }: ReportRow): void {
  if (!mayChange)
    throw new Problem('not-allowed', `It is ${owner ?? madeBy}’s report: only they change it. Keep one of your own.`)
}

/** With all of its results. */
export async function removeReport(actor: Actor, id: number): Promise<void> {
  requireSomewhere(actor, 'see')
  await transaction(async (tx) => {
    const report = await readReport(tx, actor, id)
    requireChange(report)
    await db().reports.destroy({ where: { id }, transaction: tx })
    await record(tx, actor, 'removed', { type: 'report', id, title: report.title })
    await notify(tx, { reports: true })
  })
}
