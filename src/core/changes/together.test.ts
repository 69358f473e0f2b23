import { seededRandom } from '../stats/random'
import { sharedCauses, sharedSlowness, type CommonKind, type EndedNear } from './together'

interface Job {
  readonly id: number
  readonly machine: string
  readonly system: string | null
  readonly account: string | null
}

/** A made-up hour of a night: jobs on machines, systems, accounts; some fail by chance, and all that the planted cause touches. */
function hourOf(seed: number, planted: CommonKind | null): { near: EndedNear[]; name: string | null } {
  const random = seededRandom(seed)
  const pick = (n: number): number => Math.floor(random() * n)
  const jobs: Job[] = Array.from({ length: 40 }, (_, id) => ({
    id,
    machine: `m${pick(8)}`,
    system: random() < 0.6 ? `s${pick(8)}` : null,
    account: random() < 0.6 ? `a${pick(8)}` : null,
  }))
  // One that several jobs have in common, and with which not all of another kind go.
  const name =
    planted === null
      ? null
      : (jobs
          .map((job) => job[planted])
          .find((each) => each !== null && jobs.filter((job) => job[planted] === each).length >= 3) as string)
  let runId = 0
  const near = jobs.flatMap((job) =>
    Array.from({ length: 1 + pick(3) }, () => ({
      runId: ++runId,
      jobId: job.id,
      wentWell: !(planted !== null && job[planted] === name) && random() >= 0.02,
      isSlow: false,
      says: '',
      common: { machine: job.machine, system: job.system, account: job.account },
    })),
  )
  return { near, name }
}

describe('jobs that fail together', () => {
  it('are told with what they have in common, where little else fails', () => {
    const run = (runId: number, wentWell: boolean, machine: string, jobId = runId): EndedNear => ({
      runId,
      jobId,
      wentWell,
      isSlow: false,
      says: '',
      common: { machine, system: null, account: null },
    })
    const elsewhere = Array.from({ length: 30 }, (_, i) => run(100 + i, true, 'b'))
    const here = [
      run(1, false, 'a'),
      run(2, false, 'a'),
      run(3, false, 'a', 2),
      run(4, true, 'a'),
      run(5, true, 'a', 4),
    ]
    expect(sharedCauses(1, [...here, ...elsewhere])).toEqual([
      { kind: 'machine', how: 'failed', name: 'a', runIds: [1, 3] },
    ])
    // One that went well has no cause to fail, one job alone shares none, and where all fails the machine is not why.
    expect(sharedCauses(4, [...here, ...elsewhere])).toEqual([])
    expect(sharedCauses(1, [run(1, false, 'a'), run(2, false, 'a', 1), ...elsewhere])).toEqual([])
    expect(sharedCauses(1, [...here, ...elsewhere.map((one) => ({ ...one, wentWell: false }))])).toEqual([])
    expect(sharedCauses(99, here)).toEqual([])
    // Where too little ran for numbers to tell, the same words do.
    const few = here.slice(0, 3).map((one) => ({ ...one, says: `write /srv/${one.runId}: no space left` }))
    expect(sharedCauses(1, here.slice(0, 3))).toEqual([])
    expect(sharedCauses(1, few)).toEqual([{ kind: 'machine', how: 'failed', name: 'a', runIds: [1, 3] }])
    expect(
      sharedCauses(
        1,
        few.map((one, i) => ({ ...one, says: i === 0 ? 'no such file' : one.says })),
      ),
    ).toEqual([])
  })

  it('with the same words are told however many others go on well there, unless they are said elsewhere, too', () => {
    const run = (runId: number, says: string, machine = 'a'): EndedNear => ({
      ...{ runId, jobId: runId, wentWell: says === '', isSlow: false, says },
      common: { machine, system: null, account: null },
    })
    const full = [1, 2, 3].map((id) => run(id, `write /srv/${id}: no space left`))
    const others = [run(4, 'Exit code 2'), ...Array.from({ length: 20 }, (_, i) => run(10 + i, '', i < 12 ? 'a' : 'b'))]
    expect(sharedCauses(2, [...full, ...others])).toEqual([
      { kind: 'machine', how: 'failed', name: 'a', runIds: [2, 1, 3] },
    ])
    expect(sharedCauses(4, [...full, ...others])).toEqual([])
    expect(sharedCauses(1, [...full.slice(0, 2), ...others])).toEqual([])
    expect(sharedCauses(1, [...full, ...others, run(50, 'write /srv/9: no space left', 'b')])).toEqual([])
  })

  it('or take long together, as far as they all belong to one machine or system', () => {
    const run = (runId: number, isSlow: boolean, system: string | null): EndedNear => ({
      ...{ runId, jobId: runId, wentWell: true, isSlow, says: '' },
      common: { machine: `m${runId % 7}`, system, account: 'a' },
    })
    const slow = [1, 2, 3, 4].map((id) => run(id, true, 'Ticket database'))
    const others = Array.from({ length: 30 }, (_, i) => run(100 + i, i === 7, i % 2 ? 'Fares' : null))
    expect(sharedSlowness(1, [...slow, ...others])).toEqual([
      { kind: 'system', how: 'slow', name: 'Ticket database', runIds: [1, 2, 3, 4] },
    ])
    // One that took as long as ever is told nothing of it, and where all take long it is not the system.
    expect(sharedSlowness(101, [...slow, ...others])).toEqual([])
    expect(sharedSlowness(1, [...slow, ...others.map((one) => ({ ...one, isSlow: true }))])).toEqual([])
    expect(sharedCauses(1, [...slow, ...others])).toEqual([])
  })

  it('of 60 made-up hours with one planted cause, nine in ten name it first; without a cause hardly any name one', () => {
    const kinds: CommonKind[] = ['machine', 'system', 'account']
    let [asked, right] = [0, 0]
    for (let seed = 1; seed <= 60; seed++) {
      const kind = kinds[seed % 3] as CommonKind
      const { near, name } = hourOf(seed, kind)
      const failed = near.filter(({ wentWell, common }) => !wentWell && common[kind] === name)
      for (const { runId } of failed) {
        asked++
        const [first] = sharedCauses(runId, near)
        if (first?.kind === kind && first.name === name) right++
      }
    }
    expect(asked).toBeGreaterThan(200)
    expect(right / asked).toBeGreaterThanOrEqual(0.9)
    let [failures, named] = [0, 0]
    for (let seed = 1; seed <= 60; seed++) {
      const { near } = hourOf(1000 + seed, null)
      for (const { runId, wentWell } of near) {
        if (wentWell) continue
        failures++
        if (sharedCauses(runId, near).length > 0) named++
      }
    }
    expect(failures).toBeGreaterThan(40)
    expect(named / failures).toBeLessThan(0.05)
  })
})
