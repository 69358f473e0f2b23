import type { BundleJob } from '@/core/bundle/schema'
import { many } from '@/store/db'
import { Problem } from '@/service/base/problem'

export interface ImportLine {
  readonly kind:
    | 'calendar'
    | 'pool'
    | 'lock'
    | 'robot'
    | 'system'
    | 'queue'
    | 'group'
    | 'area'
    | 'job'
    | 'flow'
    | 'trigger'
    | 'view'
    | 'report'
  readonly id: string
  readonly what: 'added' | 'changed' | 'same'
}

/** A job or flow between a file and where it is stored. */
export interface FiledWork<Definition = unknown> {
  readonly slug: string
  readonly title: string
  readonly notes: string
  readonly area: string
  readonly active: boolean
  readonly definition: Definition
}

/** One of a file, with what it may leave out. */
export const filedWork = <Definition>(
  one: Pick<BundleJob, 'id' | 'title' | 'notes' | 'area' | 'active'>,
  definition: Definition,
): FiledWork<Definition> => ({
  slug: one.id,
  title: one.title ?? one.id,
  notes: one.notes ?? '',
  area: one.area ?? DEFAULT_AREA,
  active: one.active,
  definition,
})

/** All jobs, or all flows, in the order of a file. */
export function workOut(isFlow: boolean): Promise<FiledWork[]> {
  return many<FiledWork>(
    null,
    `SELECT j.slug, j.title, j.notes, a.path AS area, j.active, v.definition
       FROM jobs j JOIN areas a ON a.id = j.area_id JOIN job_versions v ON v.job_id = j.id AND v.version = j.version
      WHERE j.is_flow = $1 AND j.deleted_at IS NULL ORDER BY j.slug`,
    [isFlow],
  )
}

/** Told of what is stored and cannot be read, `job tides`; what it throws ends the export. */
export type OnBad = (what: string, error: unknown) => void

/** Each as a file has it; one that cannot be read is left to `onBad`. */
export const readableOf = <T extends { readonly slug: string }, R>(
  kind: string,
  rows: readonly T[],
  onBad: OnBad,
  out: (row: T) => R,
): R[] =>
  rows.flatMap((row) => {
    try {
      return [out(row)]
    } catch (error) {
      onBad(`${kind} ${row.slug}`, error)
      return []
    }
  })

/** Where jobs, flows and queues go that name no area. */
export const DEFAULT_AREA = 'Imported'

/** Faults that saving a definition meets are told at its place in the file. */
export async function atPlace<T>(place: string, work: () => Promise<T>): Promise<T> {
  try {
    return await work()
  } catch (error) {
    if (!(error instanceof Problem) || error.errors.length === 0) throw error
    const errors = error.errors.map(({ path, message }) => ({ path: path.replace(/^definition/, place), message }))
    throw new Problem(error.code, error.detail, errors)
  }
}

/** Equal as JSON, whatever the order of keys. */
export function sameJson(a: unknown, b: unknown): boolean {
  const sorted = (value: unknown): unknown =>
    typeof value === 'object' && value !== null && !Array.isArray(value)
      ? Object.fromEntries(
          Object.entries(value)
            .filter(([, v]) => v !== undefined)
            .sort(([x], [y]) => (x < y ? -1 : 1))
            .map(([k, v]) => [k, sorted(v)]),
        )
      : Array.isArray(value)
        ? value.map(sorted)
        : value
  return JSON.stringify(sorted(a)) === JSON.stringify(sorted(b))
}
