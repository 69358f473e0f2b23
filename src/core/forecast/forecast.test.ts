import fc from 'fast-check'
import { checkBundle } from '../bundle/check'
import { FORMAT, type Bundle } from '../bundle/schema'
import { busyBundle, FROM } from './arbitrary.test-help'
import { modelOf } from './build'
import { naiveForecast } from './naive.test-help'
import { USUAL } from './play'
import { keyOfOccurrence, recorded, told, type Recorded } from './report'
import { forecastOf, playSamples } from './sampled'
import { Simulation } from './simulation'

/** What cannot go on is watched for so long, in seconds. */
const LONG = 1500

const linesOf = ({ attempts }: Recorded): string[] =>
  attempts
    .map(({ task, ready, start, end, agent, state }) =>
      [
        task.night.of.trigger.id,
        task.night.of.at,
        task.step.path ?? '-',
        task.number,
        ready,
        start,
        end,
        agent,
        state,
      ].join(' '),
    )
    .sort()

describe('the forecast', () => {
  it('is what a second-by-second evaluator says', () => {
    fc.assert(
      fc.property(busyBundle, (bundle) => {
        const model = modelOf(bundle, FROM, 1)
        const record = recorded(model)
        // A busy file may take longer than the usual: what ends sooner or later than it should differs all the same.
        const until = Math.max(FROM + LONG, ...record.attempts.map(({ end }) => end ?? 0))
        expect(linesOf(record)).toEqual(naiveForecast(model, until))
      }),
      { numRuns: 60 },
    )
  })

  it('never uses more slots or lock units than there are, starts nothing before it is ready, and counts what it uses', () => {
    fc.assert(
      fc.property(busyBundle, (bundle) => {
        const model = modelOf(bundle, FROM, 1)
        const record = recorded(model)
        const forecast = told(model, record)
        const started = record.attempts.filter(({ start }) => start !== null)
        for (const { ready, start } of started) expect(start).toBeGreaterThanOrEqual(ready)
        for (const now of started.map(({ start }) => start as number)) {
          const open = started.filter(({ start, end }) => (start as number) <= now && (end === null || end > now))
          for (const { name, slots } of model.agents) {
            const used = open.reduce((n, { agent, task }) => n + (agent === name ? task.step.slots : 0), 0)
            expect(used).toBeLessThanOrEqual(slots)
          }
          for (const [lock, units] of Object.entries(model.locks))
            expect(open.reduce((n, { task }) => n + (task.step.locks[lock] ?? 0), 0)).toBeLessThanOrEqual(units)
          model.pools.forEach(({ id }, i) => {
            const used = open.reduce((n, { task }) => n + (task.step.pool === id ? task.step.slots : 0), 0)
            expect(record.load[i]?.profile.findLast(([at]) => at <= now)?.[1]).toBe(used)
          })
        }
        for (const { peak, profile } of forecast.load) expect(peak).toBe(Math.max(...profile.map(([, n]) => n)))
      }),
      { numRuns: 60 },
    )
  })

  it('has chains without gaps, and counts the waiting second by second', () => {
    fc.assert(
      fc.property(busyBundle, (bundle) => {
        const model = modelOf(bundle, FROM, 1)
        const record = recorded(model)
        const forecast = told(model, record)
        for (const { decidedBy, finish, trigger, occurrence } of forecast.deadlines) {
          if (finish === null) continue
          const runs = decidedBy.filter((part) => typeof part === 'number')
          const own = forecast.runs.filter((run) => run.trigger === trigger && run.occurrence === occurrence && run.end)
          if (own.length > 0) expect(runs.length).toBeGreaterThan(0)
          for (let i = 1; i < runs.length; i++) {
            const starts = forecast.runs.filter(({ number }) => number === runs[i - 1]).map(({ start }) => start)
            expect(forecast.runs.some(({ number, end }) => number === runs[i] && starts.includes(end))).toBe(true)
          }
        }
        const waited = record.attempts.reduce(
          (sum, { ready, start, state, end }) =>
            sum + (start !== null ? start - ready : state === 'cancelled' ? (end as number) - ready : 0),
          0,
        )
        const open = record.attempts.some(({ state }) => state === 'ready')
        const told_ = forecast.waits.reduce((sum, { seconds }) => sum + seconds, 0)
        if (!open) expect(told_).toBe(waited)
      }),
      { numRuns: 60 },
    )
  })
})

it('refuses what makes more runs than may be', () => {
  const bundle = fc.sample(busyBundle, { numRuns: 40, seed: 7 }).find((each) => {
    const { attempts } = recorded(modelOf(each, FROM, 1))
    return new Set(attempts.map(({ task }) => task)).size > 5
  })
  const model = modelOf(bundle as Bundle, FROM, 1)
  expect(() => new Simulation(model, USUAL, null, 5).play()).toThrow('More than 5 runs lie in this stretch')
  expect(new Simulation(model, USUAL, null).play().nights.length).toBeGreaterThan(0)
})

describe('one slot more', () => {
  const graham = (slots: number): Bundle => {
    const minutes = [3, 2, 2, 2, 4, 4, 4, 4, 9]
    const before: Readonly<Record<number, number>> = { 4: 3, 5: 3, 6: 3, 7: 3, 8: 0 }
    const checked = checkBundle({
      format: FORMAT,
      pools: [{ id: 'quay', slots }],
      jobs: minutes.map((length, i) => ({ id: `job${i}`, pool: 'quay', expect: `PT${length}M` })),
      flows: [
        {
          id: 'night',
          steps: minutes.map((_, i) => ({
            id: `step${i}`,
            job: `job${i}`,
            after: i in before ? [{ step: `step${before[i]}` }] : [],
          })),
        },
      ],
      triggers: [{ id: 'night', start: { flow: 'night' }, time: { at: ['00:00'] }, finishBy: '01:00' }],
    })
    if (!checked.ok) throw new Error(JSON.stringify(checked.faults))
    return checked.bundle
  }
  const minutesOn = (slots: number): number =>
    ((recorded(modelOf(graham(slots), FROM, 1)).nights[0]?.finish ?? NaN) - FROM) / 60

  it('may let a flow end later (Graham 1969)', () => {
    // With a deadline the longest chain goes first, which mends it: without one it is first come, first served.
    const without = (slots: number): number => {
      const bundle = graham(slots)
      const free = { ...bundle, triggers: bundle.triggers.map(({ finishBy: _, ...trigger }) => trigger) }
      return ((recorded(modelOf(free, FROM, 1)).nights[0]?.finish ?? NaN) - FROM) / 60
    }
    expect([without(3), without(4)]).toEqual([12, 15])
    expect(minutesOn(4)).toBeLessThanOrEqual(12)
  })

  it('never lets anything start later where all runs are independent and take one slot', () => {
    fc.assert(
      fc.property(
        fc.array(fc.record({ at: fc.integer({ min: 0, max: 100 }), seconds: fc.integer({ min: 1, max: 60 }) }), {
          minLength: 1,
          maxLength: 20,
        }),
        fc.integer({ min: 1, max: 4 }),
        (runs, slots) => {
          const starts = (many: number): number[] => {
            const checked = checkBundle({
              format: FORMAT,
              pools: [{ id: 'quay', slots: many }],
              jobs: runs.map(({ seconds }, i) => ({ id: `job${i}`, pool: 'quay', expect: `PT${seconds}S` })),
              triggers: runs.map(({ at }, i) => ({
                id: `trigger${i}`,
                start: { job: `job${i}` },
                time: {
                  at: [`00:${String(Math.floor(at / 60)).padStart(2, '0')}:${String(at % 60).padStart(2, '0')}`],
                },
              })),
            })
            if (!checked.ok) throw new Error(JSON.stringify(checked.faults))
            const byNumber = [...recorded(modelOf(checked.bundle, FROM, 1)).attempts].sort(
              (a, b) => a.task.number - b.task.number,
            )
            return byNumber.map(({ start }) => start as number)
          }
          const [few, more] = [starts(slots), starts(slots + 1)]
          few.forEach((start, i) => expect(more[i]).toBeLessThanOrEqual(start))
        },
      ),
      { numRuns: 100 },
    )
  })
})

describe('samples', () => {
  it('are the same for the same seed, in parts and in one, and others for another', () => {
    fc.assert(
      fc.property(busyBundle, fc.nat(), (bundle, seed) => {
        const model = modelOf(bundle, FROM, 1)
        const whole = playSamples(model, seed, 0, 6)
        const parts = [playSamples(model, seed, 0, 2), playSamples(model, seed, 2, 4)]
        for (const [key, finishes] of whole)
          expect([...finishes]).toEqual(parts.flatMap((part) => [...(part.get(key) as Float64Array)]))
      }),
      { numRuns: 20 },
    )
  })

  it('change only where something that bears on them changes', () => {
    fc.assert(
      fc.property(busyBundle, (bundle) => {
        const [first, ...others] = bundle.triggers
        if (!first) return
        // Alone on the fleet a trigger meets nobody: its draws are those that it had among others.
        const alone = { ...bundle, triggers: [first] }
        const wide = (of: typeof bundle): typeof bundle => ({
          ...of,
          agents: [],
          pools: of.pools.map((pool) => ({ ...pool, slots: 500 })),
          locks: of.locks.map((lock) => ({ ...lock, units: 500 })),
          triggers: of.triggers.map((trigger) => ({ ...trigger, finishBy: '12:00' })),
        })
        const [few, many] = [
          modelOf(wide(alone), FROM, 1),
          modelOf(wide({ ...bundle, triggers: [first, ...others] }), FROM, 1),
        ]
        const [a, b] = [playSamples(few, 7, 0, 4), playSamples(many, 7, 0, 4)]
        for (const of of few.triggers[0]?.occurrences ?? [])
          expect([...(a.get(keyOfOccurrence(of)) ?? [])]).toEqual([...(b.get(keyOfOccurrence(of)) ?? [])])
      }),
      { numRuns: 20 },
    )
  })

  it('tell chances and quantiles of what succeeded', () => {
    fc.assert(
      fc.property(busyBundle, (bundle) => {
        const model = modelOf(bundle, FROM, 1)
        const usual = forecastOf(model)
        const sampled = forecastOf(model, 20, 5)
        expect(sampled.runs).toEqual(usual.runs)
        for (const { chance, finishP50, finishP90 } of sampled.deadlines) {
          expect(chance).toBeGreaterThanOrEqual(0)
          expect(chance).toBeLessThanOrEqual(1)
          if ((chance as number) > 0) expect(finishP50).not.toBeNull()
          if (finishP50 && finishP90) expect(finishP90 >= finishP50).toBe(true)
        }
      }),
      { numRuns: 20 },
    )
  })
})
