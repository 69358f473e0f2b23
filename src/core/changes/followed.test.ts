import fc from 'fast-check'
import { followedBy, type Changed, type FailedRun } from './followed'

const HOUR = 3_600_000

it('a failure follows the last change of each thing that it touched, for a day', () => {
  const [first, again, pool] = [
    { object: 'job 5', atMs: 0 },
    { object: 'job 5', atMs: 5 * HOUR },
    { object: 'pool 2', atMs: 6 * HOUR },
  ]
  const failed = (id: number, hours: number, ...touched: string[]): FailedRun => ({ id, atMs: hours * HOUR, touched })
  const followed = followedBy(
    [pool, again, first],
    [
      failed(9, 8, 'job 5', 'pool 2', 'pool 2'),
      failed(7, 1, 'job 5'),
      failed(8, 2, 'job 6'),
      failed(10, 29, 'job 5'),
      failed(11, 30.5, 'job 5'),
      failed(6, -1, 'job 5'),
    ],
  )
  expect([first, again, pool].map((change) => followed.get(change))).toEqual([[7], [9, 10], [9]])
})

it('is what looking at each change and each failure finds', () => {
  const object = fc.constantFrom('job 1', 'job 2', 'pool 1')
  const hour = fc.integer({ min: 0, max: 60 }).map((n) => n * HOUR)
  const changes = fc.uniqueArray(fc.record({ object, atMs: hour }), {
    maxLength: 8,
    selector: (c) => `${c.object} ${c.atMs}`,
  })
  const failures = fc.array(fc.record({ atMs: hour, touched: fc.array(object, { maxLength: 3 }) }), { maxLength: 8 })
  fc.assert(
    fc.property(changes, failures, (all, bad) => {
      const runs = bad.map((each, i) => ({ ...each, id: i + 1 }))
      const plainly = (change: Changed): number[] =>
        runs
          .filter(
            ({ atMs, touched }) =>
              (touched as string[]).includes(change.object) &&
              atMs > change.atMs &&
              atMs <= change.atMs + 24 * HOUR &&
              !all.some((c) => c.object === change.object && c.atMs > change.atMs && c.atMs < atMs),
          )
          .sort((a, b) => a.atMs - b.atMs || a.id - b.id)
          .map(({ id }) => id)
      const followed = followedBy(all, runs)
      for (const change of all) expect(followed.get(change)).toEqual(plainly(change))
    }),
  )
})
