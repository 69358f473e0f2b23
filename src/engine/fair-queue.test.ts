import fc from 'fast-check'
import { FairQueue } from './fair-queue'

const senders = [{ name: 'a' }, { name: 'b' }, { name: 'c' }]

describe('a fair queue', () => {
  it('takes from each sender in turn, however much one has waiting', () => {
    const queue = new FairQueue<object, string>(10)
    for (let i = 0; i < 1000; i++) queue.add(senders[0] as object, `flood ${i}`, 1)
    queue.add(senders[1] as object, 'honest', 1)
    const first = queue.take(20, 1000).map(({ value }) => value)
    expect(first).toContain('honest')
    expect(first.filter((value) => value.startsWith('flood'))).toHaveLength(19)
  })

  it('takes what is larger than a share once enough rounds have passed, and others meanwhile', () => {
    const queue = new FairQueue<object, string>(10)
    queue.add(senders[0] as object, 'large', 35)
    for (let i = 0; i < 10; i++) queue.add(senders[1] as object, `small ${i}`, 5)
    const order = queue.take(100, 1000).map(({ value }) => value)
    expect(order.indexOf('large')).toBe(6)
    expect(order).toHaveLength(11)
  })

  it('puts back in front, and forgets a sender that went', () => {
    const queue = new FairQueue<object, number>(10)
    const [a, b] = senders as [object, object, object]
    queue.add(a, 2, 1)
    queue.add(b, 9, 1)
    queue.putBack(a, [
      { value: 0, cost: 1 },
      { value: 1, cost: 1 },
    ])
    queue.drop(b)
    expect(queue.take(10, 10).map(({ value }) => value)).toEqual([0, 1, 2])
    expect([queue.isEmpty, queue.waitingCost, queue.costOf(a)]).toEqual([true, 0, 0])
  })

  it('loses nothing, doubles nothing, keeps each sender’s order, and knows what waits', () => {
    const item = fc.record({ sender: fc.nat(2), cost: fc.integer({ min: 1, max: 50 }) })
    fc.assert(
      fc.property(
        fc.array(item, { maxLength: 60 }),
        fc.integer({ min: 1, max: 20 }),
        fc.integer({ min: 1, max: 80 }),
        (items, share, most) => {
          const queue = new FairQueue<object, number>(share)
          items.forEach(({ sender, cost }, i) => queue.add(senders[sender] as object, i, cost))
          const out: { sender: object; value: number }[] = []
          while (!queue.isEmpty) {
            const left = items.reduce((sum, { cost }, i) => sum + (out.some((o) => o.value === i) ? 0 : cost), 0)
            expect(queue.waitingCost).toBe(left)
            const batch = queue.take(most, 60)
            expect(batch.length).toBeGreaterThan(0)
            out.push(...batch)
          }
          expect(out.map(({ value }) => value).sort((x, y) => x - y)).toEqual(items.map((_, i) => i))
          for (const sender of senders) {
            const own = out.filter((o) => o.sender === sender).map(({ value }) => value)
            expect(own).toEqual([...own].sort((x, y) => x - y))
          }
        },
      ),
    )
  })
})
