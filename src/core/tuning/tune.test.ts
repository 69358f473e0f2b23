import fc from 'fast-check'
import { checkBundle } from '../bundle/check'
import { FORMAT, type Bundle } from '../bundle/schema'
import { timeOfDay } from '../calendar/days'
import { loadSolver } from './highs'
import type { Solver } from './milp'
import { everyMove, naiveMeasure, type Naive } from './naive.test-help'
import { tune, type Proposal } from './tune'

/** 2027-03-27 at noon in UTC: the clocks of London go forward in the night after. */
const FROM = Date.parse('2027-03-27T12:00:00Z') / 1000
const HOURS = 24
const GRID = 1800

const night = fc.record({
  jobs: fc.array(
    fc.record({
      pool: fc.integer({ min: 0, max: 1 }),
      slots: fc.integer({ min: 1, max: 2 }),
      minutes: fc.integer({ min: 1, max: 100 }),
    }),
    { minLength: 4, maxLength: 4 },
  ),
  triggers: fc.array(
    fc.record({
      jobs: fc.array(fc.integer({ min: 0, max: 3 }), { minLength: 1, maxLength: 3 }),
      at: fc.integer({ min: 0, max: 47 }),
      second: fc.constantFrom(0, 0, 20),
      earlier: fc.integer({ min: 0, max: 3 }),
      later: fc.integer({ min: 0, max: 3 }),
      hasWindow: fc.boolean(),
      due: fc.option(fc.integer({ min: 1, max: 4 })),
    }),
    { minLength: 2, maxLength: 4 },
  ),
  slots: fc.tuple(fc.integer({ min: 1, max: 3 }), fc.integer({ min: 1, max: 3 })),
})

const bundles: fc.Arbitrary<Bundle> = night.map(({ jobs, triggers, slots }) => {
  const minute = (at: number): number => Math.max(0, Math.min(1439, at))
  const made = {
    format: FORMAT,
    zone: 'Europe/London',
    pools: [0, 1].map((n) => ({ id: `pool${n}`, slots: slots[n] as number })),
    jobs: jobs.map(({ pool, slots: each, minutes }, n) => ({
      id: `job${n}`,
      pool: `pool${pool}`,
      slots: each,
      expect: `PT${minutes}M`,
    })),
    flows: triggers.map((trigger, n) => ({
      id: `flow${n}`,
      steps: trigger.jobs.map((job, k) => ({
        id: `step${k}`,
        job: `job${job}`,
        after: k === 0 ? [] : [{ step: `step${k - 1}` }],
      })),
    })),
    triggers: triggers.map(({ at, second, earlier, later, hasWindow, due }, n) => ({
      id: `trigger${n}`,
      start: { flow: `flow${n}` },
      time: { at: [timeOfDay(at * 1800 + second)] },
      ...(hasWindow
        ? {
            window: {
              earliest: timeOfDay(minute(at * 30 - earlier * 30) * 60),
              latest: timeOfDay(minute(at * 30 + later * 30 + 1) * 60),
            },
          }
        : {}),
      ...(due === null ? {} : { finishBy: timeOfDay((at * 1800 + due * 1500) % 86_400) }),
    })),
  }
  const checked = checkBundle(made)
  if (!checked.ok) throw new Error(JSON.stringify(checked.faults))
  return checked.bundle
})

let solve: Solver
beforeAll(async () => {
  solve = await loadSolver()
})

let ticks = 0
/** Time that goes on by being looked at: the same on every machine. */
const clock = (): number => ++ticks
const tuned = (bundle: Bundle, more: { only?: string[]; keep?: string[] } = {}): Proposal =>
  tune(
    bundle,
    FROM,
    HOURS,
    { grid: GRID, only: more.only ? new Set(more.only) : null, keep: new Set(more.keep) },
    { milliseconds: 400, clock, solve: (program, _, start) => solve(program, 5, start) },
  )

const withMoves = (bundle: Bundle, moves: Proposal['moves']): Bundle => ({
  ...bundle,
  triggers: bundle.triggers.map((trigger) => {
    const move = moves.find((each) => each.trigger === trigger.id)
    return move ? { ...trigger, time: { at: [move.to] } } : trigger
  }),
})
const compare = (a: Naive, b: Naive): number =>
  a.late - b.late || a.strain - b.strain || (Math.abs(a.relative - b.relative) < 1e-9 ? 0 : a.relative - b.relative)

describe('tuning', () => {
  it('finds the best of all moves, proves it, and says before, after and bound as a naive count does', () => {
    fc.assert(
      fc.property(bundles, (bundle) => {
        const proposal = tuned(bundle)
        const movable = bundle.triggers.filter(({ window }) => window !== undefined).map(({ id }) => id)
        const now = naiveMeasure(bundle, FROM, HOURS)
        expect(proposal.before).toMatchObject({ late: now.late, strain: now.strain, peaks: now.peaks })
        expect(proposal.before.relative).toBeCloseTo(now.relative, 9)
        let best = now
        for (const each of everyMove(bundle, FROM, HOURS, GRID, movable)) {
          const measure = naiveMeasure(each, FROM, HOURS)
          if (compare(measure, best) < 0) best = measure
        }
        // No answer is better than the bound, whatever is offered.
        const { bound } = proposal
        expect(compare({ ...bound, peaks: {} }, best)).toBeLessThanOrEqual(0)
        if (proposal.withheld !== undefined) {
          expect(proposal).toMatchObject({ moves: [], after: proposal.before, proven: false })
          return
        }
        const after = naiveMeasure(withMoves(bundle, proposal.moves), FROM, HOURS)
        expect(proposal.after).toMatchObject({ late: after.late, strain: after.strain, peaks: after.peaks })
        expect(compare(after, best)).toBe(0)
        expect(proposal.proven).toBe(true)
        expect(proposal.forecast.after.late).toBeLessThanOrEqual(proposal.forecast.before.late)
      }),
      { numRuns: 25 },
    )
  }, 60_000)

  it('makes no move that could be taken back without loss, and none that is not asked for', () => {
    fc.assert(
      fc.property(bundles, fc.subarray(['trigger0', 'trigger1', 'trigger2']), (bundle, keep) => {
        const known = keep.filter((id) => bundle.triggers.some((trigger) => trigger.id === id))
        const { moves, after, withheld } = tuned(bundle, { keep: known })
        if (withheld !== undefined) return
        for (const { trigger, from, to, minutes } of moves) {
          expect(known).not.toContain(trigger)
          expect(to).not.toBe(from)
          expect(Math.abs(minutes * 60) % GRID).toBe(0)
          const without = withMoves(
            bundle,
            moves.filter((move) => move.trigger !== trigger),
          )
          expect(compare(naiveMeasure(without, FROM, HOURS), { ...after })).toBeGreaterThan(0)
        }
        expect(moves.map(({ trigger }) => trigger)).toEqual(moves.map(({ trigger }) => trigger).sort())
        expect(tuned(bundle, { only: [] }).moves).toEqual([])
      }),
      { numRuns: 15 },
    )
  }, 60_000)
})
