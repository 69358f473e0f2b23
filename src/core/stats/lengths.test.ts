import fc from 'fast-check'
import { learn, LEARNING, type EndedRun } from './lengths'

const DAY = 86_400
const NOW = 200 * DAY
const run = (daysAgo: number, seconds: number, more: Partial<EndedRun> = {}): EndedRun => ({
  at: NOW - daysAgo * DAY,
  seconds,
  succeeded: true,
  attempts: 1,
  ...more,
})
const median = (values: readonly number[]): number => values[values.length >> 1] as number

describe('what is learned from runs', () => {
  it('is their distribution: as many quantiles, each a length that was', () => {
    const lengths = fc.array(fc.integer({ min: 1, max: 5000 }), { minLength: 1, maxLength: 60 })
    fc.assert(
      fc.property(lengths, (seconds) => {
        // All at once: none counts more.
        const { samples, count } = learn(
          seconds.map((each) => run(1, each)),
          NOW,
        )
        expect(count).toBe(seconds.length)
        expect(samples).toEqual([...samples].sort((a, b) => a - b))
        for (const each of samples) expect(seconds).toContain(each)
        if (seconds.length >= LEARNING.least) expect([...samples]).toEqual([...seconds].sort((a, b) => a - b))
      }),
    )
  })

  it('counts what is newer more: half as much after a half-life', () => {
    const older = Array.from({ length: 20 }, () => run(28, 100))
    const newer = Array.from({ length: 10 }, () => run(0, 300))
    const { samples } = learn([...older, ...newer], NOW, { ...LEARNING, drifts: false })
    // 20 at a quarter against 10 at one.
    expect(samples.filter((each) => each === 300).length / samples.length).toBeCloseTo(2 / 3, 1)
    const even = learn([...older, ...newer], NOW, { ...LEARNING, drifts: false, halfLifeDays: 1e9 })
    expect(even.samples.filter((each) => each === 300).length / even.samples.length).toBeCloseTo(1 / 3, 1)
  })

  it('carries a trend on, and leaves an outlier in the tail', () => {
    const growing = Array.from({ length: 40 }, (_, i) => run(40 - i, 100 + 5 * i))
    const { samples, drift } = learn(growing, NOW)
    expect(drift).toBeGreaterThan(1)
    expect(median(samples)).toBeGreaterThan(280)
    expect(median(samples)).toBeLessThan(320)
    const steady = [...Array.from({ length: 40 }, (_, i) => run(i, 100)), run(3, 9000)]
    const learned = learn(steady, NOW)
    expect(learned.drift).toBe(0)
    expect(median(learned.samples)).toBe(100)
    expect(Math.max(...learned.samples)).toBe(9000)
  })

  it('knows nothing of what came later, and how often tries fail', () => {
    const runs = [run(2, 50, { attempts: 3 }), run(1, 60, { succeeded: false, attempts: 2 }), run(-1, 999)]
    const { samples, fails, count } = learn(runs, NOW)
    expect(count).toBe(1)
    expect(new Set(samples)).toEqual(new Set([50]))
    // Four of five tries failed.
    expect(fails).toBeCloseTo(4.5 / 6)
    expect(learn(runs, NOW, { ...LEARNING, prior: 0.02 }).fails).toBeCloseTo(4.02 / 6)
    expect(learn([], NOW)).toEqual({ samples: [], fails: 0.5, count: 0, drift: 0, byChoice: null })
  })

  it('tells lengths apart by the choice that makes a difference, and only by that', () => {
    const runs = Array.from({ length: 60 }, (_, i) => {
      const [harbour, way] = [i % 3 === 0 ? 'kelda' : 'orrin', i % 2 === 0 ? 'fast' : 'slow']
      return run(i / 4, (harbour === 'kelda' ? 600 : 60) + (i % 7), { choices: { harbour, way } })
    })
    const { byChoice, samples } = learn(runs, NOW)
    expect(byChoice?.input).toBe('harbour')
    expect(median(byChoice?.samples.kelda ?? [])).toBeGreaterThan(595)
    expect(median(byChoice?.samples.orrin ?? [])).toBeLessThan(70)
    expect(median(samples)).toBeLessThan(70)
    // One of a value that ran too seldom stays with all others.
    const seldom = learn([...runs, run(1, 3000, { choices: { harbour: 'brack', way: 'fast' } })], NOW)
    expect(Object.keys(seldom.byChoice?.samples ?? {}).sort()).toEqual(['kelda', 'orrin'])
    expect(
      learn(
        runs.map(({ choices: _, ...rest }) => rest),
        NOW,
      ).byChoice,
    ).toBeNull()
    expect(
      learn(
        runs.map((each) => ({ ...each, choices: { way: each.choices?.way ?? '' } })),
        NOW,
      ).byChoice,
    ).toBeNull()
  })
})
