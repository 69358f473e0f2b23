import { daysThat } from '../calendar/day-set'
import { weekdayIndex } from '../calendar/days'
import { clockDates } from './clock-dates'
import { isoInstant, parseInstant } from './instants'
import type { TimeRule } from './rule'
import { zoneOf, type Zone } from './zone'

const FROM = parseInstant('2027-01-01T00:00:00Z') as number
const TO = parseInstant('2029-01-01T00:00:00Z') as number
const EVERY_DAY = daysThat(() => true)
const dates = (time: TimeRule, zone: string, eligible = EVERY_DAY): string[] =>
  clockDates(
    { time, zone: zoneOf(zone) as Zone, eligible, gap: 'skip', fold: 'first', from: undefined, until: undefined },
    FROM,
    TO,
  ).map(({ at, bySeconds, what }) => `${what} ${isoInstant(at)} ${bySeconds}`)

describe('the clock changes that matter to a trigger', () => {
  it('are those at whose missing or doubled time it would start', () => {
    expect(dates({ at: ['01:30'] }, 'Europe/London')).toEqual([
      'gap 2027-03-28T01:00:00Z 3600',
      'fold 2027-10-31T01:00:00Z -3600',
      'gap 2028-03-26T01:00:00Z 3600',
      'fold 2028-10-29T01:00:00Z -3600',
    ])
  })

  it.each<[string, TimeRule, string, string[]]>([
    ['none for a time by day', { at: ['17:00'] }, 'Europe/London', []],
    ['none in a zone without changes', { at: ['01:30'] }, 'Asia/Tokyo', []],
    ['none for what follows the clock as shown', { cron: '*/20 * * * *' }, 'Europe/London', []],
    [
      'only the gap where the hour differs',
      { at: ['02:15'] },
      'Australia/Lord_Howe',
      ['gap 2027-10-02T15:30:00Z 1800', 'gap 2028-09-30T15:30:00Z 1800'],
    ],
  ])('are %s', (_, time, zone, expected) => {
    expect(dates(time, zone)).toEqual(expected)
  })

  it('are none if it does not run on that day', () => {
    const mondays = daysThat((day) => weekdayIndex(day) === 0)
    expect(dates({ at: ['01:30'] }, 'Europe/London', mondays)).toEqual([])
  })
})
