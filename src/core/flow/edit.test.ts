import fc from 'fast-check'
import { flowFaults } from '../bundle/check-flows'
import { flowDefinitionSchema, type FlowDefinition } from '../work/flow'
import { inputSchema } from '../work/inputs'
import {
  addStep,
  freeStepId,
  gateOn,
  gateStep,
  groupStep,
  groupWith,
  leadsTo,
  linkSteps,
  removeStep,
  renameStep,
  routeStep,
} from './edit'

const flow = (steps: object[], groups: object[] = []): FlowDefinition => flowDefinitionSchema.parse({ steps, groups })
const chain = flow([
  { id: 'a', job: 'j', onFailure: { goTo: 'c' } },
  { id: 'b', job: 'j', after: [{ step: 'a', when: 'ended' }] },
  { id: 'c', job: 'j', after: [{ step: 'b' }] },
])
const links = ({ steps }: FlowDefinition): string[] =>
  steps.map(
    ({ id, after = [] }) =>
      `${id}<${after.map(({ step, when }) => (when === 'succeeded' ? step : `${step}:${when}`)).join()}`,
  )

describe('editing a flow', () => {
  it('adds a step after, before, beside another, or alone', () => {
    expect(links(addStep(chain, { job: 'j' }, 'x', { how: 'after', step: 'a' }))).toEqual([
      'a<',
      'x<a',
      'b<a:ended',
      'c<b',
    ])
    expect(links(addStep(chain, { job: 'j' }, 'x', { how: 'before', step: 'b' }))).toEqual([
      'a<',
      'x<a:ended',
      'b<x',
      'c<b',
    ])
    expect(links(addStep(chain, { flow: 'f' }, 'x', { how: 'beside', step: 'b' }))).toEqual([
      'a<',
      'b<a:ended',
      'x<a:ended',
      'c<b',
    ])
    expect(links(addStep(chain, { job: 'j' }, 'x', { how: 'alone' })).at(-1)).toBe('x<')
    expect(freeStepId(chain, 'A')).toBe('a-2')
    expect(freeStepId(chain, '—')).toBe('step')
  })

  it('takes a step out: what waited for it waits for what it waited for; routes and groups forget it', () => {
    expect(links(removeStep(chain, 'b'))).toEqual(['a<', 'c<a'])
    const without = removeStep(groupStep(chain, 'c', 'g'), 'c')
    expect(without.steps[0]?.onFailure).toBeUndefined()
    expect(without.groups).toEqual([])
  })

  it('renames a step wherever it is named', () => {
    const renamed = renameStep(groupStep(chain, 'c', 'g'), 'c', 'z')
    expect(renamed.steps.map(({ id }) => id)).toEqual(['a', 'b', 'z'])
    expect(renamed.steps[0]?.onFailure).toEqual({ goTo: 'z' })
    expect(renamed.groups[0]?.steps).toEqual(['z'])
  })

  it('leads the failure of a step to another, and never in a circle', () => {
    const routed = routeStep(chain, 'b', 'c') as FlowDefinition
    expect(routed.steps.map(({ onFailure }) => onFailure)).toEqual([{ goTo: 'c' }, { goTo: 'c' }, undefined])
    expect(links(routed)).toEqual(links(chain))
    expect(routeStep(chain, 'c', 'a')).toBeNull()
    expect(routeStep(chain, 'b', 'b')).toBeNull()
  })

  it('links two steps once, and never in a circle', () => {
    expect(links(linkSteps(chain, 'a', 'c') as FlowDefinition)[2]).toBe('c<b,a')
    expect(linkSteps(chain, 'a', 'b')).toEqual(chain)
    expect(linkSteps(chain, 'c', 'a')).toBeNull()
    expect(linkSteps(chain, 'a', 'a')).toBeNull()
    // The route from a to c counts as a link.
    expect(
      leadsTo(
        flow([
          { id: 'a', job: 'j', onFailure: { goTo: 'b' } },
          { id: 'b', job: 'j' },
        ]),
        'a',
        'b',
      ),
    ).toBe(true)
  })

  it('groups a step with another: in its group, or both in a new one', () => {
    const groups = ({ groups: all }: FlowDefinition): string[] => all.map(({ id, steps }) => `${id}: ${steps.join()}`)
    const two = groupWith(chain, 'a', 'b')
    expect(groups(two)).toEqual(['group: b,a'])
    expect(groups(groupWith(two, 'c', 'a'))).toEqual(['group: b,a,c'])
    expect(groupWith(two, 'a', 'b')).toBe(two)
    expect(groupWith(two, 'a', 'a')).toBe(two)
    // Out of one and into another; the one that is left with b alone keeps its name.
    expect(groups(groupWith(two, 'a', 'c'))).toEqual(['group: b', 'group-2: c,a'])
  })

  it('sets a gate, and takes it away', () => {
    const input = inputSchema.parse({ name: 'mode', type: 'choice', options: ['full', 'quick'] })
    const gated = gateStep(chain, 'b', gateOn(input))
    expect(gated.steps.map(({ gate }) => gate)).toEqual([undefined, { input: 'mode', equals: 'full' }, undefined])
    expect(gateStep(gated, 'b', undefined)).toEqual(chain)
    expect(gateOn(inputSchema.parse({ name: 'dry', type: 'yes-no' }))).toEqual({ input: 'dry', equals: 'yes' })
    expect(gateOn(inputSchema.parse({ name: 'port', type: 'text', default: 'Orrin' }))).toEqual({
      input: 'port',
      equals: 'Orrin',
    })
  })

  it('keeps a sound flow sound, whatever is done to it', () => {
    const action = fc.record({
      what: fc.constantFrom('after', 'before', 'beside', 'remove', 'link', 'group', 'together'),
      x: fc.nat(30),
      y: fc.nat(30),
    })
    fc.assert(
      fc.property(fc.array(action, { maxLength: 25 }), (actions) => {
        let now = chain
        for (const { what, x, y } of actions) {
          const [a, b] = [x, y].map((n) => now.steps[n % Math.max(1, now.steps.length)]?.id) as [string, string]
          if (what === 'remove') now = removeStep(now, a)
          else if (what === 'link') now = linkSteps(now, a, b) ?? now
          else if (what === 'together') now = groupWith(now, a, b)
          else if (what === 'group') now = groupStep(now, a, `g${y % 3}`)
          else now = addStep(now, { job: 'j' }, freeStepId(now, 'n'), a ? { how: what, step: a } : { how: 'alone' })
          const faults: string[] = []
          flowFaults(
            { jobs: [{ id: 'j' }], flows: [{ id: 'f', steps: now.steps, groups: now.groups }] },
            (path, message) => void faults.push(`${path.join('.')} ${message}`),
          )
          expect(faults).toEqual([])
        }
      }),
    )
  })
})
