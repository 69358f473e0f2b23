import { isoDay } from '../calendar/days'
import { zoneOf, type Zone } from '../timing/zone'
import { dayAt, daysOf, dayIn, periodBefore, periodOf, periodSchema, type PeriodSpec } from './period'

const zone = (name: string): Zone => zoneOf(name) as Zone
const at = (text: string): number => Date.parse(text)
const iso = (spec: PeriodSpec, now: string, name = 'Europe/London'): [string, string, string] => {
  const { fromMs, toMs, words } = periodOf(spec, zone(name), at(now))
  return [new Date(fromMs).toISOString(), new Date(toMs).toISOString(), words]
}
const before = (spec: PeriodSpec, now: string): [string, string] => {
  const { fromMs, toMs } = periodBefore(spec, zone('Europe/London'), at(now))
  return [new Date(fromMs).toISOString(), new Date(toMs).toISOString()]
}

it.each<[PeriodSpec, string, string, string, string]>([
  [{ last: 'day' }, '2026-10-26T09:00:00Z', '2026-10-24T23:00:00.000Z', '2026-10-26T00:00:00.000Z', '25 Oct 2026'],
  [
    { last: 'week' },
    '2026-11-29T09:00:00Z',
    '2026-11-16T00:00:00.000Z',
    '2026-11-23T00:00:00.000Z',
    '16 – 22 Nov 2026',
  ],
  [
    { last: 'month' },
    '2026-11-29T09:00:00Z',
    '2026-09-30T23:00:00.000Z',
    '2026-11-01T00:00:00.000Z',
    '1 – 31 Oct 2026',
  ],
  [
    { last: 'quarter' },
    '2026-11-29T09:00:00Z',
    '2026-06-30T23:00:00.000Z',
    '2026-09-30T23:00:00.000Z',
    '1 Jul – 30 Sep 2026',
  ],
  [
    { last: 'year' },
    '2026-11-29T09:00:00Z',
    '2025-01-01T00:00:00.000Z',
    '2026-01-01T00:00:00.000Z',
    '1 Jan – 31 Dec 2025',
  ],
  [
    { current: 'month' },
    '2026-11-29T09:00:00Z',
    '2026-11-01T00:00:00.000Z',
    '2026-11-29T09:00:00.000Z',
    '1 – 29 Nov 2026, so far',
  ],
  [
    { night: 'last' },
    '2026-11-29T08:59:00Z',
    '2026-11-27T18:00:00.000Z',
    '2026-11-28T09:00:00.000Z',
    'the night to 28 Nov 2026',
  ],
  [
    { night: 'last' },
    '2026-11-29T09:00:00Z',
    '2026-11-28T18:00:00.000Z',
    '2026-11-29T09:00:00.000Z',
    'the night to 29 Nov 2026',
  ],
  // In the night to 29 March the clock goes forward: it is an hour shorter.
  [
    { night: 'last' },
    '2026-03-29T10:00:00Z',
    '2026-03-28T18:00:00.000Z',
    '2026-03-29T08:00:00.000Z',
    'the night to 29 Mar 2026',
  ],
  [
    { days: 7 },
    '2026-11-29T09:00:00Z',
    '2026-11-23T00:00:00.000Z',
    '2026-11-29T09:00:00.000Z',
    '23 – 29 Nov 2026, so far',
  ],
  [
    { from: '2026-10-25', to: '2026-10-25' },
    '2027-01-01T00:00:00Z',
    '2026-10-24T23:00:00.000Z',
    '2026-10-26T00:00:00.000Z',
    '25 Oct 2026',
  ],
])('%j at %s is from %s to %s', (spec, now, from, to, words) => {
  expect(iso(spec, now)).toEqual([from, to, words])
})

it('is of the zone that it names, not of the server', () => {
  expect(iso({ last: 'day' }, '2026-11-29T09:00:00Z', 'Pacific/Auckland').slice(0, 2)).toEqual([
    '2026-11-27T11:00:00.000Z',
    '2026-11-28T11:00:00.000Z',
  ])
})

it('has one before it of the same kind', () => {
  expect(before({ last: 'quarter' }, '2026-11-29T09:00:00Z')).toEqual([
    '2026-03-31T23:00:00.000Z',
    '2026-06-30T23:00:00.000Z',
  ])
  expect(before({ current: 'month' }, '2026-03-30T09:00:00Z')).toEqual([
    '2026-02-01T00:00:00.000Z',
    '2026-03-01T00:00:00.000Z',
  ])
  expect(before({ night: 'last' }, '2026-11-29T09:00:00Z')).toEqual([
    '2026-11-27T18:00:00.000Z',
    '2026-11-28T09:00:00.000Z',
  ])
  expect(before({ from: '2026-11-10', to: '2026-11-12' }, '2026-12-01T00:00:00Z')).toEqual([
    '2026-11-07T00:00:00.000Z',
    '2026-11-10T00:00:00.000Z',
  ])
})

it('falls into days that follow one another without a gap, whatever the clocks do', () => {
  for (const name of ['Europe/London', 'America/St_Johns', 'Asia/Kolkata', 'Pacific/Apia', 'UTC']) {
    const period = periodOf({ from: '2026-03-01', to: '2026-11-30' }, zone(name), at('2027-01-01T00:00:00Z'))
    const days = daysOf(period, zone(name))
    expect(days).toHaveLength(275)
    expect(days[0]?.fromMs).toBe(period.fromMs)
    expect(days.at(-1)?.toMs).toBe(period.toMs)
    days.forEach((day, i) => {
      expect(day.fromMs).toBe(days[i - 1]?.toMs ?? day.fromMs)
      expect(isoDay(dayIn(zone(name), day.fromMs))).toBe(day.day)
      expect(isoDay(dayIn(zone(name), day.toMs - 1))).toBe(day.day)
    })
  }
})

it('is refused where it ends before it begins, is too long, or is no day', () => {
  for (const spec of [
    { from: '2026-11-12', to: '2026-11-10' },
    { from: '2020-01-01', to: '2026-11-10' },
    { from: '2026-02-30', to: '2026-03-01' },
    { last: 'decade' },
    { days: 0 },
  ])
    expect(periodSchema.safeParse(spec).success).toBe(false)
})

it('finds the day of an instant as looking through all of them does, and none outside', () => {
  const london = zone('Europe/London')
  const days = daysOf(periodOf({ from: '2026-10-01', to: '2026-11-30' }, london, at('2027-01-01T00:00:00Z')), london)
  const first = days[0]?.fromMs ?? 0
  for (let i = -3000; i < 1_500_000; i += 997) {
    const ms = first + i * 4000
    expect([ms, dayAt(days, ms)]).toEqual([ms, days.findIndex(({ fromMs, toMs }) => ms >= fromMs && ms < toMs)])
  }
  for (const [i, { fromMs, toMs }] of days.entries())
    expect([dayAt(days, fromMs), dayAt(days, toMs - 1)]).toEqual([i, i])
  expect(dayAt([], 0)).toBe(-1)
})
