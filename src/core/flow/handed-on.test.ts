import fc from 'fast-check'
import { checkFile } from '../bundle/check'
import { bundleSchema, type Bundle } from '../bundle/schema'
import { alwaysEndsBefore, isSameValue, readHandedOn } from './handed-on'
import { planOf } from './plan'
import { FlowRun, type Outcome } from './state'

const bundle = (steps: object[], more: object = {}): Bundle =>
  bundleSchema.parse({
    format: 'bugle-bundle/1',
    jobs: [{ id: 'j' }],
    flows: [{ id: 'f', steps: steps.map((step) => ({ job: 'j', ...step })), ...more }],
  })
const isBefore = (steps: object[], earlier: string, later: string, more: object = {}): boolean =>
  alwaysEndsBefore(bundle(steps, more).flows[0] as Bundle['flows'][number], earlier, later)

describe('a value that a step handed on', () => {
  it('is named by the step and a name', () => {
    expect(readHandedOn('check.count')).toEqual({ step: 'check', name: 'count' })
    expect(['check', 'check.', '.count', 'check.count.x', 'Check.count', 'check.9'].map(readHandedOn)).toEqual(
      Array(6).fill(undefined),
    )
  })

  it.each<[string | number | boolean, string, boolean]>([
    [0, '0', true],
    [0, '-0.00', true],
    [4, ' 04.0', true],
    ['4', '+4', true],
    ['1.50', '1.5', true],
    ['12345678901234567890', '12345678901234567891', false],
    [0, '', false],
    ['', '', true],
    ['', '0', false],
    ['a', 'A', false],
    ['1e3', '1000', false],
    ['.', '', false],
    [true, 'true', true],
  ])('%j and “%s” are the same: %s', (a, b, isSame) => {
    expect(isSameValue(a, b)).toBe(isSame)
  })
})

describe('a step that always ends before another', () => {
  const a = { id: 'a' }
  const b = { id: 'b' }
  const after = (id: string, links: (string | [string, string])[], more: object = {}): object => ({
    id,
    after: links.map((link) => (typeof link === 'string' ? { step: link } : { step: link[0], when: link[1] })),
    ...more,
  })
  it.each<[string, boolean, object[]]>([
    ['leads to it', true, [a, after('x', ['a'])]],
    ['leads to it over another', true, [a, after('m', ['a']), after('x', ['m'])]],
    ['is one of all', true, [a, b, after('x', ['a', 'b'])]],
    ['is one of any', false, [a, b, after('x', ['a', 'b'], { join: 'any' })]],
    ['leads to each of any', true, [a, after('m', ['a']), after('n', ['a']), after('x', ['m', 'n'], { join: 'any' })]],
    ['stands beside it', false, [a, { id: 'x' }]],
    ['comes after it', false, [{ id: 'x' }, after('a', ['x'])]],
    ['leads to it, as does a route of another', false, [a, { id: 'b', onFailure: { goTo: 'x' } }, after('x', ['a'])]],
    ['is the only one whose failure leads to it', true, [{ id: 'a', onFailure: { goTo: 'x' } }, { id: 'x' }]],
    [
      'leads to what may be passed over before it has ended',
      false,
      [a, b, after('m', ['a', 'b']), after('x', [['m', 'over']])],
    ],
  ])('%s: %s', (_, is, steps) => {
    expect(isBefore(steps, 'a', 'x')).toBe(is)
  })

  it('is none of a group whose failure leads to the other', () => {
    const groups = [{ id: 'g', steps: ['a', 'b'], onFailure: { goTo: 'x' } }]
    expect(isBefore([a, b, { id: 'x' }], 'a', 'x', { groups })).toBe(false)
  })

  it('has ended whenever the other goes ahead, in whatever order steps end and however', () => {
    const link = fc.record({
      to: fc.nat(5),
      when: fc.constantFrom('succeeded', 'failed', 'ended', 'over'),
    })
    const step = fc.record({
      links: fc.array(link, { maxLength: 3 }),
      join: fc.constantFrom('all', 'any'),
      route: fc.option(fc.nat(5), { freq: 3 }),
    })
    const luck = fc.array(fc.nat(1000), { minLength: 20, maxLength: 20 })
    fc.assert(
      fc.property(fc.array(step, { minLength: 3, maxLength: 6 }), luck, (drawn, dice) => {
        const id = (i: number): string => `s${i}`
        const steps = drawn.map(({ links, join, route }, i) => ({
          id: id(i),
          join,
          after: [
            ...new Map(links.filter(({ to }) => to < i).map(({ to, when }) => [to, { step: id(to), when }])).values(),
          ],
          ...(route !== null && route > i && route < drawn.length ? { onFailure: { goTo: id(route) } } : {}),
        }))
        const file = bundle(steps)
        const run = new FlowRun(planOf(file, 'f'), () => 'open')
        const seen: { ahead: number; ended: Set<number> }[] = []
        const ended = new Set<number>()
        const running: number[] = []
        for (let turn = 0; ; turn++) {
          for (const index of run.takeAhead()) {
            seen.push({ ahead: index, ended: new Set(drawn.flatMap((_, i) => (isOver(run, i) ? [i] : []))) })
            run.started(index)
            running.push(index)
          }
          if (running.length === 0) break
          const die = dice[turn % dice.length] as number
          const [index] = running.splice(die % running.length, 1)
          run.end(index as number, (['succeeded', 'failed'] as Outcome[])[die % 2] as Outcome)
          ended.add(index as number)
        }
        const flow = file.flows[0] as Bundle['flows'][number]
        for (const { ahead, ended: over } of seen)
          for (const other of drawn.keys())
            if (!over.has(other))
              expect([steps, other, ahead, alwaysEndsBefore(flow, id(other), id(ahead))]).toEqual([
                steps,
                other,
                ahead,
                false,
              ])
      }),
      { numRuns: 400 },
    )
  })

  it('is found in a chain of 10,000 steps', () => {
    const steps = Array.from({ length: 10_000 }, (_, i) => after(`s${i}`, i === 0 ? [] : [`s${i - 1}`]))
    expect(isBefore(steps, 's0', 's9999')).toBe(true)
  })
})

const isOver = (run: FlowRun, index: number): boolean => {
  const { state } = run.result(index)
  return state !== 'waiting' && state !== 'ready' && state !== 'running'
}

describe('the check of a file', () => {
  const faults = (steps: object[], jobs: object[] = [{ id: 'j' }]): [string, string][] => {
    const checked = checkFile({ format: 'bugle-bundle/1', jobs, flows: [{ id: 'f', steps }] })
    return checked.ok ? [] : checked.faults.map(({ path, message }) => [path, message])
  }
  const at = 'flows[0].steps[1]'
  it.each<[string, object[], [string, string][]]>([
    [
      'a gate on a step before',
      [
        { id: 'a', job: 'j' },
        { id: 'x', job: 'j', after: [{ step: 'a' }], gate: { value: 'a.n', equals: 0 } },
      ],
      [],
    ],
    [
      'a gate on a step beside',
      [
        { id: 'a', job: 'j' },
        { id: 'x', job: 'j', gate: { value: 'a.n', equals: 0 } },
      ],
      [[`${at}.gate.value`, 'The step a does not always end before: it may have handed nothing on yet.']],
    ],
    [
      'a gate on no step',
      [
        { id: 'a', job: 'j' },
        { id: 'x', job: 'j', gate: { value: 'b.n', in: ['0'] } },
      ],
      [[`${at}.gate.value`, 'There is no step b in this flow.']],
    ],
    [
      'a gate with two comparisons',
      [
        { id: 'a', job: 'j' },
        { id: 'x', job: 'j', after: [{ step: 'a' }], gate: { value: 'a.n', equals: 1, not: 2 } },
      ],
      [[`${at}.gate`, 'A gate on a value needs exactly one of the keys equals, not, in.']],
    ],
    [
      'two links to one step',
      [
        { id: 'a', job: 'j' },
        { id: 'x', job: 'j', after: [{ step: 'a' }, { step: 'a', when: 'failed' }] },
      ],
      [[`${at}.after[1]`, 'There is a link to the step a already.']],
    ],
    [
      'a value of a step that is not before',
      [
        { id: 'a', job: 'j' },
        { id: 'x', job: 'j', with: { n: '${a.n}' } },
      ],
      [[`${at}.with.n`, 'x: The step a does not come before: it cannot have handed anything on.']],
    ],
  ])('%s', (_, steps, expected) => {
    expect(faults(steps)).toEqual(expected)
  })

  it('finds inputs that a job does not have, where it says what it asks for or is a whole job', () => {
    const steps = [{ id: 'a', job: 'j', with: { n: '1' } }]
    const path = 'flows[0].steps[0].with.n'
    expect(faults(steps)).toEqual([])
    expect(faults(steps, [{ id: 'j', inputs: [] }])).toEqual([[path, 'a: j has no input n.']])
    expect(faults(steps, [{ id: 'j', kind: 'command', command: 'x', labels: { os: 'linux' } }])).toEqual([
      [path, 'a: j has no input n.'],
    ])
    expect(faults(steps, [{ id: 'j', inputs: [{ name: 'n', type: 'number' }] }])).toEqual([])
    // What is missing or does not fit is said when the flow begins, or is saved.
    const asks = {
      id: 'j',
      inputs: [
        { name: 'n', type: 'day' },
        { name: 'm', type: 'text' },
      ],
    }
    expect(faults(steps, [asks])).toEqual([])
  })
})
