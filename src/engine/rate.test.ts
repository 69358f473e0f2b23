import { Rate } from './rate'

describe('a rate', () => {
  it('lets a burst through, then as much as time gives', () => {
    const rate = new Rate(10, 20, 0)
    for (let i = 0; i < 20; i++) expect(rate.take(1, 0)).toBe(0)
    expect(rate.take(1, 0)).toBe(100)
    expect(rate.take(1, 200)).toBe(0)
    expect(rate.isFull(200)).toBe(false)
    expect(rate.isFull(2200)).toBe(true)
  })

  it('remembers a debt, and never more credit than a burst', () => {
    const rate = new Rate(10, 20, 0)
    expect(rate.take(120, 0)).toBe(10_000)
    expect(rate.take(0, 9_000)).toBe(1_000)
    rate.take(0, 1_000_000)
    expect(rate.take(21, 1_000_000)).toBe(100)
  })
})
