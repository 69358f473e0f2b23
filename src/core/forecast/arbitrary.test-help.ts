import fc from 'fast-check'
import { checkBundle } from '../bundle/check'
import { FORMAT, type Bundle } from '../bundle/schema'
import { timeOfDay } from '../calendar/days'
import { isoInstant } from '../timing/instants'

/** 2027-03-09, midnight in UTC. */
export const FROM = 1_804_550_400

const id = (kind: string, n: number): string => `${kind}${n}`

const job = fc.record({
  pool: fc.integer({ min: 0, max: 2 }),
  slots: fc.integer({ min: 1, max: 3 }),
  seconds: fc.integer({ min: 1, max: 60 }),
  lock: fc.integer({ min: 0, max: 4 }),
  units: fc.integer({ min: 1, max: 2 }),
  fails: fc.constantFrom(undefined, 0.3),
})
const step = fc.record({
  job: fc.integer({ min: 0, max: 5 }),
  inner: fc.boolean(),
  after: fc.array(
    fc.record({ back: fc.integer({ min: 1, max: 3 }), when: fc.constantFrom('succeeded', 'ended', 'failed') }),
    {
      maxLength: 2,
    },
  ),
  join: fc.constantFrom('all', 'any'),
  gate: fc.constantFrom(undefined, undefined, undefined, 'open', 'closed'),
  route: fc.constantFrom('fail', 'carryOn'),
})
const trigger = fc.record({
  flow: fc.boolean(),
  what: fc.integer({ min: 0, max: 5 }),
  times: fc.uniqueArray(fc.integer({ min: 0, max: 240 }), { minLength: 1, maxLength: 4 }),
  overlap: fc.constantFrom('wait', 'wait', 'skip', 'start', 'replace'),
  waitMost: fc.constantFrom(undefined, undefined, 1),
  finishBy: fc.option(fc.integer({ min: 60, max: 400 })),
  priority: fc.constantFrom(undefined, undefined, 'urgent', 'low'),
})
const agent = fc.record({
  slots: fc.integer({ min: 1, max: 3 }),
  pools: fc.uniqueArray(fc.integer({ min: 0, max: 1 }), { maxLength: 2 }),
  away: fc.array(fc.tuple(fc.integer({ min: -20, max: 200 }), fc.integer({ min: 1, max: 60 })), { maxLength: 2 }),
})

/** Small files whose runs, all within some minutes after FROM, get in each other's way. */
export const busyBundle: fc.Arbitrary<Bundle> = fc
  .record({
    jobs: fc.array(job, { minLength: 6, maxLength: 6 }),
    flows: fc.array(fc.array(step, { minLength: 1, maxLength: 5 }), { minLength: 2, maxLength: 2 }),
    triggers: fc.array(trigger, { minLength: 1, maxLength: 5 }),
    agents: fc.array(agent, { maxLength: 3 }),
  })
  .map((request) => {
    const pools = [0, 1, 2].map((n) => ({ id: id('pool', n), slots: n + 1 }))
    const bundle = {
      format: FORMAT,
      calendars: [{ id: 'never', days: { dates: [] } }],
      pools,
      agents: request.agents.map(({ slots, pools: members, away }, n) => ({
        id: id('agent', n),
        slots,
        pools: members.map((pool) => id('pool', pool)),
        away: away.map(([from, length]) => ({ from: isoInstant(FROM + from), to: isoInstant(FROM + from + length) })),
      })),
      locks: [0, 1].map((n) => ({ id: id('lock', n), units: n + 1 })),
      jobs: request.jobs.map(({ pool, slots, seconds, lock, units, fails }, n) => ({
        id: id('job', n),
        pool: id('pool', pool),
        slots,
        expect: { samples: [`PT${seconds}S`, `PT${seconds}S`, `PT${seconds + 20}S`] },
        locks: lock < 2 ? { [id('lock', lock)]: Math.min(units, lock + 1) } : {},
        ...(fails === undefined ? {} : { fails, retry: { times: 1, delay: 'PT5S' } }),
      })),
      flows: request.flows.map((steps, f) => ({
        id: id('flow', f),
        steps: steps.map(({ job: of, inner, after, join, gate, route }, n) => ({
          id: id('step', n),
          // The second flow may have the first in it.
          ...(f === 1 && inner ? { flow: id('flow', 0) } : { job: id('job', of) }),
          after: [
            ...new Map(after.filter(({ back }) => back <= n).map(({ back, when }) => [id('step', n - back), when])),
          ].map(([before, when]) => ({ step: before, when })),
          join,
          onFailure: route,
          ...(gate === undefined
            ? {}
            : { gate: { days: gate === 'open' ? { not: { calendar: 'never' } } : { calendar: 'never' } } }),
        })),
      })),
      triggers: request.triggers.map(({ flow, what, times, overlap, waitMost, finishBy, priority }, n) => ({
        id: id('trigger', n),
        start: flow ? { flow: id('flow', what % 2) } : { job: id('job', what) },
        time: { at: times.map(timeOfDay) },
        overlap,
        ...(waitMost !== undefined && overlap === 'wait' ? { waitMost } : {}),
        ...(finishBy === null ? {} : { finishBy: timeOfDay(finishBy) }),
        ...(priority === undefined ? {} : { priority }),
      })),
    }
    const checked = checkBundle(bundle)
    if (!checked.ok) throw new Error(JSON.stringify(checked.faults))
    return checked.bundle
  })
