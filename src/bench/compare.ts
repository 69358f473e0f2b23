import { compareLines } from '@/core/compare/lines'
import { masking, MASKS } from '@/core/compare/masks'
import { seededRandom } from '@/core/stats/random'

/** Comparing two outputs of 200,000 lines each, beside only splitting and hashing the same lines. */
const LINES = 200_000

const random = seededRandom(20_270_309)
const line = (i: number): string =>
  `2027-03-09T02:00:${String(i % 60).padStart(2, '0')}Z row ${i} of berth ${Math.floor(random() * 5000)} took ${i % 900} ms`
const before = Array.from({ length: LINES }, (_, i) => line(i))

const CASES: Readonly<Record<string, () => string[]>> = {
  'one line differs': () => before.map((text, i) => (i === LINES / 2 ? 'another' : text)),
  'one in fifty differs': () => before.map((text, i) => (i % 50 === 0 ? `${text} again` : text)),
  'every second differs': () => before.map((text, i) => (i % 2 === 0 ? `${text} again` : text)),
  'a third was moved to the end': () => [...before.slice(LINES / 3), ...before.slice(0, LINES / 3)],
  'nothing is the same': () => before.map((text) => `- ${text}`),
  'few different lines, shuffled': () => before.map(() => `state ${Math.floor(random() * 20)}`),
}

const timed = (work: () => unknown): number => {
  const begun = performance.now()
  work()
  return performance.now() - begun
}
const mask = masking(MASKS)
for (const [name, make] of Object.entries(CASES)) {
  const after = make()
  const from = name.startsWith('few') ? before.map((_, i) => `state ${(i * 7) % 20}`) : before
  const bare = timed(() => new Set([...from, ...after]))
  const all = timed(() => compareLines(from.map(mask), after.map(mask)))
  console.log(
    `${name.padEnd(34)} ${Math.round(all)} ms, ${(all / bare).toFixed(1)} times what a set of all lines takes`,
  )
}
