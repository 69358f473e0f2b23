import fc from 'fast-check'
import { AreaTree } from './area-tree'

/** Areas whose own area, if any, comes before them; some name one that is not there. */
const trees = fc
  .array(fc.record({ above: fc.option(fc.nat(30)), jobs: fc.nat(5) }), { maxLength: 25 })
  .map((list) =>
    list.map(({ above, jobs }, i) => ({ id: i + 1, parentId: above === null || above <= i ? above : 900, jobs })),
  )

describe('areas as trees', () => {
  it('sum what each and all that lies in it have', () => {
    fc.assert(
      fc.property(trees, (areas) => {
        const tree = new AreaTree(areas)
        const sums = tree.sums(({ jobs }) => jobs)
        expect(sums.size).toBe(areas.length)
        for (const { id } of areas) expect(sums.get(id)).toBe(tree.below(id).reduce((sum, { jobs }) => sum + jobs, 0))
      }),
    )
  })

  it('show each once, after the area that it lies in', () => {
    fc.assert(
      fc.property(trees, (areas) => {
        const rows = new AreaTree(areas).inOrder()
        expect(rows.map(({ area }) => area.id).sort((a, b) => a - b)).toEqual(areas.map(({ id }) => id))
        for (const [at, { area, depth }] of rows.entries())
          if (depth > 0) expect(rows.slice(0, at).findLast((row) => row.depth < depth)?.area.id).toBe(area.parentId)
      }),
    )
  })
})
