import { getOr } from '../group'
import type { ItemState } from '../events/item'
import { section, type Section } from './document'
import { Lengths, type Frame } from './facts'
import { dayAt, daysOf } from './period'

/** An item of a work queue as reports see it. Instants and lengths in milliseconds. */
export interface ItemFact {
  readonly queueId: number
  readonly queue: string
  readonly state: ItemState
  readonly cameAtMs: number
  readonly endedAtMs: number | null
  /** Of its last take. */
  readonly handledMs: number | null
  readonly waitedMs: number | null
}

class Tally {
  arrived = 0
  done = 0
  rejected = 0
  failed = 0
  withdrawn = 0
  readonly handling = new Lengths()
  readonly waiting = new Lengths()
}
const ENDINGS = ['done', 'rejected', 'failed', 'withdrawn'] as const

/** Work queues: what arrived and what ended in the period, how long items waited and how long one took. Items that came before and ended within count among the endings. */
export function queues(frame: Frame): { take: (item: ItemFact) => void; finish: () => Section[] } {
  const { period, zone } = frame
  const days = daysOf(period, zone)
  const perDay = days.map(() => ({ arrived: 0, ended: 0 }))
  const all = new Tally()
  const of = new Map<number, { readonly queue: string; readonly tally: Tally }>()
  const take = (item: ItemFact): void => {
    const own = getOr(of, item.queueId, () => ({ queue: item.queue, tally: new Tally() })).tally
    const came = item.cameAtMs >= period.fromMs && item.cameAtMs < period.toMs
    const endedMs = item.endedAtMs
    const ended = endedMs !== null && endedMs >= period.fromMs && endedMs < period.toMs
    for (const tally of [own, all]) {
      if (came) tally.arrived++
      if (!ended) continue
      const outcome = ENDINGS.find((each) => each === item.state)
      if (outcome) tally[outcome]++
      if (item.handledMs !== null) tally.handling.add(item.handledMs)
      if (item.waitedMs !== null) tally.waiting.add(item.waitedMs)
    }
    const cameOn = came ? perDay[dayAt(days, item.cameAtMs)] : undefined
    if (cameOn) cameOn.arrived++
    const endedOn = ended ? perDay[dayAt(days, endedMs)] : undefined
    if (endedOn) endedOn.ended++
  }
  const iso = (ms: number): string => encodeURIComponent(new Date(ms).toISOString())
  const came = `cameFrom=${iso(period.fromMs)}&cameTo=${iso(period.toMs)}`
  const ended = `endedFrom=${iso(period.fromMs)}&endedTo=${iso(period.toMs)}`
  const finish = (): Section[] => [
    section('In all', {
      figures: [
        { label: 'Arrived', unit: 'count', value: all.arrived },
        { label: 'Done', unit: 'count', value: all.done },
        { label: 'Rejected', unit: 'count', value: all.rejected, formula: 'The item itself was wrong.' },
        { label: 'Failed', unit: 'count', value: all.failed, formula: 'Its tries ran out.' },
        { label: 'Withdrawn', unit: 'count', value: all.withdrawn },
        {
          label: 'Handling time',
          unit: 'ms',
          value: all.handling.meanMs,
          formula: 'From the last take to the end, the mean.',
        },
        {
          label: 'Waited',
          unit: 'ms',
          value: all.waiting.meanMs,
          formula: 'From when it came to its last take, the mean.',
        },
      ],
      charts: [
        {
          title: 'Items by day',
          kind: 'lines',
          unit: 'count',
          labels: days.map(({ day }) => day),
          series: [
            { title: 'arrived', mark: 'plain', values: perDay.map((day) => day.arrived) },
            { title: 'ended', mark: 'good', values: perDay.map((day) => day.ended) },
          ],
        },
      ],
    }),
    section('By queue', {
      tables: [
        {
          title: 'By queue',
          columns: [
            { title: 'Queue', unit: 'text' },
            { title: 'Arrived', unit: 'count' },
            { title: 'Done', unit: 'count' },
            { title: 'Rejected', unit: 'count' },
            { title: 'Failed', unit: 'count' },
            { title: 'Withdrawn', unit: 'count' },
            { title: 'Handling time', unit: 'ms' },
            { title: 'Longest', unit: 'ms' },
            { title: 'Waited', unit: 'ms' },
          ],
          rows: [...of]
            .sort(([, a], [, b]) => a.queue.localeCompare(b.queue))
            .map(([id, { queue, tally }]) => ({
              cells: [
                queue,
                tally.arrived,
                ...ENDINGS.map((outcome) => tally[outcome]),
                tally.handling.meanMs,
                tally.handling.n === 0 ? null : tally.handling.mostMs,
                tally.waiting.meanMs,
              ],
              hrefs: [
                `/work/queues/${id}`,
                `/work/queues/${id}?${came}`,
                ...ENDINGS.map((outcome) => `/work/queues/${id}?state=${outcome}&${ended}`),
              ],
            })),
          foot: [
            'All',
            all.arrived,
            ...ENDINGS.map((outcome) => all[outcome]),
            all.handling.meanMs,
            all.handling.n === 0 ? null : all.handling.mostMs,
            all.waiting.meanMs,
          ],
        },
      ],
    }),
  ]
  return { take, finish }
}
