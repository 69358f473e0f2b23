import type { Bundle } from '@/core/bundle/schema'
import type { Actor } from '@/service/base/actor'
import { changing, insertCalendar, readCalendar, saveCalendarIn } from '@/service/timing/calendars'
import { many, type Tx } from '@/store/db'
import { sameJson, type ImportLine } from './bundle-parts'

export async function importCalendars(tx: Tx, actor: Actor, bundle: Bundle, lines: ImportLine[]): Promise<void> {
  await changing(tx)
  const present = new Map(
    (await many<{ id: number; slug: string }>(tx, 'SELECT id, slug FROM calendars')).map((row) => [row.slug, row.id]),
  )
  for (const calendar of inOrder(bundle)) {
    const id = present.get(calendar.id)
    const content = { title: calendar.title ?? calendar.id, notes: calendar.notes ?? '', rule: calendar.days }
    if (id === undefined) {
      await insertCalendar(tx, actor, { slug: calendar.id, ...content })
      lines.push({ kind: 'calendar', id: calendar.id, what: 'added' })
      continue
    }
    const current = await readCalendar(tx, id)
    const isSame =
      current.title === content.title && current.notes === content.notes && sameJson(current.rule, content.rule)
    if (!isSame) await saveCalendarIn(tx, actor, id, { ...content, version: current.version })
    lines.push({ kind: 'calendar', id: calendar.id, what: isSame ? 'same' : 'changed' })
  }
}

/** Calendars so that each comes after those that it refers to. */
function inOrder(bundle: Bundle): Bundle['calendars'] {
  const byId = new Map(bundle.calendars.map((calendar) => [calendar.id, calendar]))
  const done = new Set<string>()
  const out: Bundle['calendars'] = []
  const visit = (calendar: Bundle['calendars'][number]): void => {
    if (done.has(calendar.id)) return
    done.add(calendar.id)
    for (const [, id] of JSON.stringify(calendar.days).matchAll(/"calendar":"([a-z0-9-]+)"/g)) {
      const other = byId.get(id as string)
      if (other) visit(other)
    }
    out.push(calendar)
  }
  bundle.calendars.forEach(visit)
  return out
}
