import { parseDate, parseZonedDateTime } from '@internationalized/date'
import { apiValues } from './api-values'
import { daysOf, readStretch, stretchOf } from './stretch'
import type { StretchName } from './stretch-names'

const ZONE = 'Europe/London'
const NOON = parseZonedDateTime('2027-03-29T12:00[Europe/London]')

describe('a stretch of time', () => {
  // The clock went forward on the 28th at 01:00: midnight that day was at 00:00Z, the next at 23:00Z.
  it.each<[StretchName, string | undefined, string | undefined]>([
    ['today', '2027-03-28T23:00:00.000Z', undefined],
    ['yesterday', '2027-03-28T00:00:00.000Z', '2027-03-28T23:00:00.000Z'],
    ['last-night', '2027-03-28T17:00:00.000Z', '2027-03-29T07:00:00.000Z'],
    ['this-night', '2027-03-28T17:00:00.000Z', '2027-03-29T08:00:00.000Z'],
    ['last-hour', '2027-03-29T10:00:00.000Z', undefined],
    ['last-8-hours', '2027-03-29T03:00:00.000Z', undefined],
    ['last-24-hours', '2027-03-28T11:00:00.000Z', undefined],
    ['last-7-days', '2027-03-22T12:00:00.000Z', undefined],
  ])('%s', (name, from, to) => {
    expect(stretchOf(name, ZONE, NOON)).toEqual({ ...(from ? { from } : {}), ...(to ? { to } : {}) })
  })

  it('“last night” is the one that is on, asked in the middle of it', () => {
    expect(stretchOf('last-night', ZONE, parseZonedDateTime('2027-03-09T02:00[Europe/London]'))).toEqual({
      from: '2027-03-08T18:00:00.000Z',
      to: '2027-03-09T08:00:00.000Z',
    })
  })

  it('“this night” is the one that has begun, from the evening on', () => {
    expect(stretchOf('this-night', ZONE, parseZonedDateTime('2027-03-09T18:00[Europe/London]'))).toEqual({
      from: '2027-03-09T18:00:00.000Z',
      to: '2027-03-10T09:00:00.000Z',
    })
    expect(stretchOf('this-night', ZONE, parseZonedDateTime('2027-03-09T17:59[Europe/London]')).from).toBe(
      '2027-03-08T18:00:00.000Z',
    )
  })

  it.each<[string, object | null]>([
    ['from 2027-03-09 02:00 to 2027-03-10', { from: '2027-03-09T02:00:00.000Z', to: '2027-03-11T00:00:00.000Z' }],
    ['from 2027-03-09', { from: '2027-03-09T00:00:00.000Z' }],
    ['until 2027-07-01 9:30', { to: '2027-07-01T08:30:00.000Z' }],
    ['from 2027-02-30', null],
    ['from 2027-03-09 25:00', null],
    ['from yesterday', null],
    ['failed', null],
    ['', null],
  ])('is written “%s”', (text, expected) => {
    expect(readStretch(text, ZONE)).toEqual(expected)
  })

  it('of days has the last one whole', () => {
    expect(daysOf(parseDate('2027-03-27'), parseDate('2027-03-28'), ZONE)).toEqual({
      from: '2027-03-27T00:00:00.000Z',
      to: '2027-03-28T23:00:00.000Z',
    })
  })

  it('goes to the server as instants', async () => {
    const { from, when } = (await apiValues({ state: 'failed', when: 'today' }, ZONE)) as {
      from?: string
      when?: string
    }
    expect(when).toBeUndefined()
    expect(from).toMatch(/T\d\d:00:00/)
    await expect(apiValues({ when: 'someday', text: 'x' }, ZONE)).resolves.toEqual({ text: 'x' })
  })
})
