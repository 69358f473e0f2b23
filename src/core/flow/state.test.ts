import fc from 'fast-check'
import { bundleSchema } from '../bundle/schema'
import { flowBundle } from './arbitrary.test-help'
import { NaiveFlow } from './naive.test-help'
import { planOf, type Plan } from './plan'
import { lookOn } from './rehearse'
import { FlowRun, type Outcome, type StepResult } from './state'

const NO_DAY = lookOn(0, (rule) => JSON.stringify(rule) !== '{"dates":[]}')
const plan = (steps: object[], more: object = {}): Plan =>
  planOf(
    bundleSchema.parse({
      format: 'bugle-bundle/1',
      jobs: [{ id: 'j' }, { id: 'off', active: false }],
      flows: [{ id: 'f', steps: steps.map((step) => ('flow' in step ? step : { job: 'j', ...step })), ...more }],
    }),
    'f',
  )
/** How each step stands, in few words. */
const says = (run: FlowRun): Record<string, string> =>
  Object.fromEntries(
    run.plan.steps.map(({ path, index }) => {
      const { state, reason, tolerated } = run.result(index)
      return [path, [state, reason, tolerated && 'tolerated'].filter(Boolean).join(' ')]
    }),
  )
function after(steps: object[], ...events: [string, Outcome | 'started'][]): Record<string, string> & { flow: string } {
  const run = new FlowRun(plan(steps), NO_DAY)
  for (const [path, what] of events) {
    const index = run.plan.byPath.get(path) as number
    if (what === 'started') run.started(index)
    else run.end(index, what)
  }
  return { ...says(run), flow: run.state }
}
const a = { id: 'a' }

describe('a link', () => {
  const when = (w: string) => ({ id: 'b', after: [{ step: 'a', when: w }] })
  it.each<[string, string, object, Outcome | null, string]>([
    ['succeeded', 'succeeded', {}, 'succeeded', 'ready'],
    ['succeeded', 'failed', {}, 'failed', 'skipped passed-over'],
    ['succeeded', 'failed and tolerated', { onFailure: 'carryOn' }, 'failed', 'ready'],
    ['succeeded', 'skipped by its gate', { gate: { days: { dates: [] } } }, null, 'ready'],
    ['succeeded', 'off', { job: 'off' }, null, 'ready'],
    ['succeeded', 'cancelled', {}, 'cancelled', 'skipped passed-over'],
    ['failed', 'succeeded', {}, 'succeeded', 'skipped passed-over'],
    ['failed', 'failed', {}, 'failed', 'ready'],
    ['failed', 'failed and tolerated', { onFailure: 'carryOn' }, 'failed', 'skipped passed-over'],
    ['failed', 'off', { job: 'off' }, null, 'skipped passed-over'],
    ['ended', 'succeeded', {}, 'succeeded', 'ready'],
    ['ended', 'failed', {}, 'failed', 'ready'],
    ['ended', 'cancelled', {}, 'cancelled', 'skipped passed-over'],
    ['over', 'failed', {}, 'failed', 'ready'],
    ['over', 'cancelled', {}, 'cancelled', 'ready'],
  ])('“%s” from a step that %s', (w, _, change, outcome, b) => {
    expect(after([{ ...a, ...change }, when(w)], ...(outcome ? [['a', outcome] as [string, Outcome]] : [])).b).toBe(b)
  })

  it('“over” is taken also from a step that is passed over, “ended” is not', () => {
    const steps = [
      a,
      { id: 'b', after: [{ step: 'a' }] },
      { id: 'c', after: [{ step: 'b', when: 'ended' }] },
      { id: 'd', after: [{ step: 'b', when: 'over' }] },
    ]
    expect(after(steps, ['a', 'failed'])).toMatchObject({
      b: 'skipped passed-over',
      c: 'skipped passed-over',
      d: 'ready',
    })
  })
})

describe('a join', () => {
  const joined = (join: string) => [a, { id: 'b' }, { id: 'c', join, after: [{ step: 'a' }, { step: 'b' }] }]
  it('of all waits for all, and is passed over by the first that is not taken', () => {
    expect(after(joined('all'), ['a', 'succeeded']).c).toBe('waiting')
    expect(after(joined('all'), ['a', 'succeeded'], ['b', 'succeeded']).c).toBe('ready')
    expect(after(joined('all'), ['a', 'failed']).c).toBe('skipped passed-over')
  })
  it('of any goes with the first, once, and is passed over when none is left', () => {
    expect(after(joined('any'), ['a', 'failed']).c).toBe('waiting')
    expect(after(joined('any'), ['a', 'failed'], ['b', 'succeeded']).c).toBe('ready')
    expect(after(joined('any'), ['a', 'failed'], ['b', 'failed']).c).toBe('skipped passed-over')
    expect(after(joined('any'), ['a', 'succeeded'], ['c', 'succeeded'], ['b', 'succeeded']).c).toBe('succeeded')
  })
})

describe('a route', () => {
  const routed = [{ ...a, onFailure: { goTo: 'x' } }, { id: 'b', after: [{ step: 'a' }] }, { id: 'x' }]
  it('leads to the recovery step and past the rest; the flow has failed all the same', () => {
    expect(after(routed, ['a', 'failed'])).toMatchObject({ b: 'skipped passed-over', x: 'ready', flow: 'running' })
    expect(after(routed, ['a', 'failed'], ['x', 'succeeded']).flow).toBe('failed')
  })
  it('that is not taken passes its step over', () => {
    expect(after(routed, ['a', 'succeeded'], ['b', 'succeeded'])).toMatchObject({
      x: 'skipped passed-over',
      flow: 'succeeded',
    })
    expect(after(routed, ['a', 'cancelled'])).toMatchObject({ x: 'skipped passed-over', flow: 'cancelled' })
  })
  it('takes a step along that its own links leave waiting', () => {
    const steps = [{ ...a, onFailure: { goTo: 'x' } }, { id: 'b' }, { id: 'x', after: [{ step: 'b' }] }]
    expect(after(steps, ['a', 'failed']).x).toBe('ready')
    expect(after(steps, ['b', 'failed']).x).toBe('waiting')
    expect(after(steps, ['b', 'failed'], ['a', 'succeeded']).x).toBe('skipped passed-over')
  })
  it('of a group holds for members without one of their own', () => {
    const grouped = plan([a, { id: 'b', onFailure: 'fail' }, { id: 'x' }], {
      groups: [{ id: 'g', steps: ['a', 'b'], onFailure: { goTo: 'x' } }],
    })
    const run = new FlowRun(grouped, NO_DAY)
    run.end(1, 'failed')
    expect(says(run).x).toBe('waiting')
    run.end(0, 'failed')
    expect(says(run).x).toBe('ready')
  })
})

describe('ending the flow', () => {
  const steps = [{ ...a, onFailure: 'endFlow' }, { id: 'b' }, { id: 'c' }, { id: 'd', after: [{ step: 'b' }] }]
  it('cancels what has neither started nor ended; what runs may finish', () => {
    const ended = after(steps, ['b', 'started'], ['a', 'failed'])
    expect(ended).toMatchObject({ b: 'running', c: 'cancelled', d: 'cancelled', flow: 'running' })
    expect(after(steps, ['b', 'started'], ['a', 'failed'], ['b', 'succeeded'])).toMatchObject({
      b: 'succeeded',
      d: 'cancelled',
      flow: 'failed',
    })
  })
  it('acts before anything more is decided', () => {
    const gone = after(
      [
        { ...a, onFailure: 'endFlow' },
        { id: 'b', after: [{ step: 'a', when: 'failed' }] },
      ],
      ['a', 'failed'],
    )
    expect(gone.b).toBe('cancelled')
  })
  it('leaves what was skipped as it is', () => {
    const gone = after(
      [
        { ...a, onFailure: 'endFlow' },
        { id: 'b', job: 'off' },
      ],
      ['a', 'failed'],
    )
    expect(gone.b).toBe('skipped off')
  })
})

describe('a flow in a flow', () => {
  const bundle = bundleSchema.parse({
    format: 'bugle-bundle/1',
    jobs: [{ id: 'j' }],
    flows: [
      {
        id: 'f',
        steps: [
          { id: 'in', flow: 'inner', onFailure: 'carryOn' },
          { id: 'last', job: 'j', after: [{ step: 'in' }] },
        ],
      },
      {
        id: 'inner',
        steps: [
          { id: 'x', job: 'j', onFailure: 'endFlow' },
          { id: 'y', job: 'j', after: [{ step: 'x' }] },
        ],
      },
      { id: 'empty', steps: [] },
      {
        id: 'holds-empty',
        steps: [
          { id: 'e', flow: 'empty' },
          { id: 'z', job: 'j', after: [{ step: 'e' }] },
        ],
      },
    ],
  })
  it('ends as its own steps do; then what the outer step says about failure holds', () => {
    const run = new FlowRun(planOf(bundle, 'f'), NO_DAY)
    expect(says(run)).toMatchObject({ in: 'running', 'in/x': 'ready', last: 'waiting' })
    run.end(run.plan.byPath.get('in/x') as number, 'failed')
    // It ends only the flow it is in.
    expect(says(run)).toMatchObject({ 'in/y': 'cancelled', in: 'failed tolerated', last: 'ready' })
    run.end(run.plan.byPath.get('last') as number, 'succeeded')
    expect(run.state).toBe('succeeded')
  })
  it('without steps ends at once', () => {
    const run = new FlowRun(planOf(bundle, 'holds-empty'), NO_DAY)
    run.endDueFlows()
    expect(says(run)).toMatchObject({ e: 'succeeded', z: 'ready' })
    expect(new FlowRun(planOf(bundle, 'empty'), NO_DAY).state).toBe('succeeded')
  })
  it('is stopped with the flow around it, at every depth', () => {
    const run = new FlowRun(planOf(bundle, 'f'), NO_DAY)
    const x = run.plan.byPath.get('in/x') as number
    run.started(x)
    run.stop()
    expect(says(run)).toMatchObject({ 'in/x': 'running', 'in/y': 'cancelled', in: 'running', last: 'cancelled' })
    run.end(x, 'succeeded')
    expect(says(run)).toMatchObject({ in: 'cancelled' })
    expect(run.state).toBe('cancelled')
  })
})

describe('properties', () => {
  /** Starts and ends steps in the order in which the numbers choose, on both, and compares after each event. */
  function live(
    thePlan: Plan,
    choices: readonly { pick: number; outcome: Outcome; isStart: boolean; many: number }[],
  ): FlowRun {
    const run = new FlowRun(thePlan, NO_DAY)
    const naive = new NaiveFlow(thePlan, NO_DAY)
    const all = (): StepResult[] => thePlan.steps.map(({ index }) => run.result(index))
    const isOpen = ({ state }: StepResult): boolean => state === 'ready' || state === 'running'
    expect(all()).toEqual(naive.results)
    for (let i = 0; ; i++) {
      const open = thePlan.steps.filter(({ flow, index }) => flow === null && isOpen(run.result(index)))
      if (open.length === 0 && !run.hasDueFlows) break
      const choice = choices[i % choices.length] as (typeof choices)[number]
      const step = open[choice.pick % Math.max(1, open.length)]
      if (step && choice.isStart && run.result(step.index).state === 'ready') {
        run.started(step.index)
        naive.start(step.index)
      } else {
        const ends = open.slice(0, 1 + (choice.many % 3)).map(({ index }): [number, Outcome] => [index, choice.outcome])
        const those: [number, Outcome][] = step ? (choice.many % 2 === 0 ? [[step.index, choice.outcome]] : ends) : []
        run.endTogether(those)
        naive.end(those)
      }
      expect(all()).toEqual(naive.results)
      expect(run.state).toBe(naive.stateOf(-1))
    }
    return run
  }
  const choices = fc.array(
    fc.record({
      pick: fc.nat(20),
      outcome: fc.constantFrom<Outcome>('succeeded', 'succeeded', 'failed', 'cancelled'),
      isStart: fc.boolean(),
      many: fc.nat(5),
    }),
    { minLength: 1, maxLength: 30 },
  )

  it('after every event it stands as the rules read from the beginning say, and it comes to an end', () => {
    fc.assert(
      fc.property(flowBundle(true), choices, (bundle, chosen) => {
        expect(live(planOf(bundle, 'f0'), chosen).state).not.toBe('running')
      }),
      { numRuns: 600 },
    )
  })

  it('in whatever order steps end, they end the same, as long as none ends its flow', () => {
    fc.assert(
      fc.property(
        flowBundle(false),
        fc.array(fc.nat(20), { minLength: 1 }),
        fc.array(fc.nat(20), { minLength: 1 }),
        fc.nat(),
        (bundle, one, other, salt) => {
          const thePlan = planOf(bundle, 'f0')
          const outcomeOf = (index: number): Outcome =>
            (['succeeded', 'succeeded', 'failed', 'cancelled'] as const)[(index * 7 + salt) % 4] as Outcome
          const end = (picks: readonly number[]): Record<string, string> => {
            const run = new FlowRun(thePlan, NO_DAY)
            run.endDueFlows()
            for (let i = 0; ; i++) {
              const open = thePlan.steps.filter(
                ({ flow, index }) => flow === null && run.result(index).state === 'ready',
              )
              const step = open[(picks[i % picks.length] as number) % Math.max(1, open.length)]
              if (!step) return says(run)
              run.end(step.index, outcomeOf(step.index))
            }
          }
          expect(end(one)).toEqual(end(other))
        },
      ),
      { numRuns: 300 },
    )
  })

  it('nothing goes ahead twice, and nothing whose gate is closed', () => {
    fc.assert(
      fc.property(flowBundle(true), fc.array(fc.nat(20), { minLength: 1 }), (bundle, picks) => {
        const run = new FlowRun(planOf(bundle, 'f0'), NO_DAY)
        const ahead: number[] = []
        for (let i = 0; ; i++) {
          run.endDueFlows()
          ahead.push(...run.takeAhead())
          const open = ahead.filter((index) => run.result(index).state === 'ready')
          const next = open[(picks[i % picks.length] as number) % Math.max(1, open.length)]
          if (next === undefined) break
          run.end(next, (['succeeded', 'failed'] as const)[i % 2] as Outcome)
        }
        expect(new Set(ahead).size).toBe(ahead.length)
        for (const index of ahead) expect(NO_DAY(run.plan.steps[index] as never)).toBe('open')
      }),
    )
  })
})
