import { clipped, section, type Section } from './document'

/** A trigger as it stands now. */
export interface ScheduleFact {
  readonly id: number
  readonly title: string
  readonly job: string
  readonly area: string
  readonly enabled: boolean
  readonly says: string
  readonly where: string
  readonly machines: number
  readonly perDay: number
  /** On all machines together. */
  readonly load: number
  readonly isTooOften: boolean
  readonly lastState: string | null
  readonly nextAtMs: number | null
}

/** Schedules reviewed: cadence × machines = runs a day, what starts too often on too many, what never starts. As they stand when the report is made. */
export function schedules(): { take: (schedule: ScheduleFact) => void; finish: () => Section[] } {
  const all: ScheduleFact[] = []
  const finish = (): Section[] => {
    const on = all.filter(({ enabled }) => enabled)
    const tooOften = on.filter(({ isTooOften }) => isTooOften)
    const never = on.filter(({ nextAtMs, perDay }) => nextAtMs === null && perDay === 0)
    const failing = on.filter(({ lastState }) => lastState === 'failed' || lastState === 'lost')
    const table = (title: string, list: readonly ScheduleFact[]) =>
      clipped(
        title,
        [
          { title: 'Trigger', unit: 'text' },
          { title: 'Starts', unit: 'text' },
          { title: 'Area', unit: 'text' },
          { title: 'When', unit: 'text' },
          { title: 'Where', unit: 'text' },
          { title: 'Machines', unit: 'count' },
          { title: 'Starts a day', unit: 'decimal' },
          { title: 'Runs a day', unit: 'decimal' },
          { title: 'Last', unit: 'text' },
          { title: 'Next start', unit: 'instant' },
        ],
        [...list]
          .sort((a, b) => b.load - a.load || a.title.localeCompare(b.title))
          .map((one) => ({
            cells: [
              one.title,
              one.job,
              one.area,
              one.says,
              one.where,
              one.machines,
              one.perDay,
              one.load,
              one.lastState ?? (one.enabled ? '' : 'off'),
              one.nextAtMs,
            ],
            hrefs: [`/timing/triggers/${one.id}`],
          })),
      )
    const whole = table('All schedules', all)
    const often = table('Too often on too many', tooOften)
    return [
      section('In all', {
        figures: [
          { label: 'Triggers', unit: 'count', value: all.length, href: '/timing' },
          { label: 'Switched on', unit: 'count', value: on.length, href: '/timing?state=on' },
          {
            label: 'Runs a day',
            unit: 'decimal',
            value: on.reduce((sum, { load }) => sum + load, 0),
            formula: 'Starts a day × machines, of all that are switched on.',
          },
          { label: 'Too often on too many', unit: 'count', value: tooOften.length, href: '/timing?flag=too-often' },
          { label: 'Without a next start', unit: 'count', value: never.length },
          { label: 'Failed the last time', unit: 'count', value: failing.length },
        ],
      }),
      ...(tooOften.length > 0 ? [section('Too often on too many', { notes: often.notes, tables: [often.table] })] : []),
      section('All schedules', { notes: whole.notes, tables: [whole.table] }),
    ]
  }
  return { take: (schedule) => void all.push(schedule), finish }
}
