import { z } from 'zod'
import { csvCell } from '@/core/exports/cells'
import type { ReportDocument, ReportTable, Unit } from '@/core/reports/document'
import { stringify } from 'csv-stringify/sync'
import { db, execute, many, maybeOne, one, transaction, type Tx } from '@/store/db'
import { notify } from '@/store/listen'
import { requireSomewhere, type Actor } from '@/service/base/actor'
import { record } from '@/service/base/audit'
import { invalid, notFound, Problem } from '@/service/base/problem'
import { readBy, readIf, readReport, requireChange } from './reports'

/** Of one report so many may wait or be under way at once. */
const MOST_OPEN = 3

export interface Mailed {
  readonly to: string
  /** When it went out; null: not yet, or not at all, as `fault` says. */
  readonly at: string | null
  readonly fault: string | null
}

export interface ResultRow {
  readonly id: number
  readonly reportId: number
  readonly title: string
  readonly kind: string
  readonly state: 'waiting' | 'making' | 'made' | 'failed' | 'stopped'
  /** How far it is: what is being done, and a share from 0 to 1. */
  readonly step: string
  readonly share: number
  readonly askedBy: string
  /** null: a job, or whoever asked is gone. */
  readonly askedById: number | null
  readonly askedAt: string
  readonly endedAt: string | null
  readonly reason: string
  readonly period: string
  readonly pages: number | null
  readonly hasPdf: boolean
  /** To whom it was mailed, and what came of it. */
  readonly mailed: readonly Mailed[]
}
export interface ResultFull extends ResultRow {
  readonly document: ReportDocument | null
  readonly mayChange: boolean
}

const ROW = `r.id, r.report_id AS "reportId", r.title, r.kind, r.state, r.step, r.share, r.asked_by AS "askedBy", r.asked_by_id AS "askedById", r.asked_at AS "askedAt", r.ended_at AS "endedAt", r.reason, r.period, r.pages,
  r.pdf IS NOT NULL AS "hasPdf", r.mailed`
const READ = readIf()
const FROM = 'FROM report_results r JOIN reports d ON d.id = r.report_id'

/** The newest first. */
export async function listResults(actor: Actor, reportId: number): Promise<ResultRow[]> {
  await readReport(null, actor, reportId)
  return many<ResultRow>(
    null,
    `SELECT ${ROW} ${FROM} WHERE ${READ} AND r.report_id = $5 ORDER BY r.id DESC LIMIT 200`,
    [...readBy(actor), reportId],
  )
}

export async function oneResult(actor: Actor, id: number): Promise<ResultFull> {
  requireSomewhere(actor, 'see')
  const row = await maybeOne<ResultFull>(null, `SELECT ${ROW}, r.document ${FROM} WHERE ${READ} AND r.id = $5`, [
    ...readBy(actor),
    id,
  ])
  if (!row) throw notFound('result', id)
  return { ...row, mayChange: (await readReport(null, actor, row.reportId)).mayChange }
}

/** How far it is, without what came of it. */
export async function resultState(actor: Actor, id: number): Promise<ResultRow> {
  requireSomewhere(actor, 'see')
  const row = await maybeOne<ResultRow>(null, `SELECT ${ROW} ${FROM} WHERE ${READ} AND r.id = $5`, [
    ...readBy(actor),
    id,
  ])
  if (!row) throw notFound('result', id)
  return row
}

/** Asks for a report to be made now. */
export async function makeReport(actor: Actor, reportId: number): Promise<{ id: number }> {
  requireSomewhere(actor, 'see')
  return transaction(async (tx) => {
    const report = await readReport(tx, actor, reportId)
    const { n } = await one<{ n: number }>(
      tx,
      `SELECT count(*)::int AS n FROM report_results WHERE report_id = $1 AND state IN ('waiting','making')`,
      [reportId],
    )
    if (n >= MOST_OPEN) throw new Problem('too-many', 'It is being made already. Wait for that, or stop it.')
    return insertResult(tx, report, actor)
  })
}

/** It waits from here on. @param by who asks, a person or a job */
export async function insertResult(
  tx: Tx,
  { id: reportId, title, kind }: { readonly id: number; readonly title: string; readonly kind: string },
  by: { readonly name: string; readonly id: number | null },
): Promise<{ id: number }> {
  const result = await db().reportResults.create(
    { reportId, title, kind, askedBy: by.name, askedById: by.id },
    { transaction: tx },
  )
  await notify(tx, { reports: true })
  return { id: result.id }
}

/** Nothing of it is left; false: it is over already. */
export async function endMaking(tx: Tx | null, id: number, reason: string): Promise<boolean> {
  const stopped = await execute(
    tx,
    `UPDATE report_results SET state = 'stopped', ended_at = now(), reason = $2, step = '' WHERE id = $1 AND state IN ('waiting','making')`,
    [id, reason],
  )
  await notify(tx, { reports: true })
  return stopped > 0
}

/** Whoever asked for it or owns the report stops it: nothing of it is left. */
export async function stopResult(actor: Actor, id: number): Promise<void> {
  requireSomewhere(actor, 'see')
  const row = await resultState(actor, id)
  const { mayChange } = await readReport(null, actor, row.reportId)
  if (!mayChange && (row.askedById === null || row.askedById !== actor.id))
    throw new Problem('not-allowed', `${row.askedBy} asked for it: only they and the report’s owner stop it.`)
  if (!(await endMaking(null, id, `Stopped by ${actor.name}.`))) throw new Problem('not-now', 'It is over already.')
}

export async function removeResult(actor: Actor, id: number): Promise<void> {
  requireSomewhere(actor, 'see')
  const row = await resultState(actor, id)
  await transaction(async (tx) => {
    const report = await readReport(tx, actor, row.reportId)
    requireChange(report)
    await execute(tx, 'DELETE FROM report_results WHERE id = $1', [id])
    await record(tx, actor, 'removed', { type: 'report result', id, title: `${report.title}, ${row.period}` })
    await notify(tx, { reports: true })
  })
}

/** The PDF as it was made. */
export async function resultPdf(actor: Actor, id: number): Promise<{ readonly name: string; readonly bytes: Buffer }> {
  requireSomewhere(actor, 'see')
  const row = await maybeOne<{ slug: string; pdf: Buffer | null }>(
    null,
    `SELECT d.slug, r.pdf ${FROM} WHERE ${READ} AND r.id = $5`,
    [...readBy(actor), id],
  )
  if (!row) throw notFound('result', id)
  if (!row.pdf) throw new Problem('not-now', 'It has not been made.')
  return { name: `${row.slug}-${id}.pdf`, bytes: row.pdf }
}

export const tableSchema = z.strictObject({ table: z.coerce.number().int().min(0).max(200).default(0) })

/** One table of a result as CSV. @param table its place among all tables, from 0 */
export async function resultCsv(
  actor: Actor,
  id: number,
  { table }: z.output<typeof tableSchema>,
): Promise<{ readonly name: string; readonly text: string }> {
  const { document, reportId } = await oneResult(actor, id)
  if (!document) throw new Problem('not-now', 'It has not been made.')
  const found = document.sections.flatMap(({ tables }) => tables)[table]
  if (!found) throw invalid('table', 'The report has no such table.')
  return { name: `report-${reportId}-${id}-table-${table + 1}.csv`, text: csvOf(found) }
}

const KINDS: Partial<Record<Unit, 'instant' | 'duration' | 'text'>> = {
  instant: 'instant',
  ms: 'duration',
  text: 'text',
  day: 'text',
}

function csvOf({ columns, rows }: ReportTable): string {
  const head = columns.map(({ title, unit }) =>
    unit === 'ms' ? `${title} (s)` : unit === 'hours' ? `${title} (h)` : title,
  )
  return stringify(
    [
      head,
      ...rows.map(({ cells }) =>
        cells.map((cell, i) => {
          const kind = typeof cell === 'string' ? 'text' : (KINDS[columns[i]?.unit ?? 'text'] ?? 'number')
          return csvCell(kind, kind === 'instant' && cell !== null ? new Date(cell) : cell)
        }),
      ),
    ],
    { record_delimiter: '\r\n' },
  )
}
