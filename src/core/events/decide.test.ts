import fc from 'fast-check'
import { zoneOf, type Zone } from '../timing/zone'
import { daysThat } from '../calendar/day-set'
import { backlogStarts, mostCounted, openingAt, rateLeft, type BacklogSeen } from './decide'
import { backlogSchema, type Backlog } from './kinds'

const LONDON = zoneOf('Europe/London') as Zone
const backlog = (more: Partial<Backlog> = {}): Backlog => ({
  queue: 'refunds',
  atLeast: 5,
  perRun: 10,
  most: 3,
  ...more,
})
const at = (text: string): number => Date.parse(text)

describe('a backlog', () => {
  it.each<[Partial<Backlog>, Partial<BacklogSeen>, number]>([
    [{}, { waiting: 0 }, 0],
    [{}, { waiting: 4 }, 0],
    [{}, { waiting: 5 }, 1],
    [{}, { waiting: 11 }, 2],
    [{}, { waiting: 500 }, 3],
    [{}, { waiting: 500, open: 2 }, 1],
    [{}, { waiting: 500, open: 7 }, 0],
    // One run is under way already: that one goes on with what is less than enough to begin.
    [{}, { waiting: 4, open: 1 }, 0],
    [{ perRun: 2 }, { waiting: 4, open: 1 }, 1],
    [{ orOldest: 'PT30M' }, { waiting: 1, oldestSeconds: 1799 }, 0],
    [{ orOldest: 'PT30M' }, { waiting: 1, oldestSeconds: 1800 }, 1],
    [{ orOldest: 'PT30M' }, { waiting: 0, oldestSeconds: null }, 0],
  ])('of %j with %j starts %i', (rule, seen, starts) => {
    expect(backlogStarts(backlog(rule), { waiting: 0, oldestSeconds: null, open: 0, ...seen })).toBe(starts)
  })

  const rules = fc.record({
    atLeast: fc.integer({ min: 1, max: 30 }),
    perRun: fc.integer({ min: 1, max: 12 }),
    most: fc.integer({ min: 1, max: 6 }),
    orOldest: fc.constantFrom(undefined, 'PT10S', 'PT1M'),
  })
  const seen = fc.record({
    waiting: fc.integer({ min: 0, max: 80 }),
    oldestSeconds: fc.option(fc.integer({ min: 0, max: 120 })),
    open: fc.integer({ min: 0, max: 8 }),
  })

  it('starts what starting one after the other, as long as one more is wanted, starts', () => {
    /** Whether one more run is wanted, straight from the words of the rule. */
    const wantsMore = (rule: Backlog, { waiting, oldestSeconds, open }: BacklogSeen, begun: boolean): boolean => {
      if (waiting < 1 || open >= rule.most || open * rule.perRun >= waiting) return false
      if (open > 0 || begun) return true
      const seconds = rule.orOldest === 'PT10S' ? 10 : 60
      return waiting >= rule.atLeast || (rule.orOldest !== undefined && (oldestSeconds ?? 0) >= seconds)
    }
    fc.assert(
      fc.property(rules, seen, (more, first) => {
        let [now, n] = [first, 0]
        while (wantsMore(backlog(more), now, n > 0)) [now, n] = [{ ...now, open: now.open + 1 }, n + 1]
        expect(backlogStarts(backlog(more), first)).toBe(n)
      }),
    )
  })

  it('makes no difference between what is counted to the end and no further than it must be', () => {
    fc.assert(
      fc.property(rules, seen, (more, its) => {
        const rule = backlog(more)
        const counted = { ...its, waiting: Math.min(its.waiting, mostCounted(rule)) }
        expect(backlogStarts(rule, counted)).toBe(backlogStarts(rule, its))
      }),
    )
  })

  it('is written with whole numbers and durations that can be', () => {
    expect(backlogSchema.parse({ queue: 'refunds' })).toEqual({ queue: 'refunds', atLeast: 1, perRun: 1, most: 1 })
    for (const wrong of [
      { atLeast: 0 },
      { most: 1.5 },
      { perRun: '3' },
      { orOldest: 'PT0S' },
      { orOldest: 'P8D' },
      { x: 1 },
    ])
      expect(backlogSchema.safeParse({ queue: 'refunds', ...wrong }).success).toBe(false)
  })
})

describe('a rate', () => {
  it('lets through as many as fit into every stretch, whenever they come', () => {
    const rule = fc.record({ starts: fc.integer({ min: 1, max: 4 }), seconds: fc.integer({ min: 1, max: 9 }) })
    const comes = fc.array(fc.integer({ min: 0, max: 40_000 }), { maxLength: 40 })
    fc.assert(
      fc.property(rule, comes, ({ starts, seconds }, all) => {
        const begun: number[] = []
        for (const now of [...all].sort((a, b) => a - b)) {
          const { left, againMs } = rateLeft({ starts, in: `PT${seconds}S` }, [...begun].reverse(), now)
          const recent = begun.filter((each) => each > now - seconds * 1000).length
          expect(left).toBe(Math.max(0, starts - recent))
          if (left > 0) begun.push(now)
          else {
            // At the instant that is named one more fits, and just before it none does.
            expect(rateLeft({ starts, in: `PT${seconds}S` }, begun, againMs as number).left).toBeGreaterThan(0)
            expect(rateLeft({ starts, in: `PT${seconds}S` }, begun, (againMs as number) - 1).left).toBe(0)
          }
        }
      }),
    )
  })

  it('that is none lets everything through', () => {
    expect(rateLeft(undefined, [1, 2, 3], 4)).toEqual({ left: Infinity, againMs: null })
  })
})

describe('its days and times', () => {
  const opening = (more: object, now: string): ReturnType<typeof openingAt> =>
    openingAt({ zone: LONDON, eligible: null, ...more }, at(now))

  it.each([
    ['2027-03-09T05:59:59Z', { is: 'waits', untilMs: at('2027-03-09T06:00:00Z') }],
    ['2027-03-09T06:00:00Z', { is: 'open' }],
    ['2027-03-09T22:00:00Z', { is: 'waits', untilMs: at('2027-03-10T06:00:00Z') }],
    // The clock is set forward in the night: six o’clock comes an hour sooner.
    ['2027-03-27T23:00:00Z', { is: 'waits', untilMs: at('2027-03-28T05:00:00Z') }],
  ])('by day, at %s', (now, expected) => {
    const found = opening({ between: { earliest: '06:00', latest: '22:00' } }, now)
    expect(found).toMatchObject(expected)
  })

  it('past midnight it is still the day on which the stretch began', () => {
    const night = { between: { earliest: '22:00', latest: '06:00' } }
    const [evening, morning] = [opening(night, '2027-03-09T23:00:00Z'), opening(night, '2027-03-10T05:00:00Z')]
    expect(evening).toMatchObject({ is: 'open' })
    expect(morning).toEqual(evening)
    expect(opening(night, '2027-03-10T06:00:00Z')).toEqual({ is: 'waits', untilMs: at('2027-03-10T22:00:00Z') })
  })

  it('starts nothing before its first day, after its last, and on days that are left out', () => {
    const day = Math.floor(at('2027-03-09T12:00:00Z') / 86_400_000)
    const is = (more: object): string => opening(more, '2027-03-09T12:00:00Z').is
    expect(is({ from: '2027-03-09', until: '2027-03-09' })).toBe('open')
    expect(is({ from: '2027-03-10' })).toBe('not on this day')
    expect(is({ until: '2027-03-08' })).toBe('not on this day')
    expect(is({ eligible: daysThat((each) => each === day) })).toBe('open')
    expect(is({ eligible: daysThat((each) => each !== day) })).toBe('not on this day')
  })
})
