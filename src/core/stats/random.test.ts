import { logNormal, seededRandom, seedOf } from './random'

const draws = (seed: number, n: number): number[] => {
  const random = seededRandom(seed)
  return Array.from({ length: n }, () => random())
}

describe('seeded numbers', () => {
  it('are the same for the same seed, on every machine', () => {
    expect(draws(20_270_309, 3)).toEqual(draws(20_270_309, 3))
    expect(draws(1, 2)).not.toEqual(draws(2, 2))
  })

  it('are uniform: each tenth has its share, within five deviations', () => {
    const n = 100_000
    const tenths = new Array<number>(10).fill(0)
    for (const x of draws(7, n)) tenths[Math.floor(x * 10)]!++
    const deviation = Math.sqrt(n * 0.1 * 0.9)
    for (const count of tenths) expect(Math.abs(count - n / 10)).toBeLessThan(5 * deviation)
  })

  it('do not follow each other: no correlation with the next', () => {
    const xs = draws(3, 50_000).map((x) => x - 0.5)
    const mean = (values: number[]): number => values.reduce((a, b) => a + b, 0) / values.length
    const correlation = mean(xs.slice(1).map((x, i) => x * (xs[i] as number))) / mean(xs.map((x) => x * x))
    expect(Math.abs(correlation)).toBeLessThan(0.025)
  })

  it('seeds from words tell words and their order apart', () => {
    expect(seedOf('till', 4, 'orrin')).toBe(seedOf('till', 4, 'orrin'))
    const seeds = [seedOf('a', 'b'), seedOf('b', 'a'), seedOf('ab'), seedOf('a', 'b', ''), seedOf()]
    expect(new Set(seeds).size).toBe(seeds.length)
  })

  it('log-normal lengths have the median and the spread asked for', () => {
    const random = seededRandom(5)
    const logs = Array.from({ length: 20_000 }, () => Math.log(logNormal(random, 60, 0.4) / 60)).sort((a, b) => a - b)
    expect(Math.abs(logs[10_000] as number)).toBeLessThan(0.02)
    const variance = logs.reduce((sum, x) => sum + x * x, 0) / logs.length
    expect(Math.abs(Math.sqrt(variance) - 0.4)).toBeLessThan(0.02)
  })
})
