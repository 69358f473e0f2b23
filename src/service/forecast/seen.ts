import type { Change } from '@/core/forecast/change'
import { many } from '@/store/db'
import { whoReads } from '@/store/walls'
import type { Standing } from './kept'

/** Names of files that whoever reads may see; null: all. */
export interface Seen {
  readonly triggers: ReadonlySet<string>
  /** Jobs and flows. */
  readonly work: ReadonlySet<string>
}

export async function seenNames(): Promise<Seen | null> {
  if (whoReads() === undefined) return null
  const [triggers, work] = await Promise.all([
    many<{ slug: string }>(null, 'SELECT slug FROM triggers WHERE deleted_at IS NULL'),
    many<{ slug: string }>(null, 'SELECT slug FROM jobs WHERE deleted_at IS NULL'),
  ])
  return { triggers: new Set(triggers.map(({ slug }) => slug)), work: new Set(work.map(({ slug }) => slug)) }
}

/** What of the kept forecast may be seen. What machines have to do altogether is the fleet's, and stays; what would help may name anything, and goes. */
export function seenOf(standing: Standing, seen: Seen): Standing {
  const places = new Map<number, number>()
  const runs = standing.runs.filter(({ trigger, target }, i) => {
    const isSeen = seen.triggers.has(trigger) && seen.work.has(target)
    if (isSeen) places.set(i, places.size)
    return isSeen
  })
  const ran = new Set(runs.map(({ target }) => target))
  return {
    ...standing,
    runs,
    jobs: ran.size,
    deadlines: standing.deadlines
      .filter(({ trigger }) => seen.triggers.has(trigger))
      .map(({ help: _, helpChance: __, helpFor: ___, ...deadline }) => ({
        ...deadline,
        decidedBy: deadline.decidedBy.flatMap((each): (number | string)[] =>
          typeof each === 'number' ? (places.has(each) ? [places.get(each) as number] : []) : [each],
        ),
      })),
    guesses: standing.guesses.filter((job) => seen.work.has(job)),
    leftOut: [],
    soon: standing.soon.filter(({ target }) => seen.work.has(target)),
    late: standing.late.filter(({ trigger }) => seen.triggers.has(trigger)),
  }
}

/** Whether a change names only what may be seen. What is added may name anything. */
export function isSeenChange(change: Change, { triggers, work }: Seen): boolean {
  if ('length' in change) return work.has(change.length.job)
  if ('off' in change) return triggers.has(change.off.trigger)
  if ('at' in change) return triggers.has(change.at.trigger)
  if ('window' in change) return triggers.has(change.window.trigger)
  if ('finishBy' in change) return triggers.has(change.finishBy.trigger)
  if ('extra' in change) return work.has(change.extra.work)
  return !('add' in change)
}
