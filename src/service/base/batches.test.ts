import { Batches } from './batches'

it('does for all that wait at once what each would do alone, in their order', async () => {
  const seen: number[][] = []
  const batches = new Batches<number, number>(async (items) => {
    seen.push([...items])
    await new Promise((resolve) => setTimeout(resolve, 5))
    return items.map((item) => item * 2)
  }, 3)
  expect(await Promise.all([1, 2, 3, 4, 5, 6].map((item) => batches.do(item)))).toEqual([2, 4, 6, 8, 10, 12])
  expect(seen).toEqual([[1], [2, 3, 4], [5, 6]])
  await new Promise(setImmediate)
  expect(batches.isIdle).toBe(true)
})

it('fails only those that must', async () => {
  const batches = new Batches<number, number>(async (items) => {
    await Promise.resolve()
    if (items.includes(3)) throw new Error('three')
    return items
  })
  const settled = await Promise.allSettled([1, 2, 3, 4].map((item) => batches.do(item)))
  expect(settled.map(({ status }) => status)).toEqual(['fulfilled', 'fulfilled', 'rejected', 'fulfilled'])
  expect(await batches.do(5)).toBe(5)
})

it('while the database is away nobody is kept waiting', async () => {
  const away = Object.assign(new Error('connect ECONNREFUSED'), { code: 'ECONNREFUSED' })
  const batches = new Batches<number, number>(() => Promise.reject(away))
  const settled = await Promise.allSettled([1, 2, 3].map((item) => batches.do(item)))
  expect(settled.every((one) => one.status === 'rejected' && one.reason === away)).toBe(true)
})
