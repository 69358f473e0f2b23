/** What may explain that a run did not go well, as far as the record tells; never more than a suspicion. */

/** Kinds of what changed, those that explain most first. */
const KINDS = [
  'definition',
  'account',
  'system',
  'shared value',
  'input',
  'environment',
  'machine',
  'agent',
  'lock',
  'pool',
  'trigger',
  'calendar',
] as const
export type ChangeKind = (typeof KINDS)[number]

export interface Change {
  readonly kind: ChangeKind
  /** One sentence. */
  readonly says: string
  /** When it was made, milliseconds; null: it is no act of anybody, the two runs differ in it. */
  readonly atMs: number | null
  readonly by: string | null
  /** Where it can be looked at. */
  readonly object: { readonly type: string; readonly id: number } | null
}

/**
 * The likeliest first: what was made after the last good run began and before the first bad one did, and what differs between the runs, before all else; then by kind; then the nearest to the
 * first failure.
 */
export function inOrder(
  changes: readonly Change[],
  { goodMs, firstBadMs }: { readonly goodMs: number; readonly firstBadMs: number },
): Change[] {
  const isBetween = ({ atMs }: Change): boolean => atMs === null || (atMs > goodMs && atMs <= firstBadMs)
  const nearness = ({ atMs }: Change): number => (atMs === null ? 0 : Math.abs(firstBadMs - atMs))
  return [...changes].sort(
    (a, b) =>
      Number(isBetween(b)) - Number(isBetween(a)) ||
      KINDS.indexOf(a.kind) - KINDS.indexOf(b.kind) ||
      nearness(a) - nearness(b),
  )
}

/** What jobs have in common when they fail together. */
const COMMON = ['machine', 'system', 'account'] as const
export type CommonKind = (typeof COMMON)[number]

/** A run that ended within an hour of the one that is looked at, that one among them. */
export interface EndedNear {
  readonly runId: number
  readonly jobId: number
  readonly wentWell: boolean
  /** The line of its output that tells most; of what went well nothing. */
  readonly says: string
  /** By name; null: it had none. */
  readonly common: Readonly<Record<CommonKind, string | null>>
}

export interface SharedCause {
  readonly kind: CommonKind
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

/** Whether these runs, of several jobs, all end with the same words: numbers aside. Then it is hardly by chance. */
function sayTheSame(near: readonly EndedNear[], runIds: Iterable<number>): boolean {
  const ids = new Set(runIds)
  const said = near.filter(({ runId }) => ids.has(runId)).map(({ says }) => says.replaceAll(/\d+/g, '0').trim())
  return said[0] !== undefined && said[0] !== '' && said.every((line) => line === said[0])
}

/** Machines, systems and accounts with which, within the hour, most jobs failed that ran, and several, though elsewhere most went well. The strongest first. */
export function sharedCauses(runId: number, near: readonly EndedNear[]): SharedCause[] {
  const own = near.find((one) => one.runId === runId)
  if (!own || own.wentWell) return []
  const found: (SharedCause & { readonly jobs: number; readonly share: number })[] = []
  for (const kind of COMMON) {
    const name = own.common[kind]
    if (name === null) continue
    // By jobs, not by runs: one that runs every minute and needs little goes on well where others fail.
    const here = near.filter(({ common }) => common[kind] === name)
    const there = near.filter(({ common }) => common[kind] !== name)
    const newest = new Map(here.filter(({ wentWell }) => !wentWell).map((one) => [one.jobId, one.runId]))
    const share = newest.size / jobsOf(here).size
    // How often a job fails elsewhere, smoothed (Jeffreys), for of few nothing is known for sure.
    const elsewhere = (jobsOf(there.filter(({ wentWell }) => !wentWell)).size + 0.5) / (jobsOf(there).size + 1)
    if (newest.size < LEAST_JOBS || share < LEAST_SHARE) continue
    const isByChance = atLeast(newest.size, jobsOf(here).size, elsewhere) > BY_CHANCE
    if (isByChance && !sayTheSame(here, newest.values())) continue
    newest.delete(own.jobId)
    found.push({ kind, name, runIds: [runId, ...newest.values()], jobs: newest.size + 1, share })
  }
  found.sort((a, b) => b.jobs * b.share - a.jobs * a.share || COMMON.indexOf(a.kind) - COMMON.indexOf(b.kind))
  return found.map(({ jobs: _, share: _share, ...cause }) => cause)
}
