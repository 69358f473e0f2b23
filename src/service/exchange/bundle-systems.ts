import { depthsOf } from '@/core/bundle/graph'
import type { Bundle, BundleSystem } from '@/core/bundle/schema'
import { systemSchema } from '@/core/work/systems'
import type { Actor } from '@/service/base/actor'
import { addSystemIn, readSystem, saveSystemIn } from '@/service/work/systems'
import { many, type Tx } from '@/store/db'
import { atPlace, sameJson, type ImportLine } from './bundle-parts'

/** All systems, whole. */
export const readSystems = (): Promise<(BundleSystem & { title: string; notes: string })[]> =>
  many(
    null,
    `SELECT s.slug AS id, s.title, s.notes, s.kind, s.host, s.port, s.database, s.tls, s.host_key AS "hostKey", s.account, s.pool,
            coalesce((SELECT jsonb_agg(b.slug ORDER BY b.slug) FROM system_on o JOIN systems b ON b.id = o.on_id WHERE o.system_id = s.id), '[]') AS on
       FROM systems s ORDER BY s.slug`,
  )

/** One as a file has it. What is as it is by default is left out. */
export const systemOut = ({
  id,
  kind,
  title,
  notes,
  on,
  tls,
  ...said
}: BundleSystem): Pick<BundleSystem, 'id' | 'kind'> & Partial<BundleSystem> => ({
  id,
  kind,
  title,
  ...(notes ? { notes } : {}),
  ...(on.length > 0 ? { on } : {}),
  ...(tls ? { tls } : {}),
  ...Object.fromEntries(Object.entries(said).filter(([, value]) => value !== null)),
})

/** What others run on comes first. Jobs here that are done on one that changes change with it. */
export async function importSystems(tx: Tx, actor: Actor, { systems }: Bundle, lines: ImportLine[]): Promise<void> {
  const places = new Map(systems.map(({ id }, i) => [id, i]))
  const depths = depthsOf(systems.map(({ on }) => on.flatMap((name) => places.get(name) ?? [])))
  const order = systems.map((system, place) => ({ system, place }))
  order.sort((a, b) => (depths[a.place] as number) - (depths[b.place] as number))
  for (const { system, place } of order) {
    const { id: slug, title = slug, notes = '', ...rest } = system
    const what = await atPlace(`systems[${place}]`, async () => {
      const content = systemSchema.parse({ ...rest, title, notes })
      const [known] = await many<{ id: number }>(tx, 'SELECT id FROM systems WHERE slug = $1', [slug])
      if (!known) {
        await addSystemIn(tx, actor, content, slug)
        return 'added'
      }
      const { id, slug: _, version, savedBy: _by, savedAt: _at, ...before } = await readSystem(tx, known.id)
      const sorted = (one: typeof content): object => ({ ...one, on: [...one.on].sort() })
      if (sameJson(sorted(before), sorted(content))) return 'same'
      await saveSystemIn(tx, actor, id, { ...content, version })
      return 'changed'
    })
    lines.push({ kind: 'system', id: slug, what })
  }
}
