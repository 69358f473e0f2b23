import fc from 'fast-check'
import { Temporal } from 'temporal-polyfill'
import { finishBy } from './finish-by'
import { parseInstant } from './instants'

const due = (time: string | undefined, zone: string | undefined, at: string): string | null => {
  const ms = finishBy({ finishBy: time, zone }, Date.parse(at))
  return ms === null ? null : new Date(ms).toISOString().replace('.000', '')
}

describe('the deadline of an occurrence', () => {
  it.each<[string, string | undefined, string | undefined, string, string | null]>([
    ['later on the same day', '04:45', 'Europe/London', '2027-01-12T02:00:00Z', '2027-01-12T04:45:00Z'],
    ['the next day, if the time has passed', '01:30', 'Europe/London', '2027-01-12T23:00:00Z', '2027-01-13T01:30:00Z'],
    [
      'a day later, if it is the very time of the start',
      '02:00',
      'UTC',
      '2027-01-12T02:00:00Z',
      '2027-01-13T02:00:00Z',
    ],
    [
      'in its own zone, on another date than UTC',
      '00:30',
      'Asia/Tokyo',
      '2027-01-12T14:00:00Z',
      '2027-01-12T15:30:00Z',
    ],
    ['moved on in a gap', '01:30', 'Europe/London', '2027-03-28T00:15:00Z', '2027-03-28T01:30:00Z'],
    ['the first reading of a doubled time', '01:30', 'Europe/London', '2027-10-30T23:00:00Z', '2027-10-31T00:30:00Z'],
    [
      'the second reading, if it starts after the first',
      '01:30',
      'Europe/London',
      '2027-10-31T00:45:00Z',
      '2027-10-31T01:30:00Z',
    ],
    [
      'on the day after one that does not exist',
      '09:00',
      'Pacific/Apia',
      '2011-12-29T20:00:00Z',
      '2011-12-30T19:00:00Z',
    ],
    ['in UTC if no zone is named', '06:00', undefined, '2027-01-12T02:00:00Z', '2027-01-12T06:00:00Z'],
    ['none without one', undefined, 'Europe/London', '2027-01-12T02:00:00Z', null],
    ['none in a zone that nobody knows', '06:00', 'Mars/Base', '2027-01-12T02:00:00Z', null],
  ])('is %s', (_, time, zone, at, expected) => {
    expect(due(time, zone, at)).toBe(expected)
  })

  it('is what Temporal says, in any zone and at any time', () => {
    const zones = [
      'Europe/London',
      'Australia/Lord_Howe',
      'America/Santiago',
      'Africa/Casablanca',
      'Asia/Kathmandu',
      'UTC',
    ]
    const from = parseInstant('2024-01-01T00:00:00Z') as number
    const to = parseInstant('2031-01-01T00:00:00Z') as number
    fc.assert(
      fc.property(
        fc.integer({ min: from, max: to }),
        fc.constantFrom(...zones),
        fc.integer({ min: 0, max: 1439 }),
        (at, zone, minute) => {
          const time = `${String(Math.floor(minute / 60)).padStart(2, '0')}:${String(minute % 60).padStart(2, '0')}`
          expect(finishBy({ finishBy: time, zone }, at * 1000)).toBe(expectedMs(time, zone, at * 1000))
        },
      ),
      { numRuns: 500 },
    )
  })
})

/** The first reading of the time after the instant, by the proposed standard's own clock arithmetic. */
function expectedMs(time: string, zone: string, atMs: number): number {
  const local = Temporal.Instant.fromEpochMilliseconds(atMs).toZonedDateTimeISO(zone).toPlainDate()
  const readings = [-1, 0, 1, 2].flatMap((days) => {
    const wanted = local.add({ days }).toPlainDateTime(Temporal.PlainTime.from(time))
    const [earlier, later] = (['earlier', 'later'] as const).map((disambiguation) =>
      wanted.toZonedDateTime(zone, { disambiguation }),
    ) as [Temporal.ZonedDateTime, Temporal.ZonedDateTime]
    // In a gap neither shows the wanted time; the later one is moved on by its length.
    const isGap = !earlier.toPlainDateTime().equals(wanted) && !later.toPlainDateTime().equals(wanted)
    return (isGap ? [later] : [earlier, later]).map(({ epochMilliseconds }) => epochMilliseconds)
  })
  return Math.min(...readings.filter((ms) => ms > atMs))
}
