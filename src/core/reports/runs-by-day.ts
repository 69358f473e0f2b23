import { getOr } from '../group'
import { clipped, section, type Section, type TableColumn, type TableRow } from './document'
import {
  Lengths,
  OUTCOMES,
  outcomeOf,
  outcomesHref,
  runsHref,
  type Frame,
  type Outcome,
  type RunFact,
  type RunTaker,
} from './facts'
import { dayAt, daysOf } from './period'

/** With details every run is listed, so many at most. */
const MOST_DETAILS = 20_000

const HEADS: Record<Outcome, string> = {
  succeeded: 'Succeeded',
  failed: 'Failed',
  lost: 'Lost',
  cancelled: 'Cancelled',
  skipped: 'Skipped',
  open: 'Open',
}

class Tally {
  readonly of: Record<Outcome, number> = { succeeded: 0, failed: 0, lost: 0, cancelled: 0, skipped: 0, open: 0 }
  readonly lengths = new Lengths()

  add({ state, durationMs }: RunFact): void {
    this.of[outcomeOf(state)]++
    if (durationMs !== null) this.lengths.add(durationMs)
  }

  get all(): number {
    return OUTCOMES.reduce((sum, outcome) => sum + this.of[outcome], 0)
  }

  /** Of those that came to an end of their own: what was cancelled, skipped or goes on says nothing. */
  get share(): number | null {
    const { succeeded, failed, lost } = this.of
    const decided = succeeded + failed + lost
    return decided === 0 ? null : succeeded / decided
  }
}

const COUNTS: readonly TableColumn[] = [
  { title: 'Runs', unit: 'count' },
  ...OUTCOMES.map((outcome): TableColumn => ({ title: HEADS[outcome], unit: 'count' })),
  { title: 'Share succeeded', unit: 'share' },
  { title: 'Usual length', unit: 'ms' },
  { title: 'Longest', unit: 'ms' },
]
const cellsOf = (tally: Tally): (number | null)[] => [
  tally.all,
  ...OUTCOMES.map((outcome) => tally.of[outcome]),
  tally.share,
  tally.lengths.meanMs,
  tally.lengths.n === 0 ? null : tally.lengths.mostMs,
]

/** Runs by day: outcomes and lengths, by job, area and machine; with details every run. Steps stand in their flow; on machines they count, as it is there that they were carried out. */
export function runsByDay(frame: Frame, { details }: { readonly details: boolean }): RunTaker<Section[]> {
  const { period, zone } = frame
  const days = daysOf(period, zone).map((day) => ({ ...day, tally: new Tally() }))
  const all = new Tally()
  const jobs = new Map<number, { readonly title: string; readonly area: string; readonly tally: Tally }>()
  const areas = new Map<number, { readonly area: string; readonly tally: Tally }>()
  const machines = new Map<string, Tally>()
  const listed: RunFact[] = []
  const take = (run: RunFact): void => {
    if (!run.isFlow && run.agent !== null) getOr(machines, run.agent, () => new Tally()).add(run)
    if (run.flowRunId !== null) return
    all.add(run)
    days[dayAt(days, run.createdAtMs)]?.tally.add(run)
    getOr(jobs, run.jobId, () => ({ title: run.title, area: run.area, tally: new Tally() })).tally.add(run)
    getOr(areas, run.areaId, () => ({ area: run.area, tally: new Tally() })).tally.add(run)
    if (details && listed.length <= MOST_DETAILS) listed.push(run)
  }
  const row = (
    names: readonly string[],
    tally: Tally,
    more: Readonly<Record<string, number>>,
    stretch?: { fromMs: number; toMs: number },
  ): TableRow => ({
    cells: [...names, ...cellsOf(tally)],
    hrefs: [
      ...names.map(() => null),
      runsHref(frame, more, stretch),
      ...OUTCOMES.map((outcome) => (tally.of[outcome] > 0 ? outcomesHref(frame, [outcome], more, stretch) : null)),
    ],
  })
  const finish = (): Section[] => {
    const byJob = clipped(
      'By job',
      [{ title: 'Job', unit: 'text' }, { title: 'Area', unit: 'text' }, ...COUNTS],
      [...jobs]
        .sort(([, a], [, b]) => b.tally.all - a.tally.all || a.title.localeCompare(b.title))
        .map(([job, { title, area, tally }]) => row([title, area], tally, { job })),
    )
    const byMachine = clipped(
      'By machine',
      [{ title: 'Machine', unit: 'text' }, ...COUNTS, { title: 'Busy', unit: 'ms' }],
      [...machines]
        .sort(([a], [b]) => a.localeCompare(b))
        .map(([name, tally]) => ({ cells: [name, ...cellsOf(tally), tally.lengths.sumMs] })),
    )
    const list = details
      ? clipped(
          'Runs',
          [
            { title: 'Run', unit: 'text' },
            { title: 'Job', unit: 'text' },
            { title: 'State', unit: 'text' },
            { title: 'Machine', unit: 'text' },
            { title: 'Started', unit: 'instant' },
            { title: 'Length', unit: 'ms' },
            { title: 'Why', unit: 'text' },
          ],
          listed.map((run) => ({
            cells: [`#${run.id}`, run.title, run.state, run.agent, run.startedAtMs, run.durationMs, run.reason],
            hrefs: [`/runs/${run.id}`],
          })),
          undefined,
          MOST_DETAILS,
        )
      : null
    return [
      section('In all', {
        figures: [
          { label: 'Runs', unit: 'count', value: all.all, href: runsHref(frame) },
          ...OUTCOMES.map((outcome) => ({
            label: HEADS[outcome],
            unit: 'count' as const,
            value: all.of[outcome],
            href: outcomesHref(frame, [outcome]),
          })),
          {
            label: 'Share succeeded',
            unit: 'share',
            value: all.share,
            formula: 'Succeeded, of those that succeeded, failed or were lost.',
          },
          { label: 'Length together', unit: 'ms', value: all.lengths.sumMs },
        ],
      }),
      section('By day', {
        charts: [
          {
            title: 'Runs by day',
            kind: 'bars',
            unit: 'count',
            labels: days.map(({ day }) => day),
            series: [
              { title: 'succeeded', mark: 'good', values: days.map(({ tally }) => tally.of.succeeded) },
              {
                title: 'failed or lost',
                mark: 'bad',
                values: days.map(({ tally }) => tally.of.failed + tally.of.lost),
              },
              {
                title: 'others',
                mark: 'plain',
                values: days.map(({ tally: { of } }) => of.cancelled + of.skipped + of.open),
              },
            ],
            hrefs: days.map((day) => runsHref(frame, {}, day)),
          },
        ],
        tables: [
          {
            title: 'By day',
            columns: [{ title: 'Day', unit: 'day' }, ...COUNTS],
            rows: days.map(({ day, tally, ...stretch }) => row([day], tally, {}, stretch)),
            foot: ['All', ...cellsOf(all)],
          },
        ],
      }),
      section('By job', { notes: byJob.notes, tables: [byJob.table] }),
      section('By area', {
        tables: [
          {
            title: 'By area',
            columns: [{ title: 'Area', unit: 'text' }, ...COUNTS],
            rows: [...areas]
              .sort(([, a], [, b]) => a.area.localeCompare(b.area))
              .map(([, { area, tally }]) => ({ cells: [area, ...cellsOf(tally)] })),
          },
        ],
      }),
      section('By machine', {
        notes: ['What was carried out on each machine, steps of flows too.', ...byMachine.notes],
        tables: [byMachine.table],
      }),
      ...(list ? [section('Runs', { notes: list.notes, tables: [list.table] })] : []),
    ]
  }
  return { take, finish }
}
