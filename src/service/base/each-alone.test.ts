import { allOrEach, wordsOf } from './each-alone'

const odd = new Error('the odd one\nits stack')
const work = async (items: readonly number[]): Promise<number> => {
  if (items.includes(3)) throw odd
  return items.reduce((sum, item) => sum + item, 0)
}

describe('work for many', () => {
  it('is done at once while nothing is wrong with any', async () => {
    expect(await allOrEach([1, 2, 4], work, () => Promise.reject(new Error('none is bad')))).toEqual([7])
    expect(await allOrEach([], work, () => Promise.reject(new Error('none is bad')))).toEqual([])
  })

  it('is done for each by itself when one is bad, and that one is told', async () => {
    const told: [number, string][] = []
    const results = await allOrEach([1, 3, 4], work, async (item, error) => void told.push([item, wordsOf(error)]))
    expect(results).toEqual([1, 4])
    expect(told).toEqual([[3, 'the odd one']])
  })

  it('blames nobody while the database is away', async () => {
    const away = Object.assign(new Error('gone'), { code: '57P01' })
    const told: number[] = []
    await expect(
      allOrEach(
        [1, 2],
        () => Promise.reject(away),
        async (item) => void told.push(item),
      ),
    ).rejects.toBe(away)
    expect(told).toEqual([])
  })
})
