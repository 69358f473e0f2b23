import type { Bundle, BundleReport } from '@/core/bundle/schema'
import { reportSchema, type ReportContent } from '@/core/reports/definition'
import { contentOf } from '@/core/reports/kinds'
import type { Actor } from '@/service/base/actor'
import { Problem } from '@/service/base/problem'
import {
  insertReport,
  listReports,
  reportToBringIn,
  requireChange,
  updateReport,
  type ReportRow,
} from '@/service/reports/reports'
import { many, maybeOne, type Tx } from '@/store/db'
import { areaFor } from './bundle-people'
import { idOf, namesOf } from './bundle-names'
import { sameJson, type ImportLine } from './bundle-parts'

/** What a filter names by numbers. */
const THINGS = ['job', 'area', 'trigger', 'person', 'agent', 'robot'] as const

/** Reports that the actor reads, as far as others read them or a job makes them. What a report names and is not there any more is left out, and with all of it the report. */
export async function reportsOut(actor: Actor): Promise<BundleReport[]> {
  const jobs = await many<{ report: string }>(
    null,
    `SELECT DISTINCT v.definition->'action'->>'report' AS report FROM jobs j JOIN job_versions v ON v.job_id = j.id AND v.version = j.version
      WHERE j.deleted_at IS NULL AND v.definition->'action'->>'kind' = 'report'`,
  )
  const made = new Set(jobs.map(({ report }) => report))
  const isOthers = ({ readers, mail }: ReportRow): boolean =>
    readers.people.length + readers.roles.length + readers.areas.length + mail.length > 0
  const rows = (await listReports(actor)).filter((row) => isOthers(row) || made.has(row.slug))
  const names = await namesOf([
    ...rows.flatMap(({ filter }) => THINGS.flatMap((kind) => (filter[kind] ?? []).map((id) => ({ kind, id })))),
    ...rows.flatMap(({ filter: { view } }) => (view === undefined ? [] : [{ kind: 'view' as const, id: view }])),
    ...rows.flatMap(({ readers }) => readers.people.map((id) => ({ kind: 'person' as const, id }))),
    ...rows.flatMap(({ readers }) => readers.areas.map((id) => ({ kind: 'area' as const, id }))),
  ])
  const owners = new Map(
    (
      await many<{ slug: string; email: string }>(
        null,
        'SELECT d.slug, lower(p.email) AS email FROM reports d JOIN people p ON p.id = d.person_id WHERE p.active',
      )
    ).map(({ slug, email }) => [slug, email]),
  )
  // One of which all that narrowed it is gone would be about everything where it is brought in.
  const isNarrow = ({ filter }: ReportRow): boolean =>
    THINGS.every((kind) => !filter[kind] || filter[kind].some((id) => names.has(`${kind} ${id}`))) &&
    (filter.view === undefined || names.has(`view ${filter.view}`))
  return rows.filter(isNarrow).map((row) => reportOut(row, names, owners.get(row.slug)))
}

function reportOut(row: ReportRow, names: ReadonlyMap<string, string>, owner: string | undefined): BundleReport {
  const { view, ...filter } = row.filter
  const named = (kind: string, ids: readonly number[] | undefined): string[] =>
    (ids ?? []).flatMap((id) => names.get(`${kind} ${id}`) ?? [])
  const some = (key: string, values: readonly string[]): Record<string, readonly string[]> =>
    values.length > 0 ? { [key]: values } : {}
  const viewName = view === undefined ? undefined : names.get(`view ${view}`)
  const { id: _, slug, notes, kind, period, zone, options, readers, mail, keepDays, title } = row
  return {
    id: slug,
    title,
    ...(notes ? { notes } : {}),
    kind,
    period,
    zone,
    filter: {
      ...(filter.cause ? { cause: filter.cause } : {}),
      ...(filter.kind ? { kind: filter.kind } : {}),
      ...Object.assign({}, ...THINGS.map((key) => some(key, named(key, filter[key])))),
      ...(viewName === undefined ? {} : { view: viewName }),
    },
    options,
    readers: {
      ...some('people', named('person', readers.people)),
      ...(readers.roles.length > 0 ? { roles: readers.roles } : {}),
      ...some('areas', named('area', readers.areas)),
    },
    mail,
    keepDays,
    ...(owner === undefined ? {} : { owner }),
  }
}

/** Before jobs: those that are new are there, so that jobs may name them. What they name follows (`importReports`). Returns their ids. */
export async function placeReports(tx: Tx, actor: Actor, { reports, zone }: Bundle): Promise<ReadonlySet<string>> {
  const placed = new Set<string>()
  for (const report of reports) {
    if (await reportToBringIn(tx, actor, report.id)) continue
    const { filter: _filter, readers: _readers, mail: _mail, ...rest } = report
    const content = reportSchema.parse({ ...plainOf({ ...rest, filter: {}, readers: {}, mail: [] }, zone) })
    await insertReport(tx, actor, content, report.id, await ownerOf(tx, actor, report))
    placed.add(report.id)
  }
  return placed
}

/** A person brings in what is made with their own rights; the command line has none of its own, and gives it whom the file names. */
async function ownerOf(tx: Tx, actor: Actor, { owner }: BundleReport): Promise<number | null> {
  if (actor.id !== null) return actor.id
  if (owner === undefined) return null
  const person = await maybeOne<{ id: number }>(
    tx,
    `SELECT id FROM people WHERE lower(email) = lower($1) AND kind = 'person' AND active`,
    [owner],
  )
  return person?.id ?? null
}

/** A report of a file without what it names. */
const plainOf = (
  { id, title = id, notes = '', options, keepDays, owner: _owner, ...rest }: BundleReport,
  zone: string,
): object => ({
  ...rest,
  title,
  notes,
  zone: rest.zone ?? zone,
  ...(options === undefined ? {} : { options }),
  ...(keepDays === undefined ? {} : { keepDays }),
})

/** After all that they name. @param placed those that `placeReports` has added */
export async function importReports(
  tx: Tx,
  actor: Actor,
  { reports, zone }: Bundle,
  placed: ReadonlySet<string>,
  lines: ImportLine[],
): Promise<void> {
  const areas = new Map<string, number>()
  for (const [i, report] of reports.entries()) {
    const place = `reports[${i}]`
    const read = reportSchema.safeParse({
      ...plainOf(report, zone),
      filter: await filterIn(tx, actor, report.filter, `${place}.filter`, areas),
      readers: {
        people: await idsOf(tx, `${place}.readers.people`, 'person', report.readers.people),
        roles: report.readers.roles ?? [],
        areas: await areasOf(tx, actor, report.readers.areas, areas),
      },
    })
    if (!read.success)
      throw new Problem(
        'invalid-input',
        'A report of the file does not fit.',
        read.error.issues.map(({ path, message }) => ({ path: [place, ...path].join('.'), message })),
      )
    const before = (await reportToBringIn(tx, actor, report.id)) as ReportRow
    const content: ReportContent = read.data
    const isSame = sameJson(contentOf(before), content)
    // Somebody else's is left alone where the file says what stands.
    if (!isSame) {
      requireChange(before)
      await updateReport(tx, actor, before, content)
    }
    lines.push({ kind: 'report', id: report.id, what: placed.has(report.id) ? 'added' : isSame ? 'same' : 'changed' })
  }
}

async function filterIn(
  tx: Tx,
  actor: Actor,
  { view, cause, kind, area, ...things }: BundleReport['filter'],
  place: string,
  areas: Map<string, number>,
): Promise<object> {
  const found: Record<string, unknown> = {}
  for (const [key, names] of Object.entries(things))
    found[key] = await idsOf(tx, `${place}.${key}`, key as 'job' | 'trigger' | 'person' | 'agent' | 'robot', names)
  return {
    ...found,
    ...(area === undefined ? {} : { area: await areasOf(tx, actor, area, areas) }),
    ...(cause === undefined ? {} : { cause }),
    ...(kind === undefined ? {} : { kind }),
    ...(view === undefined ? {} : { view: await idOf(tx, `${place}.view`, 'view', view) }),
  }
}

async function idsOf(
  tx: Tx,
  path: string,
  kind: 'job' | 'trigger' | 'person' | 'agent' | 'robot',
  names: readonly string[] | undefined,
): Promise<number[]> {
  const ids: number[] = []
  for (const name of names ?? []) ids.push(await idOf(tx, path, kind, name))
  return ids
}

async function areasOf(
  tx: Tx,
  actor: Actor,
  paths: readonly string[] | undefined,
  areas: Map<string, number>,
): Promise<number[]> {
  const ids: number[] = []
  for (const path of paths ?? []) ids.push(await areaFor(tx, actor, areas, path))
  return ids
}
