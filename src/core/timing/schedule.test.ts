import fc from 'fast-check'
import { RRule } from 'rrule'
import { complementOf, DaySet, daysThat } from '../calendar/day-set'
import { isoDay, parseIsoDay, timeOfDay, weekdayIndex } from '../calendar/days'
import { isoDuration } from './duration'
import { isoInstant, isoLocal, parseInstant } from './instants'
import { naiveOccurrences } from './naive.test-help'
import type { Fold, Gap, TimeRule } from './rule'
import { Schedule, type Timing } from './schedule'
import { zoneOf, type Zone } from './zone'

const at = (text: string): number => parseInstant(text) as number
const day = (text: string): number => parseIsoDay(text) as number
const zone = (name: string): Zone => zoneOf(name) as Zone

interface Case {
  readonly zone?: string
  readonly gap?: Gap
  readonly fold?: Fold
  readonly on?: DaySet
  readonly from?: string
  readonly until?: string
}

function scheduleOf(time: TimeRule, { zone: name = 'Europe/London', gap, fold, on, from, until }: Case = {}): Schedule {
  const timing: Timing = {
    time,
    zone: zone(name),
    gap,
    fold,
    eligible: on ?? null,
    from: from === undefined ? undefined : day(from),
    until: until === undefined ? undefined : day(until),
  }
  return new Schedule(timing)
}

/** Local times with offset, from one local midnight to another. */
function shown(time: TimeRule, from: string, to: string, more: Case = {}): string[] {
  const here = zone(more.zone ?? 'Europe/London')
  const midnight = (text: string): number => {
    const reading = here.read(day(text) * 86_400)
    return reading.kind === 'twice' ? reading.first : reading.at
  }
  return scheduleOf(time, more)
    .between(midnight(from), midnight(to))
    .map((occurrence) => isoLocal(occurrence.at, here))
}

describe('a schedule', () => {
  const time = fc.integer({ min: 0, max: 86_399 }).map((s) => timeOfDay(Math.floor(s / 300) * 300))
  const cronField = (from: number, to: number): fc.Arbitrary<string> =>
    fc.oneof(
      fc.constant('*'),
      fc.integer({ min: 1, max: 7 }).map((n) => `*/${n}`),
      fc.uniqueArray(fc.integer({ min: from, max: to }), { minLength: 1, maxLength: 3 }).map((list) => list.join()),
      fc
        .tuple(fc.integer({ min: from, max: to }), fc.integer({ min: from, max: to }))
        .map(([a, b]) => `${Math.min(a, b)}-${Math.max(a, b)}/2`),
    )
  const rule: fc.Arbitrary<Exclude<TimeRule, { rrule: string }>> = fc.oneof(
    fc.uniqueArray(time, { minLength: 1, maxLength: 4 }).map((times) => ({ at: times })),
    fc
      .record({
        step: fc.integer({ min: 600, max: 86_400 }).map(isoDuration),
        from: fc.option(time, { nil: undefined }),
        until: fc.option(time, { nil: undefined }),
      })
      .map(({ step, from, until }) => ({ every: { step, ...(from ? { from } : {}), ...(until ? { until } : {}) } })),
    fc
      .tuple(cronField(0, 59), cronField(0, 23), cronField(1, 28), cronField(1, 12), cronField(0, 7))
      .map(([minute, hour, dayOfMonth, month, weekday]) => ({
        cron: [minute, hour, dayOfMonth, month === '*' ? '*' : '1-12', weekday].join(' '),
      })),
  )
  /** The nights that matter: changes of an hour, half an hour, two hours, at midnight, of a day, and none. */
  const night = fc.constantFrom(
    ['Europe/London', '2027-03-28'],
    ['Europe/London', '2027-10-31'],
    ['Australia/Lord_Howe', '2027-04-04'],
    ['Australia/Lord_Howe', '2027-10-03'],
    ['America/Sao_Paulo', '2018-11-04'],
    ['America/Sao_Paulo', '2018-02-18'],
    ['Pacific/Apia', '2011-12-30'],
    ['Antarctica/Troll', '2027-03-28'],
    ['Antarctica/Troll', '2027-10-31'],
    ['America/St_Johns', '2006-10-29'],
    ['America/St_Johns', '2006-04-02'],
    ['Africa/Casablanca', '2027-02-07'],
    ['Asia/Tokyo', '2027-06-01'],
    ['Europe/London', '2027-01-01'],
  )

  it('fires when the rule’s plain reading says, on any night', () => {
    fc.assert(
      fc.property(
        night,
        rule,
        fc.constantFrom<Gap>('later', 'skip'),
        fc.constantFrom<Fold>('first', 'second', 'both'),
        fc.integer({ min: 0, max: 3 }),
        ([name = '', date = ''], time, gap, fold, left) => {
          const on =
            left === 0 ? complementOf(new DaySet(() => undefined)) : daysThat((each) => weekdayIndex(each) % left !== 1)
          const from = day(date) * 86_400 - 2 * 86_400
          const to = from + 5 * 86_400
          const found = scheduleOf(time, { zone: name, gap, fold, on }).between(from, to)
          expect(found.map((occurrence) => isoInstant(occurrence.at))).toEqual(
            naiveOccurrences({ time, zone: name, gap, fold, eligible: on }, from, to).map(isoInstant),
          )
        },
      ),
      { numRuns: 75 },
    )
  })

  it('gives the same in one stretch, in pieces, and one by one', () => {
    fc.assert(
      fc.property(
        night,
        rule,
        fc.array(fc.integer({ min: 0, max: 5 * 86_400 }), { maxLength: 6 }),
        ([name = '', date = ''], time, cuts) => {
          const schedule = scheduleOf(time, { zone: name })
          const from = day(date) * 86_400 - 2 * 86_400
          const to = from + 5 * 86_400
          const whole = schedule.between(from, to)
          const places = [from, ...cuts.sort((a, b) => a - b).map((cut) => from + cut), to]
          expect(places.slice(1).flatMap((end, i) => schedule.between(places[i] as number, end))).toEqual(whole)
          const single = []
          for (let next = schedule.next(from, to); next && single.length < 50; next = schedule.next(next.at + 1, to))
            single.push(next)
          expect(single).toEqual(whole.slice(0, 50))
          expect(schedule.between(from, to, 3)).toEqual(whole.slice(0, 3))
        },
      ),
      { numRuns: 50 },
    )
  })

  const list = (max: number): fc.Arbitrary<number[]> =>
    fc.uniqueArray(fc.integer({ min: 0, max }), { minLength: 1, maxLength: 3 })
  const maybe = (max: number): fc.Arbitrary<number[] | null> => fc.option(list(max), { nil: null })
  const byPart = (name: string, values: readonly number[] | null): string =>
    values ? `${name}=${[...values].sort((a, b) => a - b).join()}` : ''
  const start = '2027-03-01T05:30:10'

  it('takes recurrences of days, weeks and months of local times as the library does', () => {
    fc.assert(
      fc.property(
        fc.constantFrom('DAILY', 'WEEKLY', 'MONTHLY'),
        fc.integer({ min: 1, max: 3 }),
        maybe(23),
        maybe(59),
        maybe(59),
        fc.constantFrom('', 'BYDAY=MO,WE,SA', 'BYMONTH=3,4'),
        fc.constantFrom('', 'COUNT=1', 'COUNT=9', 'UNTIL=20270305T061500'),
        (freq, interval, hours, minutes, seconds, days, end) => {
          const rrule = [
            `FREQ=${freq}`,
            `INTERVAL=${interval}`,
            byPart('BYHOUR', hours),
            byPart('BYMINUTE', minutes),
            byPart('BYSECOND', seconds),
            days,
            end,
          ]
            .filter(Boolean)
            .join(';')
          const found = scheduleOf({ rrule, start }, { zone: 'UTC' }).between(
            at('2027-03-01T00:00:00Z'),
            at('2027-06-01T00:00:00Z'),
          )
          const library = new RRule({ ...RRule.parseString(rrule), dtstart: new Date(`${start}Z`) })
          const expected = library.between(new Date('2027-03-01T00:00:00Z'), new Date('2027-05-31T23:59:59Z'), true)
          expect(found.map((o) => isoInstant(o.at))).toEqual(
            expected.map((date) => `${date.toISOString().slice(0, 19)}Z`).sort(),
          )
        },
      ),
      { numRuns: 75 },
    )
  })

  it('takes recurrences of hours, minutes and seconds as a look at every second does', () => {
    const units = { HOURLY: 3600, MINUTELY: 60, SECONDLY: 1 } as const
    fc.assert(
      fc.property(
        fc.constantFrom('HOURLY' as const, 'MINUTELY' as const, 'SECONDLY' as const),
        fc.integer({ min: 1, max: 2000 }),
        maybe(23),
        maybe(59),
        maybe(59),
        (freq, interval, hours, minutes, seconds) => {
          const rrule = [
            `FREQ=${freq}`,
            `INTERVAL=${interval}`,
            byPart('BYHOUR', hours),
            byPart('BYMINUTE', minutes),
            byPart('BYSECOND', seconds),
            'BYDAY=MO,TU',
          ]
            .filter(Boolean)
            .join(';')
          const unit = units[freq]
          const begin = at(`${start}Z`)
          const fits = (time: number): boolean => {
            const [hour, minute, second] = [Math.floor(time / 3600) % 24, Math.floor(time / 60) % 60, time % 60]
            return (
              (Math.floor(time / unit) - Math.floor(begin / unit)) % interval === 0 &&
              (hours?.includes(hour) ?? true) &&
              (minutes?.includes(minute) ?? (freq !== 'HOURLY' || minute === 30)) &&
              (seconds?.includes(second) ?? (freq === 'SECONDLY' || second === 10))
            )
          }
          const expected = []
          const end = at('2027-03-03T00:00:00Z')
          for (let time = begin; time < end; time++) if (fits(time)) expected.push(time)
          const schedule = (text: string): Schedule => scheduleOf({ rrule: text, start }, { zone: 'UTC' })
          const found = schedule(rrule).between(at('2027-03-01T00:00:00Z'), at('2027-03-04T00:00:00Z'))
          // As text: comparing a hundred thousand elements one by one takes minutes.
          expect(found.map((o) => o.at).join()).toBe(expected.join())
          const counted = schedule(`${rrule};COUNT=5`).between(at('2027-03-02T00:00:00Z'), at('2027-03-04T00:00:00Z'))
          expect(counted.map((o) => o.at)).toEqual(
            expected.slice(0, 5).filter((time) => time >= at('2027-03-02T00:00:00Z')),
          )
        },
      ),
      { numRuns: 30 },
    )
  })
})

describe('clock changes', () => {
  const half2: TimeRule = { at: ['01:30'] }
  it.each([
    ['later', ['2027-03-28T02:30:00+01:00']],
    ['skip', []],
  ] as const)('a time that does not exist, gap %s', (gap, expected) => {
    expect(shown(half2, '2027-03-28', '2027-03-29', { gap })).toEqual(expected)
  })

  it.each([
    ['first', ['2027-10-31T01:30:00+01:00']],
    ['second', ['2027-10-31T01:30:00+00:00']],
    ['both', ['2027-10-31T01:30:00+01:00', '2027-10-31T01:30:00+00:00']],
  ] as const)('a time that exists twice, fold %s', (fold, expected) => {
    expect(shown(half2, '2027-10-31', '2027-11-01', { fold })).toEqual(expected)
  })

  it('keep both of several times in order', () => {
    expect(shown({ at: ['01:15', '01:45'] }, '2027-10-31', '2027-11-01', { fold: 'both' })).toEqual([
      '2027-10-31T01:15:00+01:00',
      '2027-10-31T01:45:00+01:00',
      '2027-10-31T01:15:00+00:00',
      '2027-10-31T01:45:00+00:00',
    ])
  })

  it('a lost day: its occurrence is on the next and belongs to the lost one; on the same instant they are one', () => {
    const schedule = scheduleOf(
      { at: ['12:00'] },
      { zone: 'Pacific/Apia', on: daysThat((each) => each === day('2011-12-30')) },
    )
    const found = schedule.between(at('2011-12-29T00:00:00Z'), at('2012-01-02T00:00:00Z'))
    expect(found.map((o) => [isoLocal(o.at, zone('Pacific/Apia')), isoDay(o.day), o.clock])).toEqual([
      ['2011-12-31T12:00:00+14:00', '2011-12-30', 'moved'],
    ])
    const both = scheduleOf({ at: ['12:00'] }, { zone: 'Pacific/Apia' }).between(
      at('2011-12-30T22:00:00Z'),
      at('2011-12-31T09:00:00Z'),
    )
    expect(both.map((o) => [isoDay(o.day), o.clock])).toEqual([['2011-12-31', 'plain']])
  })

  it('elapsed time decides in every: a day of 23 hours has fewer steps, one of 25 more', () => {
    const every: TimeRule = { every: { step: 'PT1H' } }
    expect(shown(every, '2027-03-28', '2027-03-29')).toHaveLength(23)
    expect(shown(every, '2027-10-31', '2027-11-01')).toHaveLength(25)
    expect(shown({ every: { step: 'PT1H', from: '00:30', until: '03:30' } }, '2027-10-31', '2027-11-01')).toHaveLength(
      5,
    )
  })

  it('begin every anew each day', () => {
    expect(shown({ every: { step: 'PT7H' } }, '2027-06-01', '2027-06-03').map((text) => text.slice(5, 16))).toEqual([
      '06-01T00:00',
      '06-01T07:00',
      '06-01T14:00',
      '06-01T21:00',
      '06-02T00:00',
      '06-02T07:00',
      '06-02T14:00',
      '06-02T21:00',
    ])
  })

  it('every past midnight belongs to the day on which it began', () => {
    const on = daysThat((each) => each === day('2027-06-01'))
    expect(
      shown({ every: { step: 'PT2H', from: '22:00', until: '02:00' } }, '2027-06-01', '2027-06-04', { on }).map(
        (text) => text.slice(5, 16),
      ),
    ).toEqual(['06-01T22:00', '06-02T00:00', '06-02T02:00'])
    expect(shown({ every: { step: 'PT15M', from: '06:00', until: '06:00' } }, '2027-06-01', '2027-06-02')).toHaveLength(
      1,
    )
  })

  it('an hour field with * follows the clock as shown; any other is a written time', () => {
    expect(shown({ cron: '30 * * * *' }, '2027-03-28', '2027-03-29')).toHaveLength(23)
    expect(shown({ cron: '30 * * * *' }, '2027-10-31', '2027-11-01')).toHaveLength(25)
    expect(shown({ cron: '30 0-23 * * *' }, '2027-10-31', '2027-11-01')).toHaveLength(24)
    expect(shown({ cron: '30 1 * * *' }, '2027-03-28', '2027-03-29')).toEqual(['2027-03-28T02:30:00+01:00'])
  })

  it('count in COUNT what a gap then drops', () => {
    const rule: TimeRule = { rrule: 'FREQ=DAILY;COUNT=3', start: '2027-03-27T01:30' }
    expect(shown(rule, '2027-03-01', '2027-04-10', { gap: 'skip' }).map((text) => text.slice(5, 10))).toEqual([
      '03-27',
      '03-29',
    ])
  })
})

describe('bounds', () => {
  it('from and until are the first and last day', () => {
    expect(
      shown({ at: ['23:30'] }, '2027-06-01', '2027-06-30', { from: '2027-06-10', until: '2027-06-12' }).map((text) =>
        text.slice(8, 10),
      ),
    ).toEqual(['10', '11', '12'])
  })

  it.each([
    ['UNTIL=20270303', 3],
    ['UNTIL=20270303T055959', 2],
    ['UNTIL=20270303T060000', 3],
    ['UNTIL=20270302T230000Z', 3],
    ['UNTIL=20270302T205959Z', 2],
  ])('a recurrence with %s read in Tokyo has %s', (until, count) => {
    expect(
      shown({ rrule: `FREQ=DAILY;${until}`, start: '2027-03-01T06:00' }, '2027-02-01', '2027-05-01', {
        zone: 'Asia/Tokyo',
      }),
    ).toHaveLength(count)
  })

  it('from is included, to is not, and both may lie between two seconds', () => {
    const schedule = scheduleOf({ at: ['12:00'] }, { zone: 'UTC' })
    expect(
      schedule.between(at('2027-01-01T12:00:00Z'), at('2027-01-02T12:00:00Z')).map((o) => isoInstant(o.at)),
    ).toEqual(['2027-01-01T12:00:00Z'])
    expect(
      schedule.between(at('2027-01-01T12:00:00.5Z'), at('2027-01-02T12:00:00.5Z')).map((o) => isoInstant(o.at)),
    ).toEqual(['2027-01-02T12:00:00Z'])
    expect(schedule.between(at('2027-01-02T12:00:00Z'), at('2027-01-01T12:00:00Z'))).toEqual([])
  })

  it('a rule that never fires is found out soon, and a limit stops the computing', () => {
    expect(scheduleOf({ cron: '0 0 30 2 *' }).between(at('2000-01-01T00:00:00Z'), at('2100-01-01T00:00:00Z'))).toEqual(
      [],
    )
    expect(
      scheduleOf({ rrule: 'FREQ=SECONDLY;BYMONTH=2;BYMONTHDAY=30', start: '2027-01-01T00:00' }).next(
        at('2027-01-01T00:00:00Z'),
        at('2047-01-01T00:00:00Z'),
      ),
    ).toBeUndefined()
    expect(
      scheduleOf({ every: { step: 'PT1S' } }).between(at('2000-01-01T00:00:00Z'), at('9999-01-01T00:00:00Z'), 2),
    ).toHaveLength(2)
    expect(
      scheduleOf({ rrule: 'FREQ=SECONDLY;COUNT=900000000', start: '2000-01-01T00:00' }, { zone: 'UTC' }).next(
        at('2020-01-01T00:00:00Z'),
        at('2020-02-01T00:00:00Z'),
      )?.at,
    ).toBe(at('2020-01-01T00:00:00Z'))
  })
})
