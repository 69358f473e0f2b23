/** Jobs that fail, or take long, together: what they have in common, as far as numbers tell; never more than a suspicion. */

/** What jobs have in common when they fail together. */
const COMMON = ['machine', 'system', 'account'] as const
export type CommonKind = (typeof COMMON)[number]

/** A run that ended within an hour of the one that is looked at, that one among them. */
export interface EndedNear {
  readonly runId: number
  readonly jobId: number
  readonly wentWell: boolean
  /** It took much longer than its job usually does (`isMuchLonger`). */
  readonly isSlow: boolean
  /** The line of its output that tells most; of what went well nothing. */
  readonly says: string
  /** By name; null: it had none. */
  readonly common: Readonly<Record<CommonKind, string | null>>
}

export interface SharedCause {
  readonly kind: CommonKind
  /** What happened to all of them. */
  readonly how: 'failed' | 'slow'
  readonly name: string
  /** The newest failure of each job that failed there, that of the run itself first. */
  readonly runIds: readonly number[]
}

/** Fewer jobs than these fail together by chance. */
const LEAST_JOBS = 2
/** Of the jobs that ran there so many must have failed. */
const LEAST_SHARE = 0.5
/** So improbable must it be that as many fail there if they fail no oftener than elsewhere. */
const BY_CHANCE = 0.002

/** The probability that of `n` at least `k` happen, each with the probability `p` (binomial). */
function atLeast(k: number, n: number, p: number): number {
  let [exactly, below] = [(1 - p) ** n, 0]
  for (let i = 0; i < k; i++) {
    below += exactly
    exactly *= ((n - i) / (i + 1)) * (p / (1 - p))
  }
  return Math.max(0, 1 - below)
}

const jobsOf = (runs: readonly EndedNear[]): Set<number> => new Set(runs.map(({ jobId }) => jobId))

/** So many jobs that fail in one place with the same words, and none elsewhere, have one cause, however many need nothing of it and go on well: a full disk stops only those that write. */
const LEAST_SAYING = 3

/** What it ends with, numbers aside. */
const wordsOf = ({ says }: EndedNear): string => says.replaceAll(/\d+/g, '0').trim()

/** Whether these runs, of several jobs, all end with the same words: numbers aside. Then it is hardly by chance. */
function sayTheSame(near: readonly EndedNear[], runIds: Iterable<number>): boolean {
  const ids = new Set(runIds)
  const said = near.filter(({ runId }) => ids.has(runId)).map(wordsOf)
  return said[0] !== undefined && said[0] !== '' && said.every((line) => line === said[0])
}

/** Machines, systems and accounts with which, within the hour, most jobs failed that ran, and several, though elsewhere most went well. The strongest first. */
export const sharedCauses = (runId: number, near: readonly EndedNear[]): SharedCause[] =>
  sharedBy(runId, near, 'failed', COMMON, ({ wentWell }) => !wentWell)

/** Machines and systems on which, within the hour, most jobs took much longer than usual, and several, though elsewhere most did not. The strongest first. */
export const sharedSlowness = (runId: number, near: readonly EndedNear[]): SharedCause[] =>
  sharedBy(runId, near, 'slow', ['machine', 'system'], ({ isSlow }) => isSlow)

function sharedBy(
  runId: number,
  near: readonly EndedNear[],
  how: SharedCause['how'],
  kinds: readonly CommonKind[],
  isBad: (run: EndedNear) => boolean,
): SharedCause[] {
  const own = near.find((one) => one.runId === runId)
  if (!own || !isBad(own)) return []
  const found: (SharedCause & { readonly jobs: number; readonly share: number })[] = []
  for (const kind of kinds) {
    const name = own.common[kind]
    if (name === null) continue
    // By jobs, not by runs: one that runs every minute and needs little goes on well where others fail.
    const here = near.filter(({ common }) => common[kind] === name)
    const there = near.filter(({ common }) => common[kind] !== name)
    const newest = new Map(here.filter(isBad).map((one) => [one.jobId, one.runId]))
    const share = newest.size / jobsOf(here).size
    // How often it happens to a job elsewhere, smoothed (Jeffreys), for of few nothing is known for sure.
    const elsewhere = (jobsOf(there.filter(isBad)).size + 0.5) / (jobsOf(there).size + 1)
    if (newest.size < LEAST_JOBS) continue
    const isByChance = atLeast(newest.size, jobsOf(here).size, elsewhere) > BY_CHANCE
    if (share < LEAST_SHARE || (isByChance && !(how === 'failed' && sayTheSame(here, newest.values())))) {
      const likeOwn = (one: EndedNear): boolean => isBad(one) && wordsOf(one) === wordsOf(own)
      const saying = jobsOf(here.filter(likeOwn))
      // What it says tells why it failed, not why it took long.
      if (how === 'slow' || wordsOf(own) === '' || saying.size < LEAST_SAYING || there.some(likeOwn)) continue
      for (const jobId of newest.keys()) if (!saying.has(jobId)) newest.delete(jobId)
    }
    newest.delete(own.jobId)
    found.push({ kind, how, name, runIds: [runId, ...newest.values()], jobs: newest.size + 1, share })
  }
  found.sort((a, b) => b.jobs * b.share - a.jobs * a.share || COMMON.indexOf(a.kind) - COMMON.indexOf(b.kind))
  return found.map(({ jobs: _, share: _share, ...cause }) => cause)
}
