import { CronExpressionParser } from 'cron-parser'
import { Cron } from 'croner'
import { RRule } from 'rrule'
import { checkBundle } from '@/core/bundle/check'
import { Timings, type TriggerTiming } from '@/core/bundle/timings'

import { SHIPPED_HOLIDAYS } from '@/core/calendar/holiday-data'
import { yearView } from '@/core/calendar/year'
import { seededRandom } from '@/core/stats/random'
import { parseInstant } from '@/core/timing/instants'

const at = (text: string): number => parseInstant(text) as number
const FROM = at('2027-01-01T00:00:00Z')
const TO = at('2028-01-01T00:00:00Z')
const ZONE = 'Europe/London'

/** Seconds that one call takes: the best of several, each long enough to be measured. */
function secondsOf(work: () => unknown): number {
  let best = Infinity
  for (let round = 0; round < 5; round++) {
    let calls = 0
    const began = performance.now()
    do {
      work()
      calls++
    } while (performance.now() - began < 150)
    best = Math.min(best, (performance.now() - began) / 1000 / calls)
  }
  return best
}

interface Yardstick {
  readonly name: string
  readonly expand: () => number[]
}

function croner(pattern: string): Yardstick {
  return {
    name: 'croner',
    expand: () => {
      const job = new Cron(pattern, { timezone: ZONE, mode: '5-part' })
      const out: number[] = []
      for (
        let next = job.nextRun(new Date((FROM - 1) * 1000));
        next && next.getTime() < TO * 1000;
        next = job.nextRun(next)
      )
        out.push(next.getTime() / 1000)
      return out
    },
  }
}

function cronParser(pattern: string): Yardstick {
  return {
    name: 'cron-parser',
    expand: () => {
      const parsed = CronExpressionParser.parse(pattern, { currentDate: new Date((FROM - 1) * 1000), tz: ZONE })
      const out: number[] = []
      for (;;) {
        const next = parsed.next().getTime() / 1000
        if (next >= TO) return out
        out.push(next)
      }
    },
  }
}

/** The library works in local time written as UTC; the clock is ours to do, so its answer is compared in UTC. */
function rruleLibrary(text: string, start: string): Yardstick {
  return {
    name: 'rrule',
    expand: () =>
      new RRule({ ...RRule.parseString(text), dtstart: new Date(`${start}Z`) })
        .between(new Date(FROM * 1000), new Date(TO * 1000 - 1), true)
        .map((date) => date.getTime() / 1000),
  }
}

const RULES: readonly { name: string; trigger: TriggerTiming; beside: readonly Yardstick[] }[] = [
  {
    name: 'every 15 minutes',
    trigger: { time: { cron: '*/15 * * * *' }, zone: ZONE },
    beside: [croner('*/15 * * * *'), cronParser('*/15 * * * *')],
  },
  {
    name: 'working hours',
    trigger: { time: { cron: '*/15 6-22 * * 1-5' }, zone: ZONE },
    beside: [croner('*/15 6-22 * * 1-5'), cronParser('*/15 6-22 * * 1-5')],
  },
  {
    name: 'daily',
    trigger: { time: { at: ['17:00'] }, zone: ZONE },
    beside: [croner('0 17 * * *'), cronParser('0 17 * * *')],
  },
  {
    name: 'the 1st and 15th',
    trigger: { time: { cron: '30 4 1,15 * *' }, zone: ZONE },
    beside: [croner('30 4 1,15 * *'), cronParser('30 4 1,15 * *')],
  },
  {
    name: 'the 2nd Tuesday, RFC 5545',
    trigger: { time: { rrule: 'FREQ=MONTHLY;BYDAY=2TU;BYHOUR=6,18', start: '2020-01-01T06:00' }, zone: 'UTC' },
    beside: [rruleLibrary('FREQ=MONTHLY;BYDAY=2TU;BYHOUR=6,18', '2020-01-01T06:00:00')],
  },
  {
    name: 'every 2 weeks, RFC 5545',
    trigger: {
      time: { rrule: 'FREQ=WEEKLY;INTERVAL=2;BYDAY=MO,WE;BYHOUR=6,18', start: '2027-01-04T06:00' },
      zone: 'UTC',
    },
    beside: [rruleLibrary('FREQ=WEEKLY;INTERVAL=2;BYDAY=MO,WE;BYHOUR=6,18', '2027-01-04T06:00:00')],
  },
]

function expansion(): object[] {
  return RULES.map(({ name, trigger, beside }) => {
    const ours = (): number[] =>
      new Timings([], SHIPPED_HOLIDAYS, ZONE)
        .schedule(trigger)
        .between(FROM, TO)
        .map((o) => o.at)
    const answer = ours()
    const seconds = secondsOf(ours)
    const others = beside.map((library) => {
      const theirs = library.expand()
      const same = theirs.length === answer.length && theirs.every((value, i) => value === answer[i])
      return { name: library.name, same, perSecond: Math.round(theirs.length / secondsOf(library.expand)) }
    })
    const fastest = Math.max(...others.map((other) => other.perSecond))
    const perSecond = Math.round(answer.length / seconds)
    return {
      rule: name,
      occurrences: answer.length,
      perSecond,
      beside: others,
      timesTheFastest: Math.round((10 * perSecond) / fastest) / 10,
    }
  })
}

const HOLIDAYS = { holidays: { country: 'GB', region: 'SCT' } } as const
const WORKING = {
  id: 'working-days',
  days: { all: [{ weekdays: ['MO', 'TU', 'WE', 'TH', 'FR'] }, { not: HOLIDAYS }] },
} as const

/** 5,000 triggers as a company has them: several times an hour to once a year, in three zones, half of them by calendars. */
function manyTriggers(n: number): TriggerTiming[] {
  const random = seededRandom(20_270_309)
  const pick = <T>(list: readonly T[]): T => list[Math.floor(random() * list.length)] as T
  const two = (max: number): string => String(Math.floor(random() * max)).padStart(2, '0')
  return Array.from({ length: n }, (): TriggerTiming => {
    const time = pick([
      { at: [`${two(24)}:${two(60)}`] },
      { at: [`${two(24)}:${two(60)}`] },
      { at: [`${two(24)}:${two(60)}`, `${two(24)}:${two(60)}`] },
      { every: { step: pick(['PT15M', 'PT30M', 'PT1H']), from: '06:00', until: '22:00' } },
      { cron: `${two(60)} ${pick(['*', '*/4', '6-20'])} * * ${pick(['*', '1-5'])}` },
    ])
    const on = pick([
      undefined,
      undefined,
      { calendar: 'working-days' },
      { calendar: 'month-end' },
      { weekdays: ['MO', 'WE', 'FR'] as const },
    ])
    return { time, zone: pick([ZONE, 'Europe/Oslo', 'America/New_York']), ...(on ? { on } : {}) }
  })
}

function fleetOfTriggers(): object {
  const triggers = manyTriggers(5000)
  const calendars = (extra: string) => [
    { ...WORKING, days: { all: [...WORKING.days.all, { not: { dates: [extra] } }] } },
    { id: 'month-end', days: { nth: { n: -1, of: { calendar: 'working-days' }, in: 'month' as const } } },
  ]
  const now = at('2027-03-09T02:14:00Z')
  let edit = 0
  let starts = 0
  // An edit: the calendar has another day each time, and every schedule is built anew.
  const afterEdit = secondsOf(() => {
    const timings = new Timings(calendars(`2027-03-${String(10 + (edit++ % 15))}`), SHIPPED_HOLIDAYS, ZONE)
    starts = triggers.filter((trigger) => timings.schedule(trigger).next(now, now + 400 * 86_400)).length
  })
  let found = 0
  const day = secondsOf(() => {
    const timings = new Timings(calendars('2027-03-10'), SHIPPED_HOLIDAYS, ZONE)
    found = triggers.reduce((sum, trigger) => sum + timings.schedule(trigger).between(now, now + 86_400).length, 0)
  })
  return {
    triggers: triggers.length,
    nextStartsAfterEditMs: ms(afterEdit),
    withNextStart: starts,
    allOf24HoursMs: ms(day),
    occurrencesIn24Hours: found,
  }
}

function bundle(): object {
  const triggers = manyTriggers(19_000).map((trigger, i) => ({
    id: `t${i}`,
    start: { job: `j${i % 900}` },
    ...trigger,
  }))
  const jobs = Array.from({ length: 900 }, (_, i) => ({
    id: `j${i}`,
    title: `Job ${i}`,
    kind: 'command',
    command: 'true',
    pool: 'quay',
  }))
  const file = {
    format: 'bugle-bundle/1',
    zone: ZONE,
    pools: [{ id: 'quay' }],
    calendars: [
      WORKING,
      ...Array.from({ length: 99 }, (_, i) => ({
        id: i === 0 ? 'month-end' : `c${i}`,
        days: { nth: { n: -1, of: { calendar: 'working-days' }, in: 'month' } },
      })),
    ],
    jobs,
    triggers,
  }
  const text = JSON.stringify(file)
  let ok = false
  const seconds = secondsOf(() => (ok = checkBundle(JSON.parse(text)).ok))
  return { definitions: 20_000, bytes: text.length, ok, checkMs: ms(seconds) }
}

function year(): object {
  const rule = {
    roll: {
      of: { nth: { n: -1, of: { calendar: 'working-days' }, in: 'month' as const } },
      onto: { all: [{ calendar: 'working-days' }, { not: { between: ['04-19', '04-30'] as [string, string] } }] },
      to: 'next-in-month' as const,
    },
  }
  let edit = 0
  const seconds = secondsOf(() => {
    const changed = { any: [rule, { dates: [`2027-06-${String(1 + (edit++ % 28)).padStart(2, '0')}`] }] }
    return yearView(changed, 2027, [WORKING], SHIPPED_HOLIDAYS)
  })
  return { yearAfterChangeMs: ms(seconds) }
}

const ms = (seconds: number): number => Math.round(seconds * 100_000) / 100

console.log(
  JSON.stringify(
    { node: process.version, expansion: expansion(), fleet: fleetOfTriggers(), bundle: bundle(), year: year() },
    null,
    2,
  ),
)
