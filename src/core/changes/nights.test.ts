import { seededRandom } from '../stats/random'
import { fileChanges, isMuchLonger, timeChanges } from './differences'
import { inOrder, type Change, type ChangeKind } from './since-good'
import { sharedCauses, sharedSlowness, type EndedNear } from './together'

const CAUSES = [
  'changed definition',
  'full disk',
  'new secret',
  'slower database',
  'missing file',
  'fewer units',
] as const
type Cause = (typeof CAUSES)[number]

const HOUR = 3_600_000
const GOOD = 0
const BAD = 24 * HOUR

/** What a page says first of a run: what it has in common with others, else what changed since it last went well. */
interface Told {
  readonly cause: Cause | null
  readonly first: string
}

/** What programs end with that fail by chance; some say nothing. */
const SAID = [
  '',
  'gave up after an unexpected answer',
  'connection reset by peer',
  'assertion failed',
  'row 17 has no date',
]
const NOISE: readonly ChangeKind[] = ['pool', 'trigger', 'calendar']

/** A made-up night: jobs on machines, databases and with accounts, some fail or take long by chance, people change this and that, and one cause is planted. What each run that it touches is told of. */
function nightOf(seed: number, cause: Cause | null): Told[] {
  const random = seededRandom(seed)
  const pick = (n: number): number => Math.floor(random() * n)
  const jobs = Array.from({ length: 40 }, (_, id) => ({
    id,
    machine: `m${pick(8)}`,
    system: random() < 0.7 ? `db${pick(6)}` : null,
    account: random() < 0.6 ? `a${pick(6)}` : null,
    lock: random() < 0.3 ? `l${pick(3)}` : null,
    usualMs: 60_000 + pick(600_000),
  }))
  /** With several jobs, as what goes wrong at night has. */
  const shared = (of: 'machine' | 'system' | 'account' | 'lock'): string =>
    jobs
      .map((job) => job[of])
      .find((name) => name !== null && jobs.filter((job) => job[of] === name).length >= 3) as string
  const where = {
    'full disk': shared('machine'),
    'new secret': shared('account'),
    'slower database': shared('system'),
    'fewer units': shared('lock'),
  } as const
  const one = jobs[pick(jobs.length)] as (typeof jobs)[number]
  const isHit = (job: (typeof jobs)[number]): boolean =>
    cause === 'full disk'
      ? job.machine === where['full disk']
      : cause === 'new secret'
        ? job.account === where['new secret']
        : cause === 'slower database'
          ? job.system === where['slower database']
          : cause === 'fewer units'
            ? job.lock === where['fewer units']
            : cause !== null && job.id === one.id
  const runs = jobs.map((job) => {
    const byChance = random() < 0.02
    const tookMs = job.usualMs * (0.8 + random() * 0.5) * (isHit(job) && cause === 'slower database' ? 3 + random() : 1)
    return {
      job,
      runId: job.id + 1,
      tookMs,
      waitedMs: isHit(job) && cause === 'fewer units' ? 600_000 + pick(HOUR) : pick(20_000),
      failed: byChance || (isHit(job) && cause !== 'slower database' && cause !== 'fewer units'),
      says:
        isHit(job) && cause === 'full disk'
          ? `write /srv/out/${pick(99)}: no space left on device`
          : isHit(job) && cause === 'missing file'
            ? `cat: /srv/in/day-${pick(99)}.csv: No such file or directory`
            : byChance
              ? (SAID[pick(SAID.length)] as string)
              : '',
    }
  })
  const near = runs.map(({ job, runId, failed, tookMs, says }): EndedNear => ({
    runId,
    jobId: job.id,
    wentWell: !failed,
    isSlow: isMuchLonger(tookMs, job.usualMs),
    says,
    common: { machine: job.machine, system: job.system, account: job.account },
  }))
  const act = (kind: ChangeKind, says: string, atMs: number): Change => ({
    kind,
    says,
    atMs,
    by: 'Torvald Brekke',
    object: null,
  })
  return runs
    .filter(
      ({ job, failed, tookMs, waitedMs }) => failed || (isHit(job) && (waitedMs > 60_000 || tookMs > job.usualMs)),
    )
    .map(({ job, runId, tookMs, waitedMs, failed, says }) => {
      const changes: Change[] = [
        // People change this and that of what a run touches, and nothing comes of it.
        ...Array.from({ length: pick(4) }, () => act(NOISE[pick(3)] as ChangeKind, 'noise', GOOD + random() * BAD)),
        // What was changed before it last went well, or after it failed, explains nothing.
        ...(random() < 0.3 ? [act('definition', 'noise', random() < 0.5 ? GOOD - HOUR : BAD + HOUR)] : []),
        ...(isHit(job) && cause === 'changed definition'
          ? [act('definition', cause, BAD - (1 + pick(12)) * HOUR)]
          : []),
        ...(isHit(job) && cause === 'new secret' ? [act('account', cause, BAD - (1 + pick(12)) * HOUR)] : []),
        ...(isHit(job) && cause === 'fewer units' ? [act('lock', cause, BAD - (1 + pick(12)) * HOUR)] : []),
        ...fileChanges(failed ? says : ''),
        ...timeChanges(
          [{ path: '', title: '', tookMs: job.usualMs, waitedMs: 5_000 }],
          [{ path: '', title: '', tookMs: failed ? null : tookMs, waitedMs }],
          () => 'It',
        ),
      ]
      const [together] = [...sharedCauses(runId, near), ...sharedSlowness(runId, near)]
      const [change] = inOrder(changes, { goodMs: GOOD, firstBadMs: BAD })
      const first = together ? `${together.how} ${together.kind} ${together.name}` : (change?.says ?? '')
      return { cause: isHit(job) ? cause : null, first }
    })
}

const isNamed = ({ cause, first }: Told): boolean =>
  cause === 'full disk'
    ? first.startsWith('failed machine ')
    : cause === 'slower database'
      ? first.startsWith('slow system ')
      : cause === 'new secret'
        ? first === cause || first.startsWith('failed account ')
        : cause === 'missing file'
          ? first.includes('is not there')
          : first === cause

it.each(CAUSES)('of ten nights with a %s, runs that it touched are told of it first', (cause) => {
  const told = Array.from({ length: 10 }, (_, i) => nightOf(100 * (1 + CAUSES.indexOf(cause)) + i, cause))
    .flat()
    .filter((one) => one.cause !== null)
  expect(told.length).toBeGreaterThanOrEqual(10)
  const wrong = told.filter((one) => !isNamed(one)).map(({ first }) => first)
  expect([wrong.length <= told.length / 10, wrong]).toEqual([true, wrong])
})

it('of sixty nights without a cause hardly a failure names one that it shares', () => {
  const told = Array.from({ length: 60 }, (_, i) => nightOf(5000 + i, null)).flat()
  const named = told.filter(({ first }) => /^(failed|slow) /.test(first))
  expect(told.length).toBeGreaterThan(30)
  expect(named.length).toBeLessThanOrEqual(told.length / 20)
})
