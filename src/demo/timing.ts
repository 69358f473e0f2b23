import type { DayRule } from '@/core/calendar/rule'
import { isoDay } from '@/core/calendar/days'
import type { bundleSchema } from '@/core/bundle/schema'
import type { FromCall } from '@/core/events/kinds'
import type { TimeRule } from '@/core/timing/rule'
import type { z } from 'zod'
import { exchangeFolders } from './exchange'
import { REFUNDS } from './refunds'
import { VESSELS } from './scenario'

/** The calendars and triggers of Marram Sound Ferries. */
export interface DemoCalendar {
  readonly slug: string
  readonly title: string
  readonly notes: string
  readonly rule: DayRule
}

type Definition = Omit<
  NonNullable<z.input<typeof bundleSchema>['triggers']>[number],
  'id' | 'title' | 'start' | 'with' | 'enabled' | 'notes'
>

export interface DemoTrigger {
  readonly title: string
  /** Title of the job or flow it starts. */
  readonly job: string
  readonly isFlow?: true
  readonly definition: Definition
  readonly with?: Readonly<Record<string, string | FromCall>>
  readonly enabled?: boolean
  readonly notes?: string
  /** What started it in the made-up past, in which nothing really happened. */
  readonly past?: TimeRule
  /** The made-up past has it from so many days ago. */
  readonly sinceDays?: number
}

const LONDON = 'Europe/London'
const OSLO = 'Europe/Oslo'
const work: DayRule = { calendar: 'working-days' }
const day = (text: string): number => Date.parse(text) / 86_400_000

/** A new moon, and the mean time from one to the next (J. Meeus, Astronomical Algorithms, ch. 49), days. */
const NEW_MOON = day('2000-01-06') + 18.23 / 24
const SYNODIC_MONTH = 29.530588861

/** Springs come a day or two after new and full moon, and last about three days. */
function springTides(year: number): string[] {
  const out: string[] = []
  const half = SYNODIC_MONTH / 2
  const last = day(`${year}-12-31`)
  for (let k = Math.floor((day(`${year}-01-01`) - NEW_MOON) / half) - 1; ; k++) {
    const moon = NEW_MOON + k * half
    if (moon > last) return out
    for (let after = 1; after <= 3; after++) {
      const each = Math.floor(moon + after)
      if (each >= day(`${year}-01-01`) && each <= last) out.push(isoDay(each))
    }
  }
}

/** Some calendars list days of the years around `now`. */
export function demoCalendars(now: Date): DemoCalendar[] {
  const year = now.getUTCFullYear()
  const years = [year - 1, year, year + 1, year + 2]
  const calendar = (slug: string, title: string, rule: DayRule, notes = ''): DemoCalendar => ({
    slug,
    title,
    notes,
    rule,
  })
  return [
    calendar(
      'office-holidays',
      'Office holidays',
      {
        any: [
          { holidays: { country: 'GB', region: 'SCT' } },
          { dates: years.map((y) => ({ date: `${y}-06-24`, title: 'Regatta of the Sound' })) },
        ],
      },
      'Kelda office is closed. Ships sail all the same.',
    ),
    calendar('working-days', 'Working days', {
      all: [{ weekdays: ['MO', 'TU', 'WE', 'TH', 'FR'] }, { not: { calendar: 'office-holidays' } }],
    }),
    calendar(
      'dry-dock-weeks',
      'Dry-dock weeks',
      { any: [{ between: ['04-19', '04-30'] }, { between: ['10-25', '11-09'] }] },
      'One vessel after the other is in dock at Stavin; accounts of the yard are open.',
    ),
    calendar('month-end', 'Month-end close', {
      roll: {
        of: { nth: { n: -1, of: work, in: 'month' } },
        onto: { all: [work, { not: { calendar: 'dry-dock-weeks' } }] },
        to: 'next-in-month',
      },
    }),
    calendar(
      'quarter-end',
      'Quarter end',
      { nth: { n: -1, of: work, in: 'quarter', yearStart: 4 } },
      'Quarters of the financial year, which begins in April.',
    ),
    calendar('year-end', 'Year end', { nth: { n: -1, of: work, in: 'year', yearStart: 4 } }),
    calendar('summer-timetable', 'Summer timetable', { between: ['04-01', '09-30'] }),
    calendar('winter-timetable', 'Winter timetable', { not: { calendar: 'summer-timetable' } }),
    calendar(
      'spring-tide-days',
      'Spring-tide days',
      { dates: years.flatMap(springTides) },
      'The ramps at Little Brack cannot be used at low water.',
    ),
    calendar('livestock-market-days', 'Livestock market days', {
      roll: {
        of: {
          any: [
            { nth: { n: 1, of: { weekdays: ['TU'] }, in: 'month' } },
            { nth: { n: 3, of: { weekdays: ['TU'] }, in: 'month' } },
          ],
        },
        onto: work,
        to: 'next',
      },
    }),
    calendar(
      'dark-days',
      'Dark days',
      { any: [{ between: ['12-25', '12-26'] }, { between: ['01-01', '01-01'] }] },
      'No sailings.',
    ),
  ]
}

const notDark: DayRule = { calendar: 'dark-days' }
const at = (...times: string[]): Definition['time'] => ({ at: times })
const every = (step: string, from?: string, until?: string): Definition['time'] => ({
  every: { step, ...(from ? { from } : {}), ...(until ? { until } : {}) },
})
const trigger = (title: string, job: string, definition: Definition, more: Partial<DemoTrigger> = {}): DemoTrigger => ({
  title,
  job,
  definition: { zone: LONDON, ...definition },
  ...more,
})

const flow = (title: string, name: string, definition: Definition): DemoTrigger => ({
  ...trigger(title, name, definition),
  isFlow: true,
})

const HARBOUR_NAMES: Record<string, string> = {
  orrin: 'Orrin Quay',
  stavin: 'Stavin',
  brack: 'Little Brack',
  tarn: 'Tarn Head',
  kelda: 'Kelda',
}
const named = (harbour: string): string => HARBOUR_NAMES[harbour] ?? harbour
const twoDigits = (n: number): string => String(n).padStart(2, '0')

export const TRIGGERS: readonly DemoTrigger[] = [
  trigger('Fare cache', 'Fare cache', { time: every('PT30M', '05:30', '23:00'), overlap: 'skip' }),
  flow('Close of day', 'Close of day', {
    time: at('00:45'),
    notOn: notDark,
    finishBy: '04:30',
    window: { earliest: '00:30', latest: '01:30' },
    lateStart: 'PT3H',
  }),
  flow('Sailing manifests', 'Sailing manifests', {
    time: at('02:00'),
    notOn: notDark,
    finishBy: '04:45',
    priority: 'high',
    lateStart: 'PT1H',
  }),
  flow('Publish timetable', 'Publish timetable', { time: at('02:00'), notOn: notDark, finishBy: '05:15' }),
  flow('Overnight housekeeping', 'Overnight housekeeping', {
    time: at('02:00'),
    window: { earliest: '22:00', latest: '03:30' },
    lateStart: 'PT4H',
  }),
  flow('Harbour exchange', 'Harbour exchange', {
    time: every('PT20M', '00:10', '23:50'),
    overlap: 'skip',
    lateStart: 'PT5M',
  }),
  flow('Sound watch', 'Sound watch', { time: every('PT30M', '05:05', '23:35'), overlap: 'skip', lateStart: 'PT10M' }),
  trigger('Winter timetable to the signs', 'Publish timetable', {
    time: at('13:50'),
    on: { calendar: 'winter-timetable' },
    notOn: notDark,
    finishBy: '14:15',
  }),
  trigger('Summer timetable to the signs', 'Publish timetable', {
    time: at('13:40'),
    on: { calendar: 'summer-timetable' },
    finishBy: '14:15',
  }),
  trigger('Booking mirror', 'Booking mirror', { time: { cron: '10 * * * *' }, overlap: 'skip' }),
  trigger('Weather grids', 'Weather grids', { time: every('PT2H', '00:20', '22:20') }),
  ...VESSELS.map((vessel, i) =>
    trigger(
      `Vessel log ${vessel}`,
      'Vessel log',
      { time: every('PT15M', `05:${twoDigits(15 + i)}`, '23:30'), overlap: 'skip', lateStart: 'PT5M' },
      { with: { vessel } },
    ),
  ),
  trigger('Fuel report', 'Fuel report', { time: every('PT4H') }),
  ...['orrin', 'stavin', 'brack'].map((harbour, i) =>
    trigger(
      `Gate counts ${named(harbour)}`,
      'Gate counts',
      { time: every('PT40M', `05:0${i * 3}`, '23:40'), overlap: 'skip' },
      { with: { harbour } },
    ),
  ),
  ...['orrin', 'stavin', 'kelda'].map((harbour, i) =>
    trigger(
      `Camera archive ${named(harbour)}`,
      'Camera archive',
      { time: { cron: `${5 + i * 18} * * * *` }, overlap: 'skip', priority: 'low' },
      { with: { harbour } },
    ),
  ),
  trigger('Freight rates refresh', 'Freight rates refresh', { time: every('PT2H', '06:20', '20:20'), on: work }),
  trigger('Market day freight rates', 'Freight rates refresh', {
    time: at('04:30'),
    on: { calendar: 'livestock-market-days' },
    finishBy: '05:30',
  }),
  trigger('Freight invoicing', 'Freight invoicing', {
    time: at('17:00'),
    on: work,
    finishBy: '18:30',
    window: { earliest: '16:30', latest: '17:45' },
  }),
  trigger(
    'Refunds, as they wait',
    'Refund',
    {
      backlog: { queue: REFUNDS.slug, atLeast: 5, orOldest: 'PT30M', perRun: REFUNDS.perRun, most: 2 },
      between: { earliest: '08:00', latest: '22:00' },
      overlap: 'start',
    },
    { past: every('PT45M', '08:00', '21:30') as TimeRule },
  ),
  trigger('New refunds', 'New refunds', { time: every('PT30M', '06:10', '22:40') }),
  trigger(
    'Tarn Head till at midday',
    'Till file',
    { zone: OSLO, time: at('12:05'), notOn: notDark, finishBy: '13:30' },
    { with: { harbour: 'tarn' } },
  ),
  trigger('Backup of the bookings', 'Nightly backup', {
    time: at('02:00'),
    window: { earliest: '22:00', latest: '03:30' },
    lateStart: 'PT4H',
  }),
  trigger(
    'Memory runs short',
    'Open a ticket',
    { measure: { of: { pool: 'data' }, name: 'memory', above: 66, times: 5, clear: 55 }, overlap: 'start' },
    { with: { about: '${measure} of ${of} is ${value} %' } },
  ),
  trigger('A list has come', 'Count the list', {
    file: { on: { agent: 'kelda-lab' }, path: `${exchangeFolders().inbox}/passengers-*.csv`, settled: 'PT5S' },
    overlap: 'start',
  }),
  trigger(
    'A backup that failed',
    'Open a ticket',
    { after: { work: 'nightly-backup', when: 'failed' } },
    { with: { about: 'Nightly backup #${run} ${state}' } },
  ),
  trigger(
    'A vessel in reach',
    'Vessel log',
    { call: { only: { '/type': 'in-reach' } }, atMost: { starts: 60, in: 'PT1H' } },
    { with: { vessel: { from: '/data/vessel' } }, notes: 'The radio masts call when a vessel comes into reach.' },
  ),
  trigger('Index care', 'Index care', { time: at('02:15'), on: { weekdays: ['MO', 'WE', 'FR'] }, priority: 'low' }),
  trigger('Booking application in reach', 'Booking application in reach', {
    time: every('PT20M'),
    overlap: 'skip',
    priority: 'low',
  }),
  trigger('Largest tables', 'Largest tables', { time: at('04:20'), priority: 'low' }),
  trigger('Bookings without a fare', 'Bookings without a fare', { time: at('01:10', '13:10') }),
  trigger('Ledger in balance', 'Ledger in balance', { time: at('05:20') }),
  trigger('Old logs of the databases', 'Old logs of the databases', {
    time: at('04:50'),
    on: { weekdays: ['SU'] },
    priority: 'low',
  }),
  trigger('Log clean-up', 'Log clean-up', { time: at('04:40', '12:40'), spread: 'each', priority: 'low' }),
  trigger('Configuration check', 'Configuration check', {
    time: at('03:00'),
    spread: 'each',
    priority: 'low',
    overlap: 'skip',
  }),
  trigger(
    'Pulse of every machine',
    'Machine pulse',
    { time: every('PT15M'), spread: 'each', priority: 'low', overlap: 'skip', lateStart: 'PT10M' },
    { sinceDays: 5, notes: 'Asked for by nobody any more?' },
  ),
  trigger('Monthly fleet review', 'Monthly fleet review', {
    time: at('07:30'),
    on: { nth: { n: 1, of: work, in: 'month' } },
  }),
  trigger(
    'Hourly greeting in the lab',
    'Lab greeting',
    { time: { cron: '*/20 * * * *' }, lateStart: 'PT5M' },
    { notes: 'Runs for real on the machine that runs this demo.' },
  ),
  trigger('Rebooking letters', 'Rebooking letters', {
    time: every('PT20M', '08:10', '17:30'),
    on: work,
    overlap: 'skip',
    priority: 'low',
    lateStart: 'PT10M',
  }),
  trigger(
    'Old freight rates',
    'Freight rates refresh',
    { time: { cron: '0 3 * * 0' } },
    { enabled: false, notes: 'Kept until the new rates have been through a year.' },
  ),
]
