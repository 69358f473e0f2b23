import fc from 'fast-check'
import { bundleSchema, type Bundle } from '../bundle/schema'

/** A bundle of flows `f0`, `f1` …, each of which may contain those after it, and jobs of some lengths. `endFlow`: whether failures may end flows. */
export function flowBundle(endFlow: boolean): fc.Arbitrary<Bundle> {
  const step = (k: number, depth: number): fc.Arbitrary<object> =>
    fc
      .record({
        after: fc.uniqueArray(
          fc.record({
            step: fc.nat(Math.max(0, k - 1)).map((n) => `s${n}`),
            when: fc.constantFrom('succeeded', 'succeeded', 'failed', 'ended', 'over'),
          }),
          { maxLength: Math.min(k, 3), selector: (link) => link.step },
        ),
        join: fc.constantFrom('all', 'any'),
        gate: fc.constantFrom(
          undefined,
          undefined,
          undefined,
          { days: { dates: [] } },
          { days: { not: { dates: [] } } },
        ),
        inner: fc.boolean(),
        job: fc.constantFrom('quick', 'slow', 'off'),
        onFailure: fc.constantFrom('fail', 'carryOn', 'goTo', ...(endFlow ? ['endFlow'] : [])),
        to: fc.integer({ min: 1, max: 4 }),
      })
      .map(({ inner, job, gate, onFailure, to, ...rest }) => ({
        id: `s${k}`,
        ...rest,
        ...(inner && depth < 2 ? { flow: `f${depth + 1}` } : { job }),
        ...(gate ? { gate } : {}),
        onFailure: onFailure === 'goTo' ? { goTo: `s${k + to}` } : onFailure,
      }))
  const flow = (depth: number): fc.Arbitrary<object> =>
    fc
      .integer({ min: 0, max: depth === 0 ? 9 : 4 })
      .chain((n) => fc.tuple(...Array.from({ length: n }, (_, k) => step(k, depth))))
      .map((steps) => ({
        id: `f${depth}`,
        // A route beyond the last step is none.
        steps: (steps as { id: string; onFailure: { goTo?: string } }[]).map((each) =>
          each.onFailure.goTo !== undefined &&
          !steps.some((other) => (other as { id: string }).id === each.onFailure.goTo)
            ? { ...each, onFailure: 'fail' }
            : each,
        ),
      }))
  return fc.tuple(flow(0), flow(1), flow(2)).map((flows) =>
    bundleSchema.parse({
      format: 'bugle-bundle/1',
      jobs: [
        { id: 'quick', expect: 'PT1M' },
        { id: 'slow', expect: 'PT5M' },
        { id: 'off', active: false },
      ],
      flows,
    }),
  )
}
