import type { Bundle, BundleQueue } from '@/core/bundle/schema'
import { isoDuration, parseDuration } from '@/core/timing/duration'
import type { Actor } from '@/service/base/actor'
import { addQueueIn, queueSchema, readQueue, saveQueueIn } from '@/service/queues/queues'
import { many, maybeOne, type Tx } from '@/store/db'
import { areaFor } from './bundle-people'
import { atPlace, DEFAULT_AREA, sameJson, type ImportLine } from './bundle-parts'

/** All work queues, without their items. What is as it is by default is left out. */
export async function queuesOut(): Promise<(Pick<BundleQueue, 'id'> & Partial<BundleQueue>)[]> {
  const rows = await many<{
    slug: string
    title: string
    notes: string
    area: string
    tries: number
    delay: number
    keys: BundleQueue['keys']
    schema: Record<string, unknown> | null
    keepDays: number
    mostRejected: number
    active: boolean
  }>(
    null,
    `SELECT q.slug, q.title, q.notes, a.path AS area, q.tries, (q.delay_ms / 1000)::int AS delay, q.keys, q.schema, q.keep_days AS "keepDays", q.most_rejected AS "mostRejected", q.active
       FROM queues q JOIN areas a ON a.id = q.area_id WHERE q.deleted_at IS NULL ORDER BY q.slug`,
  )
  return rows.map(({ slug, title, notes, area, tries, delay, keys, schema, keepDays, mostRejected, active }) => ({
    id: slug,
    title,
    ...(notes ? { notes } : {}),
    area,
    ...(tries === 3 ? {} : { tries }),
    ...(delay === 60 ? {} : { delay: isoDuration(delay) }),
    ...(keys === 'none' ? {} : { keys }),
    ...(schema === null ? {} : { schema }),
    ...(keepDays === 90 ? {} : { keepDays }),
    ...(mostRejected === 10 ? {} : { mostRejected }),
    ...(active ? {} : { enabled: false }),
  }))
}

export async function importQueues(tx: Tx, actor: Actor, { queues }: Bundle, lines: ImportLine[]): Promise<void> {
  const areas = new Map<string, number>()
  for (const [
    place,
    { id: slug, title = slug, notes = '', area, delay, schema, enabled, ...rest },
  ] of queues.entries()) {
    const content = queueSchema.parse({
      ...rest,
      title,
      notes,
      areaId: await areaFor(tx, actor, areas, area ?? DEFAULT_AREA),
      delaySeconds: parseDuration(delay) ?? 60,
      schema: schema ?? null,
      active: enabled,
    })
    const known = await maybeOne<{ id: number }>(tx, 'SELECT id FROM queues WHERE slug = $1 AND deleted_at IS NULL', [
      slug,
    ])
    const what = await atPlace(`queues[${place}]`, async () => {
      if (!known) {
        await addQueueIn(tx, actor, content, slug)
        return 'added'
      }
      const { version, ...before } = await readQueue(tx, known.id)
      if (sameJson(queueSchema.parse(pick(before, content)), content)) return 'same'
      await saveQueueIn(tx, actor, known.id, { ...content, version })
      return 'changed'
    })
    lines.push({ kind: 'queue', id: slug, what })
  }
}

const pick = (from: object, like: object): object =>
  Object.fromEntries(Object.entries(from).filter(([key]) => key in like))
