import fc from 'fast-check'
import { bundleSchema } from '../bundle/schema'
import { runAgain, undecidedBy } from './again'
import { flowBundle } from './arbitrary.test-help'
import { NaiveFlow, undecidedNaively } from './naive.test-help'
import { planOf, type Plan } from './plan'
import { lookOn } from './rehearse'
import { FlowRun, isEnd, type Outcome, type StepResult } from './state'

const LOOK = lookOn(0, (rule) => JSON.stringify(rule) !== '{"dates":[]}')
const plan = (steps: object[], inner: object[] = []): Plan =>
  planOf(
    bundleSchema.parse({
      format: 'bugle-bundle/1',
      jobs: [{ id: 'j' }],
      flows: [
        { id: 'f', steps: steps.map((step) => ('flow' in step ? step : { job: 'j', ...step })) },
        { id: 'g', steps: inner.map((step) => ({ job: 'j', ...step })) },
      ],
    }),
    'f',
  )
const resultsOf = (run: FlowRun): StepResult[] => run.plan.steps.map(({ index }) => run.result(index))

/** Runs it to its end, with these outcomes by path; succeeded where none is named. What started is remembered. */
function finish(run: FlowRun, outcomes: Record<string, Outcome> = {}, started = new Set<number>()): Set<number> {
  run.endDueFlows()
  for (;;) {
    const step = run.plan.steps.find(({ flow, index }) => flow === null && run.result(index).state === 'ready')
    if (!step) return started
    run.started(step.index)
    started.add(step.index)
    run.end(step.index, outcomes[step.path] ?? 'succeeded')
  }
}
function again(
  thePlan: Plan,
  outcomes: Record<string, Outcome>,
  ...chosen: string[]
): { undecided: string[]; run: FlowRun } {
  const run = new FlowRun(thePlan, LOOK)
  const started = finish(run, outcomes)
  const from = chosen.map((path) => thePlan.byPath.get(path) as number)
  const { undecided } = undecidedBy(thePlan, resultsOf(run), from, (index) => started.has(index))
  return {
    undecided: undecided.map((index) => thePlan.steps[index]?.path as string),
    run: runAgain(thePlan, LOOK, resultsOf(run), from, (index) => started.has(index)),
  }
}
const a = { id: 'a' }
const b = { id: 'b', after: [{ step: 'a' }] }
const c = { id: 'c', after: [{ step: 'b' }] }

describe('running again from a step', () => {
  it('undecides it and what comes after; the rest keeps its result, and the flow ends anew', () => {
    const other = { id: 'other' }
    const { undecided, run } = again(plan([a, b, c, other]), { b: 'failed', other: 'failed' }, 'b')
    expect(undecided).toEqual(['b', 'c'])
    expect(resultsOf(run).map(({ state }) => state)).toEqual(['succeeded', 'ready', 'waiting', 'failed'])
    finish(run)
    expect(resultsOf(run).map(({ state }) => state)).toEqual(['succeeded', 'succeeded', 'succeeded', 'failed'])
    expect(run.state).toBe('failed')
  })

  it('lets it go ahead without its links, but not without its gate', () => {
    const gated = { ...c, gate: { days: { dates: [] } } }
    const { run } = again(plan([a, b, gated]), { a: 'failed' }, 'c')
    expect(run.result(2)).toEqual({ state: 'skipped', reason: 'gate' })
    const open = again(plan([a, b, c]), { a: 'failed' }, 'c')
    expect(open.run.result(2)).toEqual({ state: 'ready' })
    expect(open.run.result(1)).toEqual({ state: 'skipped', reason: 'passed-over' })
  })

  it('takes what was cancelled before it started along', () => {
    const ends = { ...a, onFailure: 'endFlow' }
    const { undecided, run } = again(
      plan([ends, { id: 'x' }, { id: 'y', after: [{ step: 'x' }] }, { id: 'z' }]),
      { a: 'failed' },
      'a',
    )
    expect(undecided).toContain('y')
    finish(run)
    expect(run.state).toBe('succeeded')
  })

  it('leaves a step alone that any or a route from elsewhere is enough for', () => {
    const any = { id: 'any', join: 'any', after: [{ step: 'a' }, { step: 'b' }] }
    expect(again(plan([a, { id: 'b' }, any]), {}, 'b').undecided).toEqual(['b'])
    // The other one was passed over when it was decided: nothing else leads there.
    expect(again(plan([a, { id: 'b' }, any]), { a: 'failed' }, 'b').undecided).toEqual(['b', 'any'])
    const routed = [{ ...a, onFailure: { goTo: 'x' } }, { id: 'b', onFailure: { goTo: 'x' } }, { id: 'x' }]
    expect(again(plan(routed), { a: 'failed', b: 'failed' }, 'b').undecided).toEqual(['b'])
    expect(again(plan(routed), { b: 'failed' }, 'b').undecided).toEqual(['b', 'x'])
  })

  it('undecides what such a step kept from, when that is undecided in turn', () => {
    // e stands on c or d; c comes after a, d after c: from a on, nothing that keeps its result leads to e.
    const steps = [
      a,
      { id: 'c', after: [{ step: 'a' }] },
      { id: 'd', after: [{ step: 'c' }] },
      { id: 'e', join: 'any', after: [{ step: 'd' }, { step: 'c' }] },
    ]
    expect(again(plan(steps), {}, 'a').undecided).toEqual(['a', 'c', 'd', 'e'])
  })

  it('inside a flow step sets that running again, and undecides what comes after it', () => {
    const { undecided, run } = again(
      plan(
        [
          { id: 'in', flow: 'g' },
          { id: 'last', after: [{ step: 'in' }] },
        ],
        [{ id: 'x' }, { id: 'y', after: [{ step: 'x' }] }],
      ),
      { 'in/y': 'failed' },
      'in/y',
    )
    expect(undecided).toEqual(['in/y', 'last'])
    expect(run.result(0)).toEqual({ state: 'running' })
    finish(run)
    expect(run.state).toBe('succeeded')
  })

  it('of a flow step forgets all inside it', () => {
    const nested = plan([a, { id: 'in', flow: 'g', after: [{ step: 'a' }] }], [{ id: 'x' }])
    const { undecided, run } = again(nested, {}, 'a', 'in/x')
    expect(undecided).toEqual(['a', 'in', 'in/x'])
    expect(run.result(nested.byPath.get('in/x') as number)).toEqual({ state: 'waiting' })
    finish(run)
    expect(run.state).toBe('succeeded')
  })

  it('is in the way of nothing that runs', () => {
    const thePlan = plan([a, b, c])
    const run = new FlowRun(thePlan, LOOK)
    run.end(0, 'succeeded')
    run.started(1)
    expect(undecidedBy(thePlan, resultsOf(run), [0], () => true).inTheWay).toEqual(['b'])
    expect(undecidedBy(thePlan, resultsOf(run), [2], () => true).inTheWay).toEqual([])
  })
})

describe('properties', () => {
  const outcomeOf =
    (salt: number) =>
    (index: number): Outcome =>
      (['succeeded', 'failed', 'succeeded', 'cancelled'] as const)[(index * 7 + salt) % 4] as Outcome

  it('a run taken up from its results goes on as the one that was never put down', () => {
    fc.assert(
      fc.property(
        flowBundle(true),
        fc.array(fc.nat(20), { minLength: 1, maxLength: 20 }),
        fc.nat(),
        (bundle, picks, salt) => {
          const thePlan = planOf(bundle, 'f0')
          let kept = new FlowRun(thePlan, LOOK)
          const whole = new FlowRun(thePlan, LOOK)
          whole.endDueFlows()
          kept.endDueFlows()
          for (let i = 0; ; i++) {
            const open = thePlan.steps.filter(
              ({ flow, index }) =>
                flow === null && !['waiting'].includes(whole.result(index).state) && !isEnd(whole.result(index)),
            )
            const step = open[(picks[i % picks.length] as number) % Math.max(1, open.length)]
            if (!step) break
            const isStart = i % 3 === 0 && whole.result(step.index).state === 'ready'
            for (const run of [whole, kept]) {
              if (isStart) run.started(step.index)
              else run.end(step.index, outcomeOf(salt)(step.index))
            }
            kept = new FlowRun(thePlan, LOOK, resultsOf(kept))
            expect(resultsOf(kept)).toEqual(resultsOf(whole))
            expect(kept.state).toBe(whole.state)
          }
        },
      ),
      { numRuns: 300 },
    )
  })

  it('what is undecided is what the rule says; all else keeps its result; and it goes on as the rules say', () => {
    fc.assert(
      fc.property(flowBundle(true), fc.nat(), fc.nat(), (bundle, salt, pick) => {
        const thePlan = planOf(bundle, 'f0')
        const run = new FlowRun(thePlan, LOOK)
        run.endDueFlows()
        const started = new Set<number>()
        for (;;) {
          const step = thePlan.steps.find(({ flow, index }) => flow === null && run.result(index).state === 'ready')
          if (!step) break
          started.add(step.index)
          run.end(step.index, outcomeOf(salt)(step.index))
        }
        const before = resultsOf(run)
        // Steps of flow steps that never began cannot be chosen.
        const choosable = thePlan.steps.filter(({ index }) => before[index]?.state !== 'waiting')
        if (choosable.length === 0) return
        const chosen = [choosable[pick % choosable.length]?.index as number]
        // A flow step has started once its own steps have.
        const hasStarted = (index: number): boolean => started.has(index) || run.hasBegun(index)
        const { undecided, inTheWay } = undecidedBy(thePlan, before, chosen, hasStarted)
        expect(inTheWay).toEqual([])
        expect(undecided).toEqual(undecidedNaively(thePlan, before, chosen, hasStarted))
        const next = runAgain(thePlan, LOOK, before, chosen, hasStarted)
        const ancestorsOf = (index: number): number[] => {
          const parent = thePlan.steps[index]?.parent ?? -1
          return parent < 0 ? [] : [parent, ...ancestorsOf(parent)]
        }
        const open = new Set(undecided.flatMap(ancestorsOf))
        const untouched = thePlan.steps.filter(({ index }) => !undecided.includes(index) && !open.has(index))
        for (const { index } of untouched) expect(next.result(index)).toEqual(before[index])
        const stood = before.map((result, index): StepResult =>
          undecided.includes(index) ? { state: 'waiting' } : open.has(index) ? { state: 'running' } : result,
        )
        // A flow step that is forgotten as a whole begins anew, whatever was chosen in it.
        const stillChosen = chosen.filter((index) => !ancestorsOf(index).some((at) => undecided.includes(at)))
        const naive = new NaiveFlow(thePlan, LOOK, stood, stillChosen)
        expect(resultsOf(next)).toEqual(naive.results)
        finish(next)
        expect(next.state).not.toBe('running')
        for (const { index } of untouched) expect(next.result(index)).toEqual(before[index])
      }),
      { numRuns: 500 },
    )
  })
})
