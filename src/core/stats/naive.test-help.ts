import type { Drift, Measured } from './drift'
import type { Grouped } from './groups'

const sum = (values: readonly number[]): number => values.reduce((all, each) => all + each, 0)
const median = (values: readonly number[]): number => {
  const sorted = [...values].sort((a, b) => a - b)
  const [low, high] = [sorted[Math.ceil(sorted.length / 2) - 1], sorted[Math.floor(sorted.length / 2)]]
  return ((low as number) + (high as number)) / 2
}

/**
 * Mann–Kendall without its formula: the variance of the score over all orders of these very lengths, from what two and three of them drawn at random have in common. Pairs that share no
 * measurement have nothing in common; of the three pairs among three, one goes against the other two.
 *
 * @returns the drift, and how many standard deviations the score is from none
 */
export function driftNaively(measured: readonly Measured[]): { z: number; drift: Drift | null } {
  const sorted = [...measured].sort((a, b) => a.at - b.at)
  const n = sorted.length
  const pairs = sorted.flatMap((a, i) => sorted.slice(i + 1).map((b) => [a, b] as const))
  const lengths = sorted.map(({ length }) => length)
  const signs = lengths.flatMap((a, i) => lengths.flatMap((b, j) => (i === j ? [] : [Math.sign(b - a)])))
  const triples = lengths.flatMap((a, i) => {
    const others = lengths.flatMap((b, j) => (i === j ? [] : [Math.sign(b - a)]))
    return [sum(others) ** 2 - sum(others.map((each) => each ** 2))]
  })
  const alike = sum(triples) / (n * (n - 1) * (n - 2))
  const variance =
    ((n * (n - 1)) / 2) * (sum(signs.map((each) => each ** 2)) / signs.length) +
    2 * ((n * (n - 1) * (n - 2)) / 6) * alike
  const z = (Math.abs(sum(pairs.map(([a, b]) => Math.sign(b.length - a.length)))) - 1) / Math.sqrt(variance)
  const slopes = pairs.filter(([a, b]) => b.at > a.at).map(([a, b]) => (b.length - a.length) / (b.at - a.at))
  if (slopes.length === 0 || !(z >= 2.5758)) return { z, drift: null }
  const slope = median(slopes)
  const first = Math.min(...sorted.map(({ at }) => at))
  const span = Math.max(...sorted.map(({ at }) => at)) - first
  const begins = median(sorted.map(({ at, length }) => length - slope * (at - first)))
  const change = (slope * span) / begins
  return { z, drift: begins > 0 && Math.abs(change) >= 0.15 ? { change, span, count: n } : null }
}

/** Kruskal–Wallis as a share of variance: that of the mean ranks of the groups in that of all ranks, where equal lengths have the mean of their places. */
export function differenceNaively(measured: readonly Grouped[]): { z: number; share: number } {
  const ranked = measured.map(({ group, length }) => ({
    group,
    length,
    rank:
      measured.filter((other) => other.length < length).length +
      (measured.filter((other) => other.length === length).length + 1) / 2,
  }))
  const groups = [...new Set(measured.map(({ group }) => group))].map((name) =>
    ranked.filter(({ group }) => group === name),
  )
  const mean = (ranked.length + 1) / 2
  const all = sum(ranked.map(({ rank }) => (rank - mean) ** 2))
  const between = sum(
    groups.map((group) => group.length * (sum(group.map(({ rank }) => rank)) / group.length - mean) ** 2),
  )
  const freedom = groups.length - 1
  if (freedom < 1 || all === 0) return { z: -Infinity, share: 0 }
  const chi = ((ranked.length - 1) * between) / all
  const z = ((chi / freedom) ** (1 / 3) - (1 - 2 / (9 * freedom))) / Math.sqrt(2 / (9 * freedom))
  const medians = groups.map((group) => {
    const sorted = group.map(({ length }) => length).sort((a, b) => a - b)
    return sorted[Math.floor(sorted.length / 2)] as number
  })
  const isApart = Math.max(...medians) >= 1.25 * Math.min(...medians)
  return { z, share: z >= 3.0902 && isApart ? between / all : 0 }
}
