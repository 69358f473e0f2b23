import { getOr } from '../group'
import { clipped, section, type Section } from './document'
import { Lengths, outcomesHref, runsHref, type Frame, type RunFact, type RunTaker } from './facts'
import { dayAt, daysOf } from './period'

const MOST_LISTED = 2000
/** Reasons that differ in nothing but numbers are one cause. */
const causeOf = (reason: string): string => reason.replace(/\d+/g, '…').slice(0, 200)

interface OfJob {
  readonly title: string
  readonly area: string
  runs: number
  failed: number
  lost: number
  firstMs: number
  lastMs: number
  /** Since when it has not succeeded; null: it has. */
  brokenSinceMs: number | null
  readonly repairs: Lengths
}

/**
 * Failures: by job, cause and machine, and how long it took to put them right: from the end of the first failure to the end of the next success of the same job.
 * What was lost with its machine counts as a failure.
 */
export function failures(frame: Frame): RunTaker<Section[]> {
  const { period, zone } = frame
  const days = daysOf(period, zone)
  const perDay = days.map(() => 0)
  const jobs = new Map<number, OfJob>()
  const causes = new Map<string, { n: number; readonly example: number }>()
  const machines = new Map<string, { n: number; of: number }>()
  const listed: RunFact[] = []
  let all = 0
  let failed = 0
  const take = (run: RunFact): void => {
    const isBad = run.state === 'failed' || run.state === 'lost'
    if (!run.isFlow && run.agent !== null) {
      const machine = getOr(machines, run.agent, () => ({ n: 0, of: 0 }))
      machine.of++
      if (isBad) machine.n++
    }
    if (run.flowRunId !== null) return
    all++
    const job = getOr(jobs, run.jobId, () => ({
      title: run.title,
      area: run.area,
      runs: 0,
      failed: 0,
      lost: 0,
      firstMs: Infinity,
      lastMs: -Infinity,
      brokenSinceMs: null,
      repairs: new Lengths(),
    }))
    job.runs++
    const endedMs = run.endedAtMs ?? run.createdAtMs
    if (run.state === 'succeeded' && job.brokenSinceMs !== null && endedMs >= job.brokenSinceMs) {
      job.repairs.add(endedMs - job.brokenSinceMs)
      job.brokenSinceMs = null
    }
    if (!isBad) return
    failed++
    if (run.state === 'failed') job.failed++
    else job.lost++
    job.firstMs = Math.min(job.firstMs, endedMs)
    job.lastMs = Math.max(job.lastMs, endedMs)
    job.brokenSinceMs ??= endedMs
    const at = dayAt(days, run.createdAtMs)
    if (at >= 0) perDay[at] = (perDay[at] ?? 0) + 1
    getOr(causes, causeOf(run.reason), () => ({ n: 0, example: run.id })).n++
    if (listed.length <= MOST_LISTED) listed.push(run)
  }
  const finish = (): Section[] => {
    const broken = [...jobs].filter(([, job]) => job.failed + job.lost > 0)
    const repairs = new Lengths()
    for (const [, job] of broken) {
      repairs.n += job.repairs.n
      repairs.sumMs += job.repairs.sumMs
      repairs.mostMs = Math.max(repairs.mostMs, job.repairs.mostMs)
    }
    const byJob = clipped(
      'By job',
      [
        { title: 'Job', unit: 'text' },
        { title: 'Area', unit: 'text' },
        { title: 'Runs', unit: 'count' },
        { title: 'Failed', unit: 'count' },
        { title: 'Lost', unit: 'count' },
        { title: 'Share failed', unit: 'share' },
        { title: 'First', unit: 'instant' },
        { title: 'Last', unit: 'instant' },
        { title: 'To repair', unit: 'ms' },
        { title: 'Since then', unit: 'text' },
      ],
      broken
        .sort(([, a], [, b]) => b.failed + b.lost - a.failed - a.lost || a.title.localeCompare(b.title))
        .map(([id, job]) => ({
          cells: [
            job.title,
            job.area,
            job.runs,
            job.failed,
            job.lost,
            (job.failed + job.lost) / job.runs,
            job.firstMs,
            job.lastMs,
            job.repairs.meanMs,
            job.brokenSinceMs === null ? 'went well again' : 'not yet well again',
          ],
          hrefs: [
            null,
            null,
            runsHref(frame, { job: id }),
            job.failed > 0 ? outcomesHref(frame, ['failed'], { job: id }) : null,
            job.lost > 0 ? outcomesHref(frame, ['lost'], { job: id }) : null,
          ],
        })),
    )
    const byCause = clipped(
      'By cause',
      [
        { title: 'Why', unit: 'text' },
        { title: 'Failures', unit: 'count' },
        { title: 'For example', unit: 'text' },
      ],
      [...causes]
        .sort(([a, { n }], [b, { n: m }]) => m - n || a.localeCompare(b))
        .map(([why, { n, example }]) => ({
          cells: [why, n, `#${example}`],
          hrefs: [null, null, `/runs/${example}`],
        })),
    )
    const list = clipped(
      'Failures',
      [
        { title: 'Run', unit: 'text' },
        { title: 'Job', unit: 'text' },
        { title: 'State', unit: 'text' },
        { title: 'Machine', unit: 'text' },
        { title: 'Ended', unit: 'instant' },
        { title: 'Why', unit: 'text' },
      ],
      listed.map((run) => ({
        cells: [`#${run.id}`, run.title, run.state, run.agent, run.endedAtMs, run.reason],
        hrefs: [`/runs/${run.id}`],
      })),
      undefined,
      MOST_LISTED,
    )
    return [
      section('In all', {
        figures: [
          { label: 'Failures', unit: 'count', value: failed, href: outcomesHref(frame, ['failed', 'lost']) },
          { label: 'Runs', unit: 'count', value: all, href: runsHref(frame) },
          { label: 'Share failed', unit: 'share', value: all === 0 ? null : failed / all },
          {
            label: 'To repair',
            unit: 'ms',
            value: repairs.meanMs,
            formula:
              'From the end of a job’s first failure to the end of its next success, the mean of all that were put right within the period.',
          },
          {
            label: 'Longest to repair',
            unit: 'ms',
            value: repairs.n === 0 ? null : repairs.mostMs,
          },
          {
            label: 'Jobs not yet well again',
            unit: 'count',
            value: broken.filter(([, job]) => job.brokenSinceMs !== null).length,
          },
        ],
        charts: [
          {
            title: 'Failures by day',
            kind: 'bars',
            unit: 'count',
            labels: days.map(({ day }) => day),
            series: [{ title: 'failed or lost', mark: 'bad', values: perDay }],
            hrefs: days.map((day) => outcomesHref(frame, ['failed', 'lost'], {}, day)),
          },
        ],
      }),
      section('By job', { notes: byJob.notes, tables: [byJob.table] }),
      section('By cause', {
        notes: ['Reasons that differ in nothing but numbers are one cause.', ...byCause.notes],
        tables: [byCause.table],
      }),
      section('By machine', {
        notes: ['What was carried out on each machine, steps of flows too.'],
        tables: [
          {
            title: 'By machine',
            columns: [
              { title: 'Machine', unit: 'text' },
              { title: 'Failures', unit: 'count' },
              { title: 'Runs', unit: 'count' },
              { title: 'Share failed', unit: 'share' },
            ],
            rows: [...machines]
              .filter(([, { n }]) => n > 0)
              .sort(([a, { n }], [b, { n: m }]) => m - n || a.localeCompare(b))
              .map(([name, { n, of }]) => ({ cells: [name, n, of, n / of] })),
          },
        ],
      }),
      section('Failures', { notes: list.notes, tables: [list.table] }),
    ]
  }
  return { take, finish }
}
