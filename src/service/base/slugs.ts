import { many, type Tx } from '@/store/db'

/** A name for files that no other of the table has. */
export async function freeSlug(tx: Tx, table: Named, wanted: string): Promise<string> {
  const [slug] = await freeSlugs(tx, table, [wanted])
  return slug as string
}

type Named = 'triggers' | 'jobs' | 'calendars' | 'queues' | 'views' | 'reports' | 'systems'

/** The same for many, none equal to another. */
export async function freeSlugs(tx: Tx, table: Named, wanted: readonly string[]): Promise<string[]> {
  const begins = [...new Set(wanted.map(beginOf))]
  const rows = await many<{ slug: string }>(
    tx,
    `SELECT DISTINCT slug FROM ${table} WHERE slug = ANY($1) OR left(slug, length(slug) - position('-' IN reverse(slug))) = ANY($2)`,
    [wanted, begins],
  )
  const used = new Set(rows.map((row) => row.slug))
  const next = new Map<string, number>()
  return wanted.map((each) => {
    const begin = beginOf(each)
    let slug = each
    let n = next.get(begin) ?? 2
    for (; used.has(slug); n++) slug = `${begin}-${n}`
    next.set(begin, n)
    used.add(slug)
    return slug
  })
}

const beginOf = (slug: string): string => slug.slice(0, 58)
