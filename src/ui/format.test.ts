import { duration, exact, relative, when } from './format'

describe('how times are written', () => {
  it('writes lengths', () => {
    expect([41_000, 3_599_400, 4_080_000, 190_000_000].map(duration)).toEqual([
      '0:41',
      '59:59',
      '1 h 08 min',
      '2 d 4 h',
    ])
    expect(duration(null)).toBe('')
  })

  it('writes distances to both sides', () => {
    expect([relative(1000, 61_000), relative(300_000, 0), relative(0, 7_200_000)]).toEqual([
      '60 s ago'.replace('60 s', '1 min'),
      'in 5 min',
      '2 h ago',
    ])
  })

  it('names the zone, through a clock change', () => {
    expect(exact('2027-03-28T00:59:59Z', 'Europe/London')).toBe('2027-03-28 00:59:59 Europe/London')
    expect(exact('2027-03-28T01:00:00Z', 'Europe/London')).toBe('2027-03-28 02:00:00 Europe/London')
  })

  it('gives the day when it is not today', () => {
    const now = Date.parse('2027-03-09T02:14:00Z')
    expect(when('2027-03-09T01:00:07Z', 'Europe/London', now)).toBe('01:00:07')
    expect(when('2027-03-08T01:00:00Z', 'Europe/London', now)).toBe('Mon 8 Mar 01:00')
  })
})
