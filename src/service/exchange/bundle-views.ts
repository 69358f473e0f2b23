import type { Bundle, BundleView } from '@/core/bundle/schema'
import { LISTS, type ListName, type ListOf, type ThingKind } from '@/core/views/lists'
import { viewSchema, type ViewValues } from '@/core/views/view'
import type { Actor } from '@/service/base/actor'
import { invalid, Problem } from '@/service/base/problem'
import { insertView, updateView } from '@/service/views/views'
import { many, maybeOne, type Tx } from '@/store/db'
import { areaFor } from './bundle-people'
import { idOf, namesOf } from './bundle-names'
import { sameJson, type ImportLine } from './bundle-parts'

const thingsOf = (list: ListName): Readonly<Record<string, ThingKind>> => (LISTS[list] as ListOf).things ?? {}

/** Views that others see, too; those of one person are theirs. What a filter names and is not there any more is left out: it shows nothing. */
export async function viewsOut(): Promise<(Pick<BundleView, 'id' | 'list' | 'values'> & Partial<BundleView>)[]> {
  const rows = await many<{
    slug: string
    title: string
    list: ListName
    queue: string | null
    area: string | null
    values: ViewValues
  }>(
    null,
    `SELECT v.slug, v.title, v.list, q.slug AS queue, a.path AS area, v."values" FROM views v LEFT JOIN queues q ON q.id = v.queue_id LEFT JOIN areas a ON a.id = v.area_id
      WHERE v.shared <> 'me' AND q.deleted_at IS NULL ORDER BY v.slug`,
  )
  const named = rows.flatMap(({ list, values }) =>
    Object.entries(thingsOf(list)).flatMap(([key, kind]) =>
      (values[key]?.split(',') ?? []).map((id) => ({ kind, id: Number(id) })),
    ),
  )
  const names = await namesOf(named)
  return rows.map(({ slug, title, list, queue, area, values }) => ({
    id: slug,
    title,
    list,
    ...(queue === null ? {} : { queue }),
    ...(area === null ? {} : { area }),
    values: Object.fromEntries(
      Object.entries(values).flatMap(([key, value]): [string, string | string[]][] => {
        const kind = thingsOf(list)[key]
        if (kind === undefined) return [[key, value]]
        const known = value.split(',').flatMap((id) => names.get(`${kind} ${id}`) ?? [])
        return known.length > 0 ? [[key, known]] : []
      }),
    ),
  }))
}

export async function importViews(tx: Tx, actor: Actor, { views }: Bundle, lines: ImportLine[]): Promise<void> {
  const areas = new Map<string, number>()
  for (const [i, { id: slug, title = slug, list, queue, area, values }] of views.entries()) {
    const place = `views[${i}]`
    const of = queue === undefined ? null : await idOf(tx, `${place}.queue`, 'queue', queue)
    const read = viewSchema.safeParse({
      list,
      of,
      title,
      values: await valuesIn(tx, list, values, place),
      ...(area === undefined
        ? { shared: 'everyone' }
        : { shared: 'area', areaId: await areaFor(tx, actor, areas, area) }),
    })
    if (!read.success)
      throw new Problem(
        'invalid-input',
        'A view of the file does not fit.',
        read.error.issues.map(({ path, message }) => ({ path: [place, ...path].join('.'), message })),
      )
    const content = read.data
    const before = await maybeOne<Parameters<typeof updateView>[2] & { list: ListName; of: number | null }>(
      tx,
      `SELECT id, list, queue_id AS of, title, "values", shared, area_id AS "areaId", version FROM views WHERE slug = $1 FOR UPDATE`,
      [slug],
    )
    if (!before) await insertView(tx, actor, content, slug)
    const { id: _id, version: _version, ...old } = before ?? {}
    const isSame = sameJson(old, content)
    if (before && !isSame) await updateView(tx, actor, before, content)
    lines.push({ kind: 'view', id: slug, what: !before ? 'added' : isSame ? 'same' : 'changed' })
  }
}

/** As they stand in an address: names as numbers. */
async function valuesIn(
  tx: Tx,
  list: ListName,
  values: BundleView['values'],
  place: string,
): Promise<Record<string, string>> {
  const found: Record<string, string> = {}
  for (const [key, value] of Object.entries(values)) {
    const kind = thingsOf(list)[key]
    if (kind === undefined && typeof value !== 'string')
      throw invalid(`${place}.values.${key}`, 'It names nothing: write one text.')
    const names = typeof value === 'string' ? [value] : value
    const ids: (string | number)[] = []
    for (const name of names) ids.push(kind ? await idOf(tx, `${place}.values.${key}`, kind, name) : name)
    found[key] = ids.join()
  }
  return found
}
