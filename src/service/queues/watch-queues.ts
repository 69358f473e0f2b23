import { BACKLOG_TROUBLES, backlogTroubles, type BacklogTrouble } from '@/core/events/backlog'
import { many, transaction } from '@/store/db'
import { notify } from '@/store/listen'
import { closeTrouble, openTrouble } from '@/service/base/trouble'
import { figuresOf, type QueueFigures } from './figures'

const WORDS: Record<
  BacklogTrouble,
  { title: (queue: string, its: QueueFigures) => string; evidence: (its: QueueFigures) => string }
> = {
  overdue: {
    title: (queue, { overdue }) =>
      `${overdue === 1 ? 'An item' : `${overdue} items`} of ${queue} ${overdue === 1 ? 'is' : 'are'} past due`,
    evidence: ({ waiting, endedPerHour }) => `${waiting} wait; ${endedPerHour} ended in the last hour.`,
  },
  rejected: {
    title: (queue, { rejected, failed }) => `${rejected + failed} items of ${queue} wait for a person`,
    evidence: ({ rejected, failed }) =>
      `${rejected} rejected, ${failed} failed: mend them and put them back, or withdraw them.`,
  },
  grows: {
    title: (queue) => `More comes into ${queue} than is worked off`,
    evidence: ({ waiting, arrivedPerHour, endedPerHour }) =>
      `In the last hour ${arrivedPerHour} came and ${endedPerHour} ended; ${waiting} wait.`,
  },
}

const subjectOf = (id: number, trouble: BacklogTrouble): string => `queue ${id} ${trouble}`

/** Opens matters for queues that a person should look at, closes those of queues that are well again. What is told already is not counted again and again. */
export async function watchQueues(): Promise<void> {
  const queues = await many<{ id: number; title: string; mostBad: number }>(
    null,
    'SELECT id, title, most_rejected AS "mostBad" FROM queues WHERE deleted_at IS NULL AND active',
  )
  const figures = await figuresOf(queues.map(({ id }) => id))
  await transaction(async (tx) => {
    const open = new Set(
      (
        await many<{ subject: string }>(
          tx,
          `SELECT subject FROM matters WHERE kind = 'trouble' AND state <> 'closed' AND subject ~ '^queue \\d'`,
        )
      ).map(({ subject }) => subject),
    )
    const now = new Map<string, { trouble: BacklogTrouble; title: string; its: QueueFigures }>()
    for (const { id, title, mostBad } of queues) {
      const its = figures.get(id)
      if (!its) continue
      const isOld = its.oldestAt !== null && its.oldestAt.getTime() < Date.now() - 3_600_000
      for (const trouble of backlogTroubles({ ...its, bad: its.rejected + its.failed, isOld }, mostBad))
        now.set(subjectOf(id, trouble), { trouble, title, its })
    }
    const fresh = [...now].filter(([subject]) => !open.has(subject))
    for (const [subject, { trouble, title, its }] of fresh)
      await openTrouble(tx, {
        subject,
        title: WORDS[trouble].title(title, its),
        evidence: WORDS[trouble].evidence(its),
      })
    const over = [...open].filter(
      (subject) => !now.has(subject) && BACKLOG_TROUBLES.some((each) => subject.endsWith(each)),
    )
    if (over.length > 0) await closeTrouble(tx, over, 'it is well again')
    if (fresh.length + over.length > 0) await notify(tx, { matters: true })
  })
}
