import fc from 'fast-check'
import { drawnStep as step } from './drawn.test-help'
import { foldGroups, spanOf } from './fold'
import { rowsOf, type DrawnStep } from './times'

const froms = ({ links }: DrawnStep): number[] => links.map(({ from }) => from)

describe('a folded group', () => {
  // 0 → 1 → 2 → 3, 1 and 2 in the group; the failure of 2 leads to 4.
  const chain = [step(0), step(1, [0]), step(2, [1], { routeTo: 4 }), step(3, [2, 1]), step(4)]

  it('takes the place of its steps: what led to and from them leads to and from it', () => {
    const folded = foldGroups(chain, [{ id: 'g', members: [1, 2] }])
    expect(folded).toHaveLength(6)
    expect(folded[5]).toMatchObject({ index: 5, parent: -1, isFlow: true, links: [{ from: 0 }], routeTo: 4 })
    expect(froms(folded[3] as DrawnStep)).toEqual([5])
    expect([folded[1]?.parent, folded[2]?.parent]).toEqual([5, 5])
    const { places } = rowsOf(folded, () => false)
    expect([...places].map(([index, { row }]) => [index, row]).sort()).toEqual([
      [0, 0],
      [3, 0],
      [4, 1],
      [5, 0],
    ])
    expect(
      spanOf(
        { id: 'g', members: [1, 2] },
        [0, 1, 2, 3].map((n) => ({ start: n * 10, end: n * 10 + 8 })),
      ),
    ).toEqual({
      start: 10,
      end: 28,
    })
  })

  it('has a route to it where one led to a step of it, and none to itself', () => {
    const routed = [step(0, [], { routeTo: 2 }), step(1, [0], { routeTo: 2 }), step(2, [1])]
    const folded = foldGroups(routed, [{ id: 'g', members: [1, 2] }])
    expect(folded[0]?.routeTo).toBe(3)
    expect(folded[3]?.routeTo).toBe(-1)
  })

  it('around a step between two of its own leaves out the way back', () => {
    const folded = foldGroups([step(0), step(1, [0]), step(2, [1])], [{ id: 'g', members: [0, 2] }])
    expect(froms(folded[1] as DrawnStep)).toEqual([3])
    expect(froms(folded[3] as DrawnStep)).toEqual([])
  })

  it('leaves steps as they are where nothing is folded', () => {
    expect(foldGroups(chain, [])).toEqual(chain)
  })

  it('never makes a circle, whatever belongs together', () => {
    const steps = fc
      .array(fc.array(fc.nat(30), { maxLength: 3 }), { minLength: 1, maxLength: 20 })
      .map((all) => all.map((from, index) => step(index, [...new Set(from.filter((each) => each < index))])))
    fc.assert(
      fc.property(
        steps,
        fc.array(fc.integer({ min: -1, max: 2 }), { minLength: 20, maxLength: 20 }),
        (all, groupOf) => {
          const groups = [0, 1, 2]
            .map((g) => ({
              id: `g${g}`,
              members: all.map(({ index }) => index).filter((index) => groupOf[index] === g),
            }))
            .filter(({ members }) => members.length > 0)
          const shown = foldGroups(all, groups).filter(({ parent }) => parent === -1)
          const missing = new Map(shown.map(({ index, links }) => [index, links.length]))
          const done = shown.filter(({ links }) => links.length === 0).map(({ index }) => index)
          for (const at of done)
            for (const { index, links } of shown)
              if (links.some(({ from }) => from === at)) {
                missing.set(index, (missing.get(index) as number) - 1)
                if (missing.get(index) === 0) done.push(index)
              }
          expect(done).toHaveLength(shown.length)
        },
      ),
    )
  })
})
