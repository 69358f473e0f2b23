import { getOr } from '../group'
import { clipped, section, type Section } from './document'
import { Lengths, type Frame, type RunFact, type RunTaker } from './facts'
import { dayAt, daysOf } from './period'

const MOST_LISTED = 2000
/** A forecast of when a run ends was right if it was no further off. */
const RIGHT_MS = 5 * 60_000

interface OfJob {
  readonly title: string
  readonly area: string
  kept: number
  late: number
  open: number
  marginSumMs: number
  leastMs: number
}

/** Deadlines kept: share in time, margins, and what the forecast said against what came. A run that has not ended is late once its deadline is behind. */
export function deadlines(frame: Frame): RunTaker<Section[]> {
  const { period, zone, nowMs } = frame
  const days = daysOf(period, zone)
  const perDay = days.map(() => ({ kept: 0, late: 0 }))
  const jobs = new Map<number, OfJob>()
  const late: RunFact[] = []
  const off = new Lengths()
  let right = 0
  let kept = 0
  let missed = 0
  let open = 0
  const take = (run: RunFact): void => {
    if (run.flowRunId !== null || run.dueAtMs === null || run.state === 'cancelled' || run.state === 'skipped') return
    const job = getOr(jobs, run.jobId, () => ({
      title: run.title,
      area: run.area,
      kept: 0,
      late: 0,
      open: 0,
      marginSumMs: 0,
      leastMs: Infinity,
    }))
    if (run.endedAtMs === null && run.dueAtMs > nowMs) {
      open++
      job.open++
      return
    }
    const marginMs = run.dueAtMs - (run.endedAtMs ?? nowMs)
    const isKept = run.endedAtMs !== null && marginMs >= 0
    job.marginSumMs += marginMs
    job.leastMs = Math.min(job.leastMs, marginMs)
    const at = dayAt(days, run.createdAtMs)
    const day = perDay[at]
    if (isKept) {
      kept++
      job.kept++
      if (day) day.kept++
    } else {
      missed++
      job.late++
      if (day) day.late++
      if (late.length <= MOST_LISTED) late.push(run)
    }
    if (run.foreseenAtMs !== null && run.endedAtMs !== null) {
      const distance = Math.abs(run.foreseenAtMs - run.endedAtMs)
      off.add(distance)
      if (distance <= RIGHT_MS) right++
    }
  }
  const finish = (): Section[] => {
    const decided = kept + missed
    const byJob = clipped(
      'By job',
      [
        { title: 'Job', unit: 'text' },
        { title: 'Area', unit: 'text' },
        { title: 'In time', unit: 'count' },
        { title: 'Late', unit: 'count' },
        { title: 'Not yet due', unit: 'count' },
        { title: 'Share in time', unit: 'share' },
        { title: 'Usual margin', unit: 'ms' },
        { title: 'Least margin', unit: 'ms' },
      ],
      [...jobs]
        .sort(([, a], [, b]) => b.late - a.late || a.title.localeCompare(b.title))
        .map(([, job]) => {
          const n = job.kept + job.late
          return {
            cells: [
              job.title,
              job.area,
              job.kept,
              job.late,
              job.open,
              n === 0 ? null : job.kept / n,
              n === 0 ? null : job.marginSumMs / n,
              n === 0 ? null : job.leastMs,
            ],
          }
        }),
    )
    const list = clipped(
      'Late',
      [
        { title: 'Run', unit: 'text' },
        { title: 'Job', unit: 'text' },
        { title: 'Due', unit: 'instant' },
        { title: 'Ended', unit: 'instant' },
        { title: 'Late by', unit: 'ms' },
        { title: 'State', unit: 'text' },
      ],
      late.map((run) => ({
        cells: [
          `#${run.id}`,
          run.title,
          run.dueAtMs,
          run.endedAtMs,
          (run.endedAtMs ?? nowMs) - (run.dueAtMs ?? 0),
          run.state,
        ],
        hrefs: [`/runs/${run.id}`],
      })),
      undefined,
      MOST_LISTED,
    )
    return [
      section('In all', {
        figures: [
          { label: 'In time', unit: 'count', value: kept },
          { label: 'Late', unit: 'count', value: missed },
          { label: 'Not yet due', unit: 'count', value: open },
          {
            label: 'Share in time',
            unit: 'share',
            value: decided === 0 ? null : kept / decided,
            formula:
              'Ended at or before what they were to be finished by, of all that ended or are overdue. What was cancelled or skipped does not count.',
          },
          {
            label: 'The forecast was off by',
            unit: 'ms',
            value: off.meanMs,
            formula: 'The mean distance between when a run was last foreseen to end and when it ended.',
          },
          {
            label: 'The forecast was right',
            unit: 'share',
            value: off.n === 0 ? null : right / off.n,
            formula: 'Off by five minutes at most.',
          },
        ],
        charts: [
          {
            title: 'Deadlines by day',
            kind: 'bars',
            unit: 'count',
            labels: days.map(({ day }) => day),
            series: [
              { title: 'in time', mark: 'good', values: perDay.map((day) => day.kept) },
              { title: 'late', mark: 'bad', values: perDay.map((day) => day.late) },
            ],
          },
        ],
      }),
      section('By job', { notes: byJob.notes, tables: [byJob.table] }),
      section('Late', { notes: list.notes, tables: [list.table] }),
    ]
  }
  return { take, finish }
}
