import { logNormal, seededRandom, seedOf } from '@/core/stats/random'
import { JOBS, type Behaviour } from './scenario'
import { YARD_JOBS } from './yard-scenario'

export interface Performance {
  readonly seconds: number
  readonly fails: boolean
  /** Share of the length at which each line comes, and the line. */
  readonly lines: readonly { readonly at: number; readonly stream: 'o' | 'e'; readonly text: string }[]
}

const byTitle = new Map([...JOBS, ...YARD_JOBS].map(({ title, behaviour }) => [title, behaviour]))
const FALLBACK: Behaviour = { seconds: 5, spread: 0.2, fails: 0, failLine: '', failExit: 1, lines: ['done'] }

export function behaviourOf(title: string): Behaviour {
  return byTitle.get(title) ?? FALLBACK
}

/** How one try of a job goes: the same for the same words, whoever asks. `weeks` is how far the drift has come. */
export function perform(title: string, seedWords: readonly (string | number)[], weeks: number): Performance {
  const behaviour = behaviourOf(title)
  const random = seededRandom(seedOf(title, ...seedWords))
  const fails = random() < behaviour.fails
  const full = logNormal(random, behaviour.seconds, behaviour.spread) * (1 + (behaviour.driftPerWeek ?? 0) * weeks)
  const numbers = { n: 200 + Math.floor(random() * 900), m: 2 + Math.floor(random() * 60) }
  // Mostly the same.
  const rare = random() < 0.2 ? 54 : 53
  const said = behaviour.lines.map((line) =>
    line.replace('{n}', String(numbers.n)).replace('{m}', String(numbers.m)).replace('{rare}', String(rare)),
  )
  const texts = fails ? said.slice(0, -1) : said
  const lines = texts.map((text, i) => ({ at: (i + 0.3) / (texts.length + 0.5), stream: 'o' as const, text }))
  return {
    seconds: Math.max(1, Math.round(fails ? Math.min(full, 12 + full * 0.3) : full)),
    fails,
    lines: fails ? [...lines, { at: 0.97, stream: 'e', text: behaviour.failLine }] : lines,
  }
}
