import fc from 'fast-check'
import { Temporal } from 'temporal-polyfill'
import { isZoneName, zoneOf, type Zone } from './zone'

const ALL = Intl.supportedValuesOf('timeZone')
const zone = (name: string): Zone => zoneOf(name) as Zone
const at = (text: string): number => Date.parse(text) / 1000
const local = (text: string): number => Date.parse(`${text}Z`) / 1000

/** Half-hour changes, changes at midnight, a skipped day, two-hour changes, summer time that pauses, old local times of odd seconds. */
const ODD = [
  'Australia/Lord_Howe',
  'America/Sao_Paulo',
  'Pacific/Apia',
  'Antarctica/Troll',
  'Africa/Casablanca',
  'America/St_Johns',
  'Europe/Dublin',
  'Asia/Gaza',
  'Africa/Monrovia',
  'Europe/London',
]

describe('a zone', () => {
  it('has the offsets that Temporal has, at any time', () => {
    fc.assert(
      fc.property(
        fc.constantFrom(...ODD),
        fc.integer({ min: at('1900-01-01T00:00Z'), max: at('2060-01-01T00:00Z') }),
        (name, instant) => {
          expect(zone(name).offsetAt(instant)).toBe(
            Temporal.Instant.fromEpochMilliseconds(instant * 1000).toZonedDateTimeISO(name).offsetNanoseconds / 1e9,
          )
        },
      ),
      { numRuns: 150 },
    )
  })

  it.each(ALL)('%s: its next two clock changes are those of Temporal', (name) => {
    const from = at('2026-11-26T00:00:00Z')
    const found = zone(name).changesBetween(from, at('2029-01-01T00:00:00Z')).slice(0, 2)
    let next: Temporal.ZonedDateTime | null = Temporal.Instant.fromEpochMilliseconds(from * 1000).toZonedDateTimeISO(
      name,
    )
    for (const change of found) {
      next = next?.getTimeZoneTransition('next') ?? null
      expect(next && next.epochMilliseconds / 1000).toBe(change.at)
      expect(next && next.offsetNanoseconds / 1e9).toBe(change.after)
    }
    if (found.length < 2)
      expect(next?.getTimeZoneTransition('next')?.epochMilliseconds ?? Infinity).toBeGreaterThanOrEqual(
        at('2029-01-01T00:00:00Z') * 1000,
      )
  })

  it.each(ALL)('%s: around its next two clock changes it reads local times as Temporal does', (name) => {
    const here = zone(name)
    for (const change of here.changesBetween(at('2026-11-26T00:00:00Z'), at('2029-01-01T00:00:00Z')).slice(0, 2)) {
      const shown = change.at + Math.min(change.before, change.after)
      for (let time = shown - 5400; time <= shown + 3 * 5400; time += 900) {
        const plain = Temporal.PlainDateTime.from(new Date(time * 1000).toISOString().slice(0, -1))
        const [earlier, later] = (['earlier', 'later'] as const).map(
          (disambiguation) => plain.toZonedDateTime(name, { disambiguation }).epochMilliseconds / 1000,
        )
        const reading = here.read(time)
        // Of a gap, Temporal’s “later” is the time moved on by its length.
        if (reading.kind === 'twice') expect([reading.first, reading.second]).toEqual([earlier, later])
        else expect(reading.at).toBe(later)
        expect(reading.kind === 'once').toBe(earlier === later)
      }
    }
  })

  it('moves a lost day on by a day', () => {
    expect(zone('Pacific/Apia').read(local('2011-12-30T12:00:00'))).toEqual({
      kind: 'gap',
      at: at('2011-12-31T12:00:00+14:00'),
    })
  })

  it('is called by its IANA name only', () => {
    for (const name of ['Europe/London', 'UTC', 'Etc/GMT+5', 'America/Argentina/Buenos_Aires'])
      expect(isZoneName(name)).toBe(true)
    for (const name of ['+01:00', '', 'Nowhere/At-All', 'Europe/', '../etc', 'Z']) expect(isZoneName(name)).toBe(false)
  })
})
