import { clipText } from '@/core/schema/plain-text'
import { transaction } from '@/store/db'
import type { Actor } from '@/service/base/actor'
import { countAttempts } from '@/service/people/attempts'
import { record } from '@/service/base/audit'

/** Of one person in a quarter of an hour so many are written down. */
const MOST_NOTED = 20

/** Somebody asked for what their role may not: it stands in the audit, where an administrator looks for such things. */
export async function noteRefusal(actor: Actor, what: string): Promise<void> {
  const [times = 1] = await countAttempts([{ kind: 'refusal', key: String(actor.id) }])
  if (times > MOST_NOTED) return
  await transaction((tx) =>
    record(
      tx,
      actor,
      'refused',
      { type: 'request', id: '', title: clipText(what, 200) },
      times === MOST_NOTED ? { more: 'not noted' } : {},
    ),
  )
}
