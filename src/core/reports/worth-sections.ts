import { isoDay, parseIsoDay, weekdayIndex } from '../calendar/days'
import { getOr } from '../group'
import { clipped, section, type Figure, type Section } from './document'
import { outcomesHref, runsHref, type Frame } from './facts'
import { dayIn, type Period } from './period'
import type { Terms, WorthBook } from './worth-terms'

const DAY_MS = 86_400_000
/** Over more days than this a bar is a week. */
const DAYS_AS_BARS = 45

export interface Sum {
  runs: number
  succeeded: number
  hours: number
  money: number
  cost: number
}
export const nothing = (): Sum => ({ runs: 0, succeeded: 0, hours: 0, money: 0, cost: 0 })

export interface OfJob {
  readonly title: string
  readonly area: string
  readonly sum: Sum
  readonly areaId: number
  last: Terms
}

/** What was found of all runs that were taken. */
export interface WorthTold {
  readonly now: Sum
  readonly then: Sum
  readonly jobs: ReadonlyMap<number, OfJob>
  /** Jobs and flows of which nobody said how many minutes a run spares. */
  readonly silent: ReadonlyMap<number, { readonly title: string; readonly n: number }>
  readonly machines: ReadonlySet<string>
  /** Jobs of which some runs are told by a flow: no list shows just the others. */
  readonly toldByFlow: ReadonlySet<number>
  readonly days: readonly { readonly day: string }[]
  readonly perDay: readonly number[]
}

/** The sum, by job, by area, who drives it, and how it is worked out. */
export function worthSections(frame: Frame, before: Period, book: WorthBook, told: WorthTold): Section[] {
  const { period, zone } = frame
  const { now, then, jobs, silent, machines, toldByFlow, days, perDay } = told
  const madeWithin = ({ fromMs, toMs }: Period): { hours: number; money: number } => {
    let hours = 0
    let money = 0
    for (const id of jobs.keys()) {
      const made = book.madeOf(id)
      const day = made && parseIsoDay(made.on)
      if (!made || day === undefined || day === null) continue
      if (day < dayIn(zone, fromMs) || day > dayIn(zone, toMs - 1)) continue
      hours += made.hours
      money += made.hours * made.rate
    }
    return { hours, money }
  }
  const lengthDays = Math.max(1, (period.toMs - period.fromMs) / DAY_MS)
  const made = madeWithin(period)
  const madeThen = madeWithin(before)
  const rows = [...jobs]
    .map(([id, job]) => ({ id, ...job, worth: job.sum.money - job.sum.cost }))
    .sort((a, b) => b.worth - a.worth || a.title.localeCompare(b.title))
  const earnedOn = (id: number, saved: number): string => {
    const cost = book.madeOf(id)
    if (!cost) return ''
    const making = cost.hours * cost.rate
    const perDayMoney = saved / lengthDays
    if (making === 0) return 'cost nothing to make'
    if (perDayMoney <= 0) return 'not at this pace'
    const day = (parseIsoDay(cost.on) ?? 0) + Math.ceil(making / perDayMoney)
    return day <= dayIn(zone, frame.nowMs) ? `since ${isoDay(day)}` : `about ${isoDay(day)}`
  }
  const byJob = clipped(
    'By job',
    [
      { title: 'Job', unit: 'text' },
      { title: 'Area', unit: 'text' },
      { title: 'Runs', unit: 'count' },
      { title: 'Succeeded', unit: 'count' },
      { title: 'By hand', unit: 'ms' },
      { title: 'Saved', unit: 'hours' },
      { title: 'Rate', unit: 'money' },
      { title: 'Saved', unit: 'money' },
      { title: 'Cost', unit: 'money' },
      { title: 'Worth', unit: 'money' },
      { title: 'Cost to make', unit: 'money' },
      { title: 'Made back', unit: 'text' },
    ],
    rows.map(({ id, title, area, sum, last, worth: saved }) => {
      const cost = book.madeOf(id)
      return {
        cells: [
          title,
          area,
          sum.runs,
          sum.succeeded,
          last.minutes * 60_000,
          sum.hours,
          last.rate,
          sum.money,
          sum.cost,
          saved,
          cost ? cost.hours * cost.rate : null,
          earnedOn(id, saved),
        ],
        hrefs: [
          `/reports/worth?job=${id}`,
          null,
          ...(toldByFlow.has(id)
            ? []
            : [
                outcomesHref(frame, ['succeeded', 'failed', 'lost'], { job: id, steps: 'yes' }),
                outcomesHref(frame, ['succeeded'], { job: id, steps: 'yes' }),
              ]),
        ],
      }
    }),
    ['All', '', now.runs, now.succeeded, null, now.hours, null, now.money, now.cost, now.money - now.cost, null, ''],
  )
  const grouped = (keyOf: (row: (typeof rows)[number]) => string): [string, Sum][] => {
    const sums = new Map<string, Sum>()
    for (const row of rows) {
      const sum = getOr(sums, keyOf(row), nothing)
      for (const key of Object.keys(sum) as (keyof Sum)[]) sum[key] += row.sum[key]
    }
    return [...sums].sort(([, a], [, b]) => b.money - b.cost - (a.money - a.cost))
  }
  const groupTable = (title: string, head: string, groups: [string, Sum][]) => ({
    title,
    columns: [
      { title: head, unit: 'text' as const },
      { title: 'Succeeded', unit: 'count' as const },
      { title: 'Saved', unit: 'hours' as const },
      { title: 'Worth', unit: 'money' as const },
    ],
    rows: groups.map(([name, sum]) => ({ cells: [name, sum.succeeded, sum.hours, sum.money - sum.cost] })),
  })
  const sumFigures: Figure[] = [
    {
      label: 'Hours saved',
      unit: 'hours',
      value: now.hours,
      before: then.hours,
      formula: 'For each run that succeeded, its minutes by hand, ÷ 60.',
    },
    {
      label: 'at the rate of who did it before',
      unit: 'money',
      value: now.money,
      before: then.money,
      formula: 'Hours saved × the rate of each run’s day.',
    },
    {
      label: 'less what these runs cost',
      unit: 'money',
      value: -now.cost,
      before: -then.cost,
      formula: 'Runs that succeeded × the cost of a run.',
    },
    {
      label: 'less what was made',
      unit: 'money',
      value: -made.money,
      before: -madeThen.money,
      formula: `Hours that it took to make what ran and was made in the period × their rate: ${made.hours} hours.`,
    },
    {
      label: 'Worth',
      unit: 'money',
      isSum: true,
      value: now.money - now.cost - made.money,
      before: then.money - then.cost - madeThen.money,
      formula: 'The sum of the three above.',
    },
  ]
  const silentRows = [...silent].sort(([, a], [, b]) => b.n - a.n || a.title.localeCompare(b.title))
  return [
    section('The sum', {
      figures: [
        ...sumFigures,
        { label: 'Runs that succeeded', unit: 'count', value: now.succeeded, before: then.succeeded },
        {
          label: 'Share succeeded',
          unit: 'share',
          value: now.runs === 0 ? null : now.succeeded / now.runs,
          before: then.runs === 0 ? null : then.succeeded / then.runs,
        },
        { label: 'Machines reached', unit: 'count', value: machines.size },
      ],
      charts: [chartOf(days, perDay)],
    }),
    section('By job', { notes: byJob.notes, tables: [byJob.table] }),
    section('By area', {
      tables: [
        groupTable(
          'By area',
          'Area',
          grouped(({ area }) => area),
        ),
      ],
    }),
    section('Who drives it', {
      notes: ['By who saved the work last.'],
      tables: [
        groupTable(
          'Who drives it',
          'Person',
          grouped(({ id }) => book.byOf(id)),
        ),
      ],
    }),
    section('How it is worked out', {
      notes: [
        ...rows.slice(0, 3).map(({ title, sum, last }) => formulaOf(title, sum, last)),
        'Minutes, rate and cost are those of each run’s day. A flow with minutes of its own counts instead of its steps; a flow without counts as its steps.',
        'Made back: what it cost to make, by what it saves a day in this period, counted from the day on which it was made.',
        ...(silentRows.length > 0
          ? [
              `${silentRows.length === 1 ? 'One job or flow has' : `${silentRows.length} jobs and flows have`} no minutes by hand and count as nothing.`,
            ]
          : []),
      ],
      tables:
        silentRows.length > 0
          ? [
              {
                title: 'Without minutes by hand',
                columns: [
                  { title: 'Job', unit: 'text' },
                  { title: 'Succeeded', unit: 'count' },
                ],
                rows: silentRows.slice(0, 200).map(([id, { title, n }]) => ({
                  cells: [title, n],
                  hrefs: [`/reports/worth?job=${id}`, runsHref(frame, { job: id, state: 'succeeded', steps: 'yes' })],
                })),
              },
            ]
          : [],
    }),
  ]
}

const round = (value: number, digits = 2): string =>
  value.toLocaleString('en', { maximumFractionDigits: digits, useGrouping: true })

const formulaOf = (title: string, { succeeded, hours, money, cost }: Sum, { minutes, rate, runCost }: Terms): string =>
  `${title}: ${succeeded.toLocaleString('en')} runs succeeded; by hand one takes ${round(minutes)} minutes, so ${round(hours)} hours were saved; at ${round(rate)} an hour that is ${round(money)}. A run costs ${round(runCost)}: ${round(cost)}. Worth ${round(money - cost)}.`

function chartOf(days: readonly { readonly day: string }[], perDay: readonly number[]): Section['charts'][number] {
  if (days.length <= DAYS_AS_BARS)
    return {
      title: 'Worth by day',
      kind: 'bars',
      unit: 'money',
      labels: days.map(({ day }) => day),
      series: [{ title: 'worth', mark: 'good', values: perDay }],
    }
  const weeks = new Map<string, number>()
  days.forEach(({ day }, i) => {
    const number = parseIsoDay(day) as number
    const monday = isoDay(number - weekdayIndex(number))
    weeks.set(monday, (weeks.get(monday) ?? 0) + (perDay[i] ?? 0))
  })
  return {
    title: 'Worth by week',
    kind: 'bars',
    unit: 'money',
    labels: [...weeks.keys()],
    series: [{ title: 'worth', mark: 'good', values: [...weeks.values()] }],
  }
}
