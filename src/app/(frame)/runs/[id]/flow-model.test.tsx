import { drawnOf } from '@/core/flow/times'
import type { FlowStepView } from '@/service/flows/flow-run-view'
import { runTimes } from './flow-model'

const BEGAN = Date.UTC(2027, 2, 9, 2)
const at = (seconds: number): string => new Date(BEGAN + seconds * 1000).toISOString()
const step = (index: number, from: number[], change: Partial<FlowStepView>): FlowStepView =>
  ({
    index,
    path: `s${index}`,
    parent: -1,
    flow: null,
    links: from.map((each) => ({ from: each, when: 'succeeded' })),
    join: 'all',
    routeTo: -1,
    usualMs: 60_000,
    willSkip: null,
    reason: null,
    startedAt: null,
    endedAt: null,
    ...change,
  }) as FlowStepView
/** When each is drawn, seconds from the beginning. */
const drawn = (steps: FlowStepView[], nowAt: number): (readonly [number, number])[] =>
  runTimes(steps, drawnOf(steps), BEGAN, BEGAN + nowAt * 1000).times.map(({ start, end }) => [
    (start - BEGAN) / 1000,
    (end - BEGAN) / 1000,
  ])

describe('when the steps of a run are drawn', () => {
  it('what was passed over stands where that was decided, not where the last of its links ended', () => {
    const steps = [
      step(0, [], { state: 'failed', startedAt: at(0), endedAt: at(10) }),
      step(1, [], { state: 'succeeded', startedAt: at(0), endedAt: at(90) }),
      step(2, [0, 1], { state: 'skipped', reason: 'passed-over', endedAt: at(10) }),
    ]
    expect(drawn(steps, 90)).toEqual([
      [0, 10],
      [0, 90],
      [10, 10],
    ])
  })

  it('what its day will keep from running takes no time, and lets what follows come sooner', () => {
    const steps = [
      step(0, [], { state: 'running', startedAt: at(0) }),
      step(1, [0], { state: 'waiting', willSkip: 'gate' }),
      step(2, [1], { state: 'waiting' }),
    ]
    expect(drawn(steps, 20)).toEqual([
      [0, 60],
      [60, 60],
      [60, 120],
    ])
  })
})
