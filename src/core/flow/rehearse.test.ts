import fc from 'fast-check'
import { bundleSchema, type Bundle } from '../bundle/schema'
import { flowBundle } from './arbitrary.test-help'
import { criticalPath, idleSteps } from './critical'
import { FlowFault } from './inputs'
import { planOf, type Plan } from './plan'
import { isOpen, lookOn, rehearse } from './rehearse'
import type { Outcome } from './state'

const LOOK = lookOn(0, (rule) => JSON.stringify(rule) !== '{"dates":[]}')
const OPEN = (): 'open' => 'open'
const bundle = (flows: object[], jobs: object[] = []): Bundle =>
  bundleSchema.parse({
    format: 'bugle-bundle/1',
    jobs: [{ id: 'j' }, { id: 'm1', expect: 'PT1M' }, { id: 'm5', expect: 'PT5M' }, ...jobs],
    flows,
  })
const manifests = bundle([
  {
    id: 'manifests',
    inputs: [{ name: 'harbour', type: 'text', default: 'orrin' }],
    steps: [
      { id: 'bookings', job: 'j', expect: 'PT9M' },
      { id: 'names', job: 'j', expect: 'PT4M' },
      { id: 'check', job: 'j', expect: 'PT32M', after: [{ step: 'bookings' }, { step: 'names' }] },
      { id: 'count', job: 'j', expect: 'PT5M', after: [{ step: 'check' }], gate: { days: { dates: [] } } },
      { id: 'reach', job: 'm1', after: [{ step: 'check' }], onFailure: { goTo: 'ticket' } },
      { id: 'send', job: 'm5', after: [{ step: 'reach' }], onFailure: { goTo: 'ticket' } },
      { id: 'ticket', job: 'm1' },
    ],
  },
])
const outcomes = (plan: Plan, named: Record<string, Outcome>): Map<number, Outcome> =>
  new Map(Object.entries(named).map(([path, outcome]) => [plan.byPath.get(path) as number, outcome]))

describe('a rehearsal', () => {
  const plan = planOf(manifests, 'manifests')
  it('says what would happen, round by round', () => {
    const { flow, steps, order, times } = rehearse(plan, LOOK, outcomes(plan, { reach: 'failed' }))
    expect(flow).toBe('failed')
    expect(Object.fromEntries(steps)).toEqual({
      bookings: { state: 'succeeded' },
      names: { state: 'succeeded' },
      check: { state: 'succeeded' },
      count: { state: 'skipped', reason: 'gate' },
      reach: { state: 'failed' },
      send: { state: 'skipped', reason: 'passed-over' },
      ticket: { state: 'succeeded' },
    })
    expect(order).toEqual(['bookings', 'names', 'check', 'reach', 'ticket'])
    expect(times.get('ticket')).toEqual({ start: (9 + 32 + 1) * 60, end: (9 + 32 + 2) * 60 })
  })

  it('gives an outcome to a step that does not run no effect', () => {
    const all = rehearse(plan, LOOK, outcomes(plan, { ticket: 'failed', count: 'failed' }))
    expect(all.flow).toBe('succeeded')
    expect(all.steps.get('ticket')).toEqual({ state: 'skipped', reason: 'passed-over' })
  })

  it('ends at one instant what ends together, before anything is decided', () => {
    const both = bundle([
      {
        id: 'f',
        steps: [
          { id: 'a', job: 'm1', onFailure: 'endFlow' },
          { id: 'b', job: 'm1' },
          { id: 'c', job: 'm1', after: [{ step: 'b' }] },
        ],
      },
    ])
    const one = planOf(both, 'f')
    expect(rehearse(one, LOOK, outcomes(one, { a: 'failed' })).steps.get('c')).toEqual({ state: 'cancelled' })
  })

  it('ends a flow step at the instant of its last step, and shows its steps only if it ran', () => {
    const nested = bundle([
      {
        id: 'f',
        steps: [
          { id: 'in', flow: 'g' },
          { id: 'not', flow: 'g', after: [{ step: 'in', when: 'failed' }] },
          { id: 'last', job: 'm1', after: [{ step: 'in' }] },
        ],
      },
      {
        id: 'g',
        steps: [
          { id: 'x', job: 'm5' },
          { id: 'y', job: 'm1' },
        ],
      },
    ])
    const { steps, order, times } = rehearse(planOf(nested, 'f'), LOOK)
    expect([...steps.keys()]).toEqual(['in', 'in/x', 'in/y', 'not', 'last'])
    expect(order).toEqual(['in', 'in/x', 'in/y', 'last'])
    expect(times.get('in')).toEqual({ start: 0, end: 300 })
    expect(times.get('last')).toEqual({ start: 300, end: 360 })
  })

  it('comes to an end with everything decided, whatever the flow', () => {
    fc.assert(
      fc.property(flowBundle(true), fc.nat(), (any, salt) => {
        const thePlan = planOf(any, 'f0')
        const chosen = new Map(
          thePlan.steps.map(({ index }): [number, Outcome] => [
            index,
            (['succeeded', 'failed', 'cancelled'] as const)[(index * 5 + salt) % 3] as Outcome,
          ]),
        )
        const { flow, steps, order, times } = rehearse(thePlan, LOOK, chosen)
        expect(flow).not.toBe('running')
        for (const [path, { state }] of steps) {
          expect(['succeeded', 'failed', 'skipped', 'cancelled']).toContain(state)
          // What ran has a time, and what was skipped has none.
          expect([path, times.has(path)]).toEqual([path, order.includes(path)])
        }
      }),
      { numRuns: 300 },
    )
  })

  it('takes its day’s work of 10,000 steps in a moment: each event costs its own links', () => {
    const n = 10_000
    const long = bundle([
      {
        id: 'f',
        steps: Array.from({ length: n }, (_, i) => ({
          id: `s${i}`,
          job: 'm1',
          after: i < 100 ? [] : [{ step: `s${i - 100}` }, { step: `s${i - 1 - (i % 100)}` }],
        })).map((step) => ({ ...step, after: [...new Map(step.after.map((link) => [link.step, link])).values()] })),
      },
    ])
    const { flow, order } = rehearse(planOf(long, 'f'), OPEN)
    expect([flow, order.length]).toEqual(['succeeded', n])
  })
})

describe('inputs and gates', () => {
  const gated = (inputs: object[], gate: object, inner: object = {}): Bundle =>
    bundle([
      {
        id: 'f',
        inputs,
        steps: [
          { id: 'a', job: 'j', gate },
          { id: 'in', flow: 'g', ...inner },
        ],
      },
      {
        id: 'g',
        inputs: [{ name: 'port', type: 'choice', options: ['orrin', 'stavin'], default: 'orrin' }],
        steps: [{ id: 'x', job: 'j', gate: { input: 'port', equals: 'stavin' } }],
      },
    ])
  const stateOf = (of: Bundle, path: string, given: Record<string, string> = {}): string | undefined =>
    rehearse(planOf(of, 'f', given), LOOK).steps.get(path)?.state

  it.each<[object, object, string | undefined, string]>([
    [{ type: 'text', default: 'orrin' }, { equals: 'orrin' }, undefined, 'succeeded'],
    [{ type: 'text', default: 'orrin' }, { equals: 'Orrin' }, undefined, 'skipped'],
    [{ type: 'text', default: 'orrin' }, { not: 'orrin' }, 'stavin', 'succeeded'],
    [{ type: 'number', default: 4 }, { equals: '4.0' }, undefined, 'succeeded'],
    [{ type: 'number' }, { in: [3, 4] }, '4', 'succeeded'],
    [{ type: 'number' }, { in: [3, 4] }, '40', 'skipped'],
    [{ type: 'yes-no', default: 'yes' }, { equals: true }, undefined, 'succeeded'],
    [{ type: 'yes-no', default: true }, { equals: 'yes' }, 'no', 'skipped'],
    [{ type: 'day' }, { equals: '2027-03-09' }, '2027-03-09', 'succeeded'],
  ])('an input %j and a gate %j, given %s: %s', (input, gate, given, state) => {
    const of = gated([{ name: 'v', ...input }], { input: 'v', ...gate })
    expect(stateOf(of, 'a', given === undefined ? {} : { v: given })).toBe(state)
  })

  it('go into a flow by “with”, keep their type, and fall back to defaults', () => {
    const inputs = [{ name: 'h', type: 'text', default: 'stavin' }]
    const gate = { days: { not: { dates: [] } } }
    expect(stateOf(gated(inputs, gate, { with: { port: '${h}' } }), 'in/x')).toBe('succeeded')
    expect(stateOf(gated(inputs, gate), 'in/x')).toBe('skipped')
    expect(() => planOf(gated(inputs, gate, { with: { port: 'pier-${h}' } }), 'f')).toThrow(
      /port of in is one of orrin, stavin/,
    )
    expect(() => planOf(gated(inputs, gate, { with: { pier: 'x' } }), 'f')).toThrow('There is no input pier of in.')
  })

  it('without a value cannot be looked at', () => {
    const of = gated([{ name: 'v', type: 'text' }], { input: 'v', equals: 'x' })
    expect(() => stateOf(of, 'a')).toThrow(FlowFault)
    const shared = gated([{ name: 'v', type: 'text', default: { shared: 'harbour' } }], { input: 'v', equals: 'x' })
    expect(() => stateOf(shared, 'a')).toThrow('The gate of a looks at the input v, which has no value.')
    expect(stateOf(shared, 'a', { v: 'x' })).toBe('succeeded')
  })

  it('a day gate looks at the day of the run', () => {
    const [step] = planOf(manifests, 'manifests').steps
    const seen: unknown[] = []
    isOpen({ days: { weekdays: ['MO'] } }, step as never, 20_000, (rule, day) => seen.push(rule, day) > 0)
    expect(seen).toEqual([{ weekdays: ['MO'] }, 20_000])
    expect(isOpen(null, step as never, 0, () => false)).toBe(true)
  })

  it('refuse a flow that grows beyond all measure', () => {
    const flows = Array.from({ length: 20 }, (_, i) => ({
      id: `f${i}`,
      steps:
        i < 19
          ? [
              { id: 'a', flow: `f${i + 1}` },
              { id: 'b', flow: `f${i + 1}` },
            ]
          : [{ id: 'x', job: 'j' }],
    }))
    expect(() => planOf(bundle(flows), 'f0')).toThrow(/more than 100000 steps/)
  })
})

describe('steps that do nothing as things stand', () => {
  const plan = planOf(
    bundle([
      { id: 'inner', steps: [{ id: 'x', job: 'm1' }] },
      {
        id: 'f',
        steps: [
          { id: 'a', job: 'm1', onFailure: { goTo: 'mend' } },
          { id: 'shut', flow: 'inner', after: [{ step: 'a' }] },
          { id: 'b', job: 'm1', after: [{ step: 'shut' }] },
          { id: 'mend', job: 'm1' },
          { id: 'told', job: 'm1', after: [{ step: 'mend' }] },
        ],
      },
    ]),
    'f',
  )
  const idle = (known: Record<string, object> = {}, isShut = true): string[] =>
    [
      ...idleSteps(
        plan,
        ({ path }) => (isShut && path === 'shut' ? 'gate' : 'open'),
        (index) => (known[plan.steps[index]?.path ?? ''] as never) ?? null,
      ),
    ].map((index) => plan.steps[index]?.path ?? '')

  it('are those with a closed gate and all in them, and those to which only failures lead', () => {
    expect(idle().sort()).toEqual(['mend', 'shut', 'shut/x', 'told'])
    expect(idle({}, false).sort()).toEqual(['mend', 'told'])
  })

  it('are none that have begun, or surely go ahead', () => {
    expect(idle({ mend: { isSure: true }, shut: { start: 0 }, 'shut/x': { start: 0 } })).toEqual([])
  })

  it('leave a gate that cannot be looked at yet to be seen', () => {
    const fault = (): never => {
      throw new FlowFault('no value', 'gate')
    }
    expect([...idleSteps(plan, fault)].map((index) => plan.steps[index]?.path).sort()).toEqual(['mend', 'told'])
  })
})

describe('the critical path', () => {
  const ofManifests = criticalPath(planOf(manifests, 'manifests'), () => false)
  it('names what decides, and how much room the others have', () => {
    expect(ofManifests.length).toBe((9 + 32 + 1 + 5) * 60)
    expect(ofManifests.chain).toEqual(['bookings', 'check', 'reach', 'send'])
    expect(ofManifests.steps.get('names')).toEqual({
      earliestStart: 0,
      earliestFinish: 240,
      latestStart: 300,
      latestFinish: 540,
      slack: 300,
    })
    expect(ofManifests.steps.get('count')?.slack).toBe(60)
    // Only a failure leads there.
    expect(ofManifests.steps.has('ticket')).toBe(false)
  })

  it('leaves a step in that takes no time on this day', () => {
    const idle = criticalPath(planOf(manifests, 'manifests'), ({ path }) => path === 'check')
    expect(idle.length).toBe((9 + 5 + 1) * 60)
    expect(idle.steps.get('check')).toMatchObject({ earliestStart: 540, earliestFinish: 540 })
  })

  it('of a join of any counts the link that is taken first; on a tie the first named', () => {
    const any = (first: string, second: string) =>
      criticalPath(
        planOf(
          bundle([
            {
              id: 'f',
              steps: [
                { id: 'a', job: first },
                { id: 'b', job: second },
                { id: 'c', job: 'm1', join: 'any', after: [{ step: 'b' }, { step: 'a' }] },
              ],
            },
          ]),
          'f',
        ),
        () => false,
      )
    expect(any('m1', 'm5').steps.get('c')).toMatchObject({ earliestStart: 60 })
    expect(any('m1', 'm5')).toMatchObject({ length: 300, chain: ['b'] })
    expect(any('m5', 'm5')).toMatchObject({ length: 360, chain: ['b', 'c'] })
  })

  it('takes a flow step as long as it says, else as its own critical path', () => {
    const nested = (change: object): Bundle =>
      bundle([
        { id: 'f', steps: [{ id: 'in', flow: 'g', ...change }] },
        {
          id: 'g',
          steps: [
            { id: 'x', job: 'm5' },
            { id: 'y', job: 'm1', after: [{ step: 'x' }] },
          ],
        },
      ])
    expect(criticalPath(planOf(nested({}), 'f'), () => false).length).toBe(360)
    expect(criticalPath(planOf(nested({ expect: 'PT30S' }), 'f'), () => false).length).toBe(30)
  })

  it('takes the median of quantiles and of samples', () => {
    const of = (expect: object): number =>
      criticalPath(planOf(bundle([{ id: 'f', steps: [{ id: 'a', job: 'j', expect }] }]), 'f'), () => false).length
    expect(of({ p50: 'PT2M', p90: 'PT9M' })).toBe(120)
    expect(of({ samples: ['PT9M', 'PT1M', 'PT2M'] })).toBe(120)
    expect(of({ samples: ['PT1M', 'PT2M'] })).toBe(90)
  })

  it('is as long as a rehearsal in which all succeed, and its chain is whole', () => {
    fc.assert(
      fc.property(flowBundle(false), (any) => {
        const thePlan = planOf(any, 'f0')
        // Routes and tolerance do not matter where nothing fails; “over” may wait for what is left out.
        if (thePlan.steps.some(({ links }) => links.some(({ when }) => when === 'over'))) return
        const rehearsed = rehearse(thePlan, OPEN)
        const { length, chain, steps } = criticalPath(thePlan, () => false)
        const ends = [...rehearsed.times.values()].map(({ end }) => end)
        expect(length).toBe(Math.max(0, ...ends))
        for (const [path, span] of steps) {
          expect([path, span.earliestStart]).toEqual([path, rehearsed.times.get(path)?.start])
          expect(span.slack).toBeGreaterThanOrEqual(0)
          expect(span.latestStart - span.earliestStart).toBe(span.slack)
        }
        let at = 0
        for (const path of chain) {
          const span = steps.get(path)
          expect([path, span?.earliestStart, span?.slack]).toEqual([path, at, 0])
          at = span?.earliestFinish ?? NaN
        }
        expect(at).toBe(length)
      }),
      { numRuns: 500 },
    )
  })

  it('of nothing is nothing', () => {
    expect(criticalPath(planOf(bundle([{ id: 'f', steps: [] }]), 'f'), () => false)).toEqual({
      length: 0,
      chain: [],
      steps: new Map(),
    })
  })
})
